package linux

import (
	"strings"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/efi"
	"rolltop.example/rolltop/core/decode/smbios"
	"rolltop.example/rolltop/core/decode/tpm"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/placeholder"
)

const (
	tablePath = "/sys/firmware/dmi/tables/DMI"
	entryPath = "/sys/firmware/dmi/tables/smbios_entry_point"
	dmiPath   = "/sys/class/dmi/id/"
	efiPath   = "/sys/firmware/efi"
	varsPath  = "/sys/firmware/efi/efivars"
	// globalGUID is EFI_GLOBAL_VARIABLE, UEFI Specification section 3.3.
	globalGUID = "-8be4df61-93ca-11d2-aa0d-00e098032b8c"
)

// variable is the source of a UEFI variable of the global GUID.
func variable(name string) string { return varsPath + "/" + name + globalGUID }

// identity takes a text from the tables, or from the file that anyone may read.
func (x *decoder) identity(name string, to *inventory.Opt[string], fromTable, file string) {
	if x.Set(to, name, fromTable, "SMBIOS") {
		return
	}
	r := x.C.Get(dmiPath + file)
	if r.Outcome == capture.OK {
		value := smbios.Filled(strings.TrimSpace(string(r.Raw)))
		if file == "product_uuid" {
			value = placeholder.UUID(value)
		}
		if x.Set(to, name, value, dmiPath+file) {
			return
		}
	}
	if r.Outcome == capture.OK || x.Tables.Read {
		x.D.AddGap(name, inventory.NotOffered, "the firmware leaves it empty, or holds a placeholder", "")
		return
	}
	if r.Outcome == capture.Denied {
		x.Why(name, r, "")
		return
	}
	x.Why(name, x.Tables.Record, x.Tables.Missing())
}

func (x *decoder) firmware() {
	fw := &x.D.Firmware
	x.identity("firmware.vendor", &fw.Vendor, x.Tables.Info.Firmware.Vendor, "bios_vendor")
	x.identity("firmware.version", &fw.Version, x.Tables.Info.Firmware.Version, "bios_version")
	if !x.Set(&fw.Date, "firmware.date", x.Tables.Info.Firmware.Date, "SMBIOS type 0") {
		x.Why("firmware.date", x.Tables.Record, x.Tables.Missing())
	}
	if !x.Set(&fw.Password, "firmware.password", x.Tables.Info.Password, "SMBIOS type 24") {
		x.Why("firmware.password", x.Tables.Record, x.Tables.Missing())
	}
	efiDir := x.C.Get(efiPath + "/")
	switch {
	case efiDir.Outcome == capture.OK:
		x.Set(&fw.BootMode, "firmware.boot_mode", "uefi", efiPath)
		x.SetBool(&fw.UEFICapable, "firmware.uefi_capable", true, efiPath)
		if bits, ok := x.Number(efiPath + "/fw_platform_size"); ok && (bits == 32 || bits == 64) {
			x.SetNumber(&fw.UEFIBits, "firmware.uefi_bits", bits, efiPath+"/fw_platform_size")
		}
		x.secureBoot()
		return
	case x.Tables.Read || x.tableFound():
		// The firmware describes itself and the kernel found no UEFI: legacy.
		x.Set(&fw.BootMode, "firmware.boot_mode", "legacy", "firmware tables, and no "+efiPath)
		x.Set(&fw.SecureBoot, "firmware.secure_boot", "inactive", "it started in legacy mode")
		if x.Tables.Info.Firmware.UEFI {
			x.SetBool(&fw.UEFICapable, "firmware.uefi_capable", true, "SMBIOS type 0")
		} else {
			x.Why("firmware.uefi_capable", x.Tables.Record,
				"the firmware does not say that it can do UEFI, which does not mean that it cannot")
		}
		x.D.AddGap("firmware.secure_boot_capable", inventory.NotOffered,
			"it started in legacy mode, where the firmware does not tell",
			"Look in the firmware set-up, or start in UEFI mode and take the inventory again.")
	default:
		const detail = "this machine has neither UEFI variables nor firmware tables, so nothing says how it started"
		for _, name := range []string{
			"firmware.boot_mode", "firmware.uefi_capable", "firmware.secure_boot", "firmware.secure_boot_capable",
		} {
			x.D.AddGap(name, inventory.NotOffered, detail,
				"Look in the firmware set-up, or at the settings "+
					"of the host of a virtual machine, and enter it by hand.")
		}
	}
	x.D.AddGap("firmware.uefi_bits", inventory.NotOffered, "only a machine that started in UEFI mode tells", "")
}

// tableFound: the kernel found firmware tables, though we may not read them.
func (x *decoder) tableFound() bool {
	return x.Tables.Record.Outcome == capture.Denied || x.C.Get(dmiPath+"bios_vendor").Outcome == capture.OK
}

// secureBoot reads the state and the capability, which is there when the
// firmware has the variable at all.
func (x *decoder) secureBoot() {
	state, mode := x.C.Get(variable("SecureBoot")), x.C.Get(variable("SetupMode"))
	names, listed := x.List(varsPath)
	if state.Outcome == capture.OK {
		on, err := efi.Byte(state.Raw)
		setup, _ := efi.Byte(mode.Raw)
		if err != nil {
			x.D.AddGap("firmware.secure_boot", inventory.ReadFailed, err.Error(), "")
			x.D.AddGap("firmware.secure_boot_capable", inventory.ReadFailed, err.Error(), "")
			return
		}
		x.Set(&x.D.Firmware.SecureBoot, "firmware.secure_boot", efi.SecureBoot(on, setup),
			"EFI variables SecureBoot and SetupMode")
		x.SetBool(&x.D.Firmware.SecureBootCapable, "firmware.secure_boot_capable", true, "EFI variable SecureBoot")
		return
	}
	if listed && len(names) > 0 && state.Outcome == capture.Absent {
		x.SetBool(&x.D.Firmware.SecureBootCapable, "firmware.secure_boot_capable", false,
			"the firmware has no EFI variable SecureBoot")
		x.Set(&x.D.Firmware.SecureBoot, "firmware.secure_boot", "off", "the firmware has no EFI variable SecureBoot")
		return
	}
	const detail = "the EFI variables are not there to be read; " + varsPath + " is not mounted"
	x.Why("firmware.secure_boot", state, detail)
	x.Why("firmware.secure_boot_capable", state, detail)
}

func (x *decoder) tpm() {
	t := &x.D.TPM
	class := x.C.Get("/sys/class/tpm/")
	names, _ := x.List("/sys/class/tpm")
	tables, haveTables := x.List("/sys/firmware/acpi/tables")
	announced := ""
	for _, n := range tables {
		if n == "TPM2" || n == "TCPA" {
			announced = n
		}
	}
	switch {
	case len(names) > 0:
		x.tpmDevice("/sys/class/tpm/" + names[0])
		return
	case announced != "":
		x.Set(&t.State, "tpm.state", "announced", "ACPI table "+announced)
	case class.Outcome == capture.OK && haveTables:
		x.Set(&t.State, "tpm.state", "not-seen", "/sys/class/tpm is empty, and no ACPI table names one")
	case class.Outcome == capture.OK:
		x.Set(&t.State, "tpm.state", "not-seen", "/sys/class/tpm is empty")
	default:
		detail := "this kernel has no TPM support, so it sees none whether there is one or not"
		if haveTables {
			detail += "; no ACPI table names one"
		}
		const try = "Look in the firmware set-up, or at the settings of the host of a virtual machine, whether there " +
			"is a TPM, and enter it by hand."
		x.D.AddGap("tpm.state", inventory.NotOffered, detail, try)
		x.D.AddGap("tpm.version", inventory.NotOffered, detail, try)
		return
	}
	x.D.AddGap("tpm.version", inventory.NotOffered, "no TPM is seen that could tell", "")
}

// tpmDetails reads maker and firmware version from what the TPM itself says,
// and whether it says that it has failed. Drivers of the older ones keep what
// they asked where anyone may read it.
func (x *decoder) tpmDetails(dir, version string) (failed bool) {
	asked := x.C.Get(Ask2)
	if version == "1" {
		asked = x.C.Get(Ask12)
	}
	info, err := tpm.Info{}, error(nil)
	switch {
	case asked.Outcome == capture.OK && version == "1":
		info, err = tpm.Reply12(asked.Raw)
	case asked.Outcome == capture.OK:
		info, err = tpm.Reply2(asked.Raw)
	case version == "1":
		if caps := x.C.Get(dir + "/device/caps"); caps.Outcome == capture.OK {
			info, asked = tpm.Caps12(string(caps.Raw)), caps
		}
	}
	if err != nil {
		asked.Outcome, asked.Detail = capture.Failed, err.Error()
	}
	x.TPMAnswered(info, asked)
	return info.Failed
}

func (x *decoder) tpmDevice(dir string) {
	t := &x.D.TPM
	version, _ := x.Text(dir + "/tpm_version_major")
	for _, name := range []string{"TPM2", "TCPA"} {
		if a, err := tpm.Table(x.C.Get("/sys/firmware/acpi/tables/" + name).Raw); err == nil && a.Firmware {
			x.Set(&t.Kind, "tpm.kind", "firmware", "start method in the ACPI table")
		}
	}
	failed := x.tpmDetails(dir, version)
	switch version {
	case "2":
		x.Set(&t.Version, "tpm.version", "2.0", dir+"/tpm_version_major")
		if failed {
			x.Set(&t.State, "tpm.state", "not-ready", "TPM2_GetCapability answers with failure mode")
		} else {
			x.Set(&t.State, "tpm.state", "ready", dir)
		}
		return
	case "1":
		x.Set(&t.Version, "tpm.version", "1.2", dir+"/tpm_version_major")
	default:
		x.Why("tpm.version", x.C.Get(dir+"/tpm_version_major"), "the kernel does not tell the version")
	}
	enabled, okE := x.Text(dir + "/device/enabled")
	active, okA := x.Text(dir + "/device/active")
	switch {
	case okE && okA && enabled == "1" && active == "1":
		x.Set(&t.State, "tpm.state", "ready", dir+"/device/enabled")
	case okE && enabled == "0", okA && active == "0":
		x.Set(&t.State, "tpm.state", "off", dir+"/device/enabled")
	default:
		x.Why("tpm.state", x.C.Get(dir+"/device/enabled"), "the kernel does not tell whether the TPM is on")
	}
}

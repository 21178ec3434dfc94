package linux

import (
	"strings"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/efi"
	"rolltop.example/rolltop/core/decode/smbios"
	"rolltop.example/rolltop/core/decode/tpm"
	"rolltop.example/rolltop/core/inventory"
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

// dmi is what the firmware tables said, or why they did not.
type dmi struct {
	info   smbios.Info
	read   bool
	record capture.Record
}

func (m *dmi) missing() string {
	if m.record.Outcome == capture.OK {
		return "the firmware tables do not say, or hold a placeholder"
	}
	return "this machine hands out no firmware tables"
}

// tables decodes the firmware tables. Their outcome explains every fact that
// only they tell.
func (x *decoder) tables() {
	x.dmi.record = x.c.Get(tablePath)
	if x.dmi.record.Outcome != capture.OK {
		return
	}
	list, err := smbios.Walk(x.dmi.record.Raw)
	if err != nil {
		x.dmi.record.Detail = err.Error()
	}
	if len(list) == 0 {
		x.dmi.record.Outcome = capture.Failed
		return
	}
	x.dmi.read = true
	x.dmi.info = smbios.Describe(list, smbios.Version(x.c.Get(entryPath).Raw))
	if x.dmi.info.Firmware.Virtual && x.d.Device.Environment.IsZero() {
		x.set(&x.d.Device.Environment, "device.environment", "guest", "SMBIOS type 0")
	}
}

// identity takes a text from the tables, or from the file that anyone may read.
func (x *decoder) identity(name string, to *inventory.Opt[string], fromTable, file string) {
	if x.set(to, name, fromTable, "SMBIOS") {
		return
	}
	r := x.c.Get(dmiPath + file)
	if r.Outcome == capture.OK {
		value := smbios.Filled(strings.TrimSpace(string(r.Raw)))
		if file == "product_uuid" {
			value = strings.ToLower(value)
		}
		if x.set(to, name, value, dmiPath+file) {
			return
		}
	}
	if r.Outcome == capture.OK || x.dmi.read {
		x.d.AddGap(name, inventory.NotOffered, "the firmware leaves it empty, or holds a placeholder", "")
		return
	}
	if r.Outcome == capture.Denied {
		x.why(name, r, "")
		return
	}
	x.why(name, x.dmi.record, x.dmi.missing())
}

func (x *decoder) firmware() {
	fw := &x.d.Firmware
	x.identity("firmware.vendor", &fw.Vendor, x.dmi.info.Firmware.Vendor, "bios_vendor")
	x.identity("firmware.version", &fw.Version, x.dmi.info.Firmware.Version, "bios_version")
	if !x.set(&fw.Date, "firmware.date", x.dmi.info.Firmware.Date, "SMBIOS type 0") {
		x.why("firmware.date", x.dmi.record, x.dmi.missing())
	}
	if !x.set(&fw.Password, "firmware.password", x.dmi.info.Password, "SMBIOS type 24") {
		x.why("firmware.password", x.dmi.record, x.dmi.missing())
	}
	efiDir := x.c.Get(efiPath + "/")
	switch {
	case efiDir.Outcome == capture.OK:
		x.set(&fw.BootMode, "firmware.boot_mode", "uefi", efiPath)
		fw.UEFICapable = some(true)
		x.d.Said("firmware.uefi_capable", efiPath)
		if bits, ok := x.number(efiPath + "/fw_platform_size"); ok && (bits == 32 || bits == 64) {
			x.setNumber(&fw.UEFIBits, "firmware.uefi_bits", bits, efiPath+"/fw_platform_size")
		}
		x.secureBoot()
		return
	case x.dmi.read || x.tableFound():
		// The firmware describes itself and the kernel found no UEFI: legacy.
		x.set(&fw.BootMode, "firmware.boot_mode", "legacy", "firmware tables, and no "+efiPath)
		x.set(&fw.SecureBoot, "firmware.secure_boot", "inactive", "it started in legacy mode")
		if x.dmi.info.Firmware.UEFI {
			fw.UEFICapable = some(true)
			x.d.Said("firmware.uefi_capable", "SMBIOS type 0")
		} else {
			x.why("firmware.uefi_capable", x.dmi.record, "the firmware does not say that it can do UEFI, which does not mean that it cannot")
		}
		x.d.AddGap("firmware.secure_boot_capable", inventory.NotOffered, "it started in legacy mode, where the firmware does not tell", "Look in the firmware set-up, or start in UEFI mode and take the inventory again.")
	default:
		const detail = "this machine has neither UEFI variables nor firmware tables, so nothing says how it started"
		for _, name := range []string{"firmware.boot_mode", "firmware.uefi_capable", "firmware.secure_boot", "firmware.secure_boot_capable"} {
			x.d.AddGap(name, inventory.NotOffered, detail, "Look in the firmware set-up, or at the settings of the host of a virtual machine, and enter it by hand.")
		}
	}
	x.d.AddGap("firmware.uefi_bits", inventory.NotOffered, "only a machine that started in UEFI mode tells", "")
}

// tableFound: the kernel found firmware tables, though we may not read them.
func (x *decoder) tableFound() bool {
	return x.dmi.record.Outcome == capture.Denied || x.c.Get(dmiPath+"bios_vendor").Outcome == capture.OK
}

// secureBoot reads the state and the capability, which is there when the
// firmware has the variable at all.
func (x *decoder) secureBoot() {
	state, mode := x.c.Get(varsPath+"/SecureBoot"+globalGUID), x.c.Get(varsPath+"/SetupMode"+globalGUID)
	names, listed := x.list(varsPath)
	if state.Outcome == capture.OK {
		on, err := efi.Byte(state.Raw)
		setup, _ := efi.Byte(mode.Raw)
		if err != nil {
			x.d.AddGap("firmware.secure_boot", inventory.ReadFailed, err.Error(), "")
			x.d.AddGap("firmware.secure_boot_capable", inventory.ReadFailed, err.Error(), "")
			return
		}
		x.set(&x.d.Firmware.SecureBoot, "firmware.secure_boot", efi.SecureBoot(on, setup), "EFI variables SecureBoot and SetupMode")
		x.d.Firmware.SecureBootCapable = some(true)
		x.d.Said("firmware.secure_boot_capable", "EFI variable SecureBoot")
		return
	}
	if listed && len(names) > 0 && state.Outcome == capture.Absent {
		x.d.Firmware.SecureBootCapable = some(false)
		x.d.Said("firmware.secure_boot_capable", "the firmware has no EFI variable SecureBoot")
		x.set(&x.d.Firmware.SecureBoot, "firmware.secure_boot", "off", "the firmware has no EFI variable SecureBoot")
		return
	}
	const detail = "the EFI variables are not there to be read; " + varsPath + " is not mounted"
	x.why("firmware.secure_boot", state, detail)
	x.why("firmware.secure_boot_capable", state, detail)
}

func (x *decoder) tpm() {
	t := &x.d.TPM
	class := x.c.Get("/sys/class/tpm/")
	names, _ := x.list("/sys/class/tpm")
	tables, haveTables := x.list("/sys/firmware/acpi/tables")
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
		x.set(&t.State, "tpm.state", "announced", "ACPI table "+announced)
	case class.Outcome == capture.OK && haveTables:
		x.set(&t.State, "tpm.state", "not-seen", "/sys/class/tpm is empty, and no ACPI table names one")
	case class.Outcome == capture.OK:
		x.set(&t.State, "tpm.state", "not-seen", "/sys/class/tpm is empty")
	default:
		detail := "this kernel has no TPM support, so it sees none whether there is one or not"
		if haveTables {
			detail += "; no ACPI table names one"
		}
		const try = "Look in the firmware set-up, or at the settings of the host of a virtual machine, whether there is a TPM, and enter it by hand."
		x.d.AddGap("tpm.state", inventory.NotOffered, detail, try)
		x.d.AddGap("tpm.version", inventory.NotOffered, detail, try)
		return
	}
	x.d.AddGap("tpm.version", inventory.NotOffered, "no TPM is seen that could tell", "")
}

// tpmDetails reads maker and firmware version from what the TPM itself says,
// and whether it says that it has failed.
func (x *decoder) tpmDetails(dir string) (failed bool) {
	t := &x.d.TPM
	info, source := tpm.Caps12(string(x.c.Get(dir+"/device/caps").Raw)), dir+"/device/caps"
	asked := x.c.Get("tpm2:/dev/tpmrm0")
	if asked.Outcome == capture.OK {
		var err error
		if info, err = tpm.Reply2(asked.Raw); err != nil {
			asked.Outcome, asked.Detail = capture.Failed, err.Error()
		}
		source = "TPM2_GetCapability"
	}
	const otherwise = "this TPM's driver does not tell"
	if !x.set(&t.Manufacturer, "tpm.manufacturer", info.Manufacturer, source) {
		x.why("tpm.manufacturer", asked, otherwise)
	}
	if !x.set(&t.Firmware, "tpm.firmware", info.Firmware, source) {
		x.why("tpm.firmware", asked, otherwise)
	}
	return info.Failed
}

func (x *decoder) tpmDevice(dir string) {
	t := &x.d.TPM
	failed := x.tpmDetails(dir)
	switch v, _ := x.text(dir + "/tpm_version_major"); v {
	case "2":
		x.set(&t.Version, "tpm.version", "2.0", dir+"/tpm_version_major")
		if failed {
			x.set(&t.State, "tpm.state", "not-ready", "TPM2_GetCapability answers with failure mode")
		} else {
			x.set(&t.State, "tpm.state", "ready", dir)
		}
		return
	case "1":
		x.set(&t.Version, "tpm.version", "1.2", dir+"/tpm_version_major")
	default:
		x.why("tpm.version", x.c.Get(dir+"/tpm_version_major"), "the kernel does not tell the version")
	}
	enabled, okE := x.text(dir + "/device/enabled")
	active, okA := x.text(dir + "/device/active")
	switch {
	case okE && okA && enabled == "1" && active == "1":
		x.set(&t.State, "tpm.state", "ready", dir+"/device/enabled")
	case okE && enabled == "0", okA && active == "0":
		x.set(&t.State, "tpm.state", "off", dir+"/device/enabled")
	default:
		x.why("tpm.state", x.c.Get(dir+"/device/enabled"), "the kernel does not tell whether the TPM is on")
	}
}

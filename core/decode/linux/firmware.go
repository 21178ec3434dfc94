package linux

import (
	"strings"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/efi"
	"rolltop.example/rolltop/core/decode/smbios"
	"rolltop.example/rolltop/core/decode/tpm"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/placeholder"
)

const (
	tablePath = "/sys/firmware/dmi/tables/DMI"
	entryPath = "/sys/firmware/dmi/tables/smbios_entry_point"
	dmiPath   = "/sys/class/dmi/id/"
	efiPath   = "/sys/firmware/efi"
	mountInfo = "/proc/self/mountinfo"
	varsPath  = "/sys/firmware/efi/efivars"
	// globalGUID is EFI_GLOBAL_VARIABLE, UEFI Specification section 3.3.
	globalGUID = "-8be4df61-93ca-11d2-aa0d-00e098032b8c"
)

// variable is the source of a UEFI variable of the global GUID.
func variable(name string) string { return varsPath + "/" + name + globalGUID }

// identity takes a text from the tables, or from the file that anyone may read.
func (x *decoder) identity(id fact.ID, fromTable, file string) {
	if x.D.Sources[id.String()] != "" || x.Set(id, fromTable, "SMBIOS") {
		return
	}
	r := x.C.Get(dmiPath + file)
	if r.Outcome == capture.OK {
		value := smbios.Filled(strings.TrimSpace(string(r.Raw)))
		if file == "product_uuid" {
			value = placeholder.UUID(value)
		}
		if x.Set(id, value, dmiPath+file) {
			return
		}
	}
	if entry, is := x.Refused(entryPath); is && id == fact.DeviceUUID && r.Outcome != capture.OK {
		x.WhyNot(id, entry, "")
		return
	}
	if r.Outcome == capture.OK || x.Tables.Read {
		x.Gap(id, inventory.NotOffered, "the firmware leaves it empty, or holds a placeholder", "")
		return
	}
	if r.Outcome == capture.Denied {
		x.WhyNot(id, r, "")
		return
	}
	x.WhyNot(id, x.Tables.Record, x.Tables.Missing())
}

func (x *decoder) firmware() {
	x.identity(fact.FirmwareVendor, x.Tables.Info.Firmware.Vendor, "bios_vendor")
	x.identity(fact.FirmwareVersion, x.Tables.Info.Firmware.Version, "bios_version")
	day, _ := x.Text(dmiPath + "bios_date")
	if !x.Set(fact.FirmwareDate, x.Tables.Info.Firmware.Date, "SMBIOS type 0") &&
		!x.Set(fact.FirmwareDate, smbios.Date(day), dmiPath+"bios_date") {
		x.WhyNot(fact.FirmwareDate, x.Tables.Record, x.Tables.Missing())
	}
	if !x.Set(fact.FirmwarePassword, x.Tables.Info.Password, "SMBIOS type 24") {
		x.WhyNot(fact.FirmwarePassword, x.Tables.Record, x.Tables.Missing())
	}
	settings{x}.read()
	efiDir := x.C.Get(efiPath + "/")
	switch {
	case efiDir.Outcome == capture.OK:
		x.Set(fact.BootMode, "uefi", efiPath)
		x.SetBool(fact.UEFICapable, true, efiPath)
		if bits, ok := x.Number(efiPath + "/fw_platform_size"); ok && (bits == 32 || bits == 64) {
			x.SetNumber(fact.UEFIBits, bits, efiPath+"/fw_platform_size")
		}
		x.secureBoot()
		return
	case efiDir.Outcome == capture.Denied, efiDir.Outcome == capture.Failed:
		for _, id := range []fact.ID{fact.BootMode, fact.UEFICapable, fact.SecureBoot, fact.SecureBootCapable} {
			x.WhyNot(id, efiDir, "")
		}
	case x.notLegacy() == "":
		// The firmware's directory is there, without the part of UEFI: legacy.
		x.Set(fact.BootMode, "legacy", "firmware tables in /sys/firmware, and no "+efiPath)
		x.Set(fact.SecureBoot, "inactive", "it started in legacy mode")
		if x.Tables.Info.Firmware.UEFI {
			x.SetBool(fact.UEFICapable, true, "SMBIOS type 0")
		} else {
			x.WhyNot(fact.UEFICapable, x.Tables.Record,
				"the firmware does not say that it can do UEFI, which does not mean that it cannot")
		}
		x.Gap(fact.SecureBootCapable, inventory.NotOffered,
			"it started in legacy mode, in which the firmware does not report it",
			"Look in the firmware set-up, or start in UEFI mode and take the inventory again.")
	default:
		detail := x.notLegacy()
		for _, name := range []string{
			"firmware.boot_mode", "firmware.uefi_capable", "firmware.secure_boot", "firmware.secure_boot_capable",
		} {
			x.D.AddGap(name, inventory.NotOffered, detail, "")
		}
	}
}

// notLegacy says why it cannot be concluded from the absence of UEFI's directory that the machine started in legacy
// mode; "" where it can.
func (x *decoder) notLegacy() string {
	arch := x.D.Processor.Architecture.Or("x86")
	container, _ := x.Text("/run/systemd/container")
	switch mount := uefiMount(string(x.C.Get(mountInfo).Raw)); {
	case arch != "x86" && arch != "x86-64":
		return "the kernel shows no UEFI, and machines of this architecture have no legacy mode, so nothing tells " +
			"how it started"
	case container != "":
		return "this is a container, which hides how the machine started"
	case mount != "":
		return mount + " is a sign of UEFI, but the kernel does not show " + efiPath
	case !x.Tables.Read && !x.tableFound():
		return "this machine has neither UEFI variables nor firmware tables, so nothing says how it started"
	case !x.firmwareShown():
		return "/sys/firmware shows neither UEFI nor firmware tables, so nothing tells how the machine started"
	}
	return ""
}

// tableFound: the kernel found firmware tables, though we may not read them.
func (x *decoder) tableFound() bool {
	return x.Tables.Record.Outcome == capture.Denied || x.C.Get(dmiPath+"bios_vendor").Outcome == capture.OK
}

// firmwareShown says that /sys/firmware is shown as the kernel fills it: something else of the firmware is in it,
// though we may not be allowed to read it. A container may show an empty one.
func (x *decoder) firmwareShown() bool {
	tables := x.C.Get(tablePath).Outcome
	return tables == capture.OK || tables == capture.Denied ||
		x.C.Get("/sys/firmware/acpi/tables/").Outcome == capture.OK
}

// uefiMount is a mount that only a machine that started by UEFI has: that of its variables. An EFI system partition is
// mounted on machines, too, that were prepared for UEFI and start in legacy mode.
func uefiMount(mounts string) string {
	for line := range strings.Lines(mounts) {
		left, right, ok := strings.Cut(line, " - ")
		fields, kind := strings.Fields(left), strings.Fields(right)
		if ok && len(fields) > 4 && len(kind) > 0 && kind[0] == "efivarfs" {
			return "the mount of EFI variables at " + fields[4]
		}
	}
	return ""
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
			x.Gap(fact.SecureBoot, inventory.ReadFailed, err.Error(), "")
			x.Gap(fact.SecureBootCapable, inventory.ReadFailed, err.Error(), "")
			return
		}
		x.Set(fact.SecureBoot, efi.SecureBoot(on, setup),
			"EFI variables SecureBoot and SetupMode")
		x.SetBool(fact.SecureBootCapable, true, "EFI variable SecureBoot")
		return
	}
	if listed && len(names) > 0 && state.Outcome == capture.Absent {
		x.SetBool(fact.SecureBootCapable, false,
			"the firmware has no EFI variable SecureBoot")
		x.Set(fact.SecureBoot, "off", "the firmware has no EFI variable SecureBoot")
		return
	}
	const detail = "the EFI variables are not there to be read; " + varsPath + " is not mounted"
	x.WhyNot(fact.SecureBoot, state, detail)
	x.WhyNot(fact.SecureBootCapable, state, detail)
}

func (x *decoder) tpm() {
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
	case class.Outcome == capture.Denied, class.Outcome == capture.Failed: // a driver may serve one
		for _, id := range []fact.ID{fact.TPMState, fact.TPMVersion} {
			x.WhyNot(id, class, "")
		}
		return
	case announced != "":
		x.Set(fact.TPMState, "announced", "ACPI table "+announced)
	case class.Outcome == capture.OK && haveTables:
		x.Set(fact.TPMState, "not-seen", "/sys/class/tpm is empty, and no ACPI table names one")
	case class.Outcome == capture.OK:
		x.Set(fact.TPMState, "not-seen", "/sys/class/tpm is empty")
	default:
		detail := "this kernel has no TPM support, so it sees none whether there is one or not"
		if haveTables {
			detail += "; no ACPI table names one"
		}
		x.Gap(fact.TPMState, inventory.NotOffered, detail, "")
		x.Gap(fact.TPMVersion, inventory.NotOffered, detail, "")
		return
	}
}

// tpmDetails reads maker and firmware version from what the TPM itself says,
// and whether it says that it has failed; asked is what was asked of it. Drivers of the older ones keep what
// they asked where anyone may read it.
func (x *decoder) tpmDetails(dir, version string) (failed bool, asked capture.Record) {
	asked = x.C.Get(Ask2)
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
	return info.Failed, asked
}

func (x *decoder) tpmDevice(dir string) {
	version, _ := x.Text(dir + "/tpm_version_major")
	for _, name := range []string{"TPM2", "TCPA"} {
		if a, err := tpm.Table(x.C.Get("/sys/firmware/acpi/tables/" + name).Raw); err == nil && a.Firmware {
			x.Set(fact.TPMKind, "firmware", "start method in the ACPI table")
		}
	}
	failed, asked := x.tpmDetails(dir, version)
	switch version {
	case "2":
		x.Set(fact.TPMVersion, "2.0", dir+"/tpm_version_major")
		x.OnlyBefore2()
		switch {
		case failed:
			x.Set(fact.TPMState, "not-ready", "TPM2_GetCapability answers with failure mode")
		case asked.Outcome == capture.Failed: // a TPM that does not answer is not known to work
			x.WhyNot(fact.TPMState, asked, "")
		default:
			x.Set(fact.TPMState, "ready", dir)
		}
		return
	case "1":
		x.Set(fact.TPMVersion, "1.2", dir+"/tpm_version_major")
	default:
		x.WhyNot(fact.TPMVersion, x.C.Get(dir+"/tpm_version_major"), "the kernel does not report the version")
	}
	enabled, okE := x.Text(dir + "/device/enabled")
	active, okA := x.Text(dir + "/device/active")
	for id, text := range map[fact.ID]string{fact.TPMEnabled: enabled, fact.TPMActivated: active} {
		if text == "0" || text == "1" {
			x.SetBool(id, text == "1", dir+"/device")
		}
	}
	switch {
	case okE && okA && enabled == "1" && active == "1":
		x.Set(fact.TPMState, "ready", dir+"/device/enabled")
	case okE && enabled == "0", okA && active == "0":
		x.Set(fact.TPMState, "off", dir+"/device/enabled")
	default:
		x.WhyNot(fact.TPMState, x.C.Get(dir+"/device/enabled"), "the kernel does not report whether the TPM is on")
	}
}

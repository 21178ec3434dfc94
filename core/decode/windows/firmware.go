package windows

import (
	"encoding/binary"
	"fmt"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/efi"
	"rolltop.example/rolltop/core/decode/tpm"
	"rolltop.example/rolltop/core/inventory"
)

func (x *decoder) firmware() {
	fw, in := &x.D.Firmware, &x.Tables.Info
	x.identity("firmware.vendor", &fw.Vendor, in.Firmware.Vendor, "BIOSVendor")
	x.identity("firmware.version", &fw.Version, in.Firmware.Version, "BIOSVersion")
	x.identity("firmware.date", &fw.Date, in.Firmware.Date, "")
	if !x.Set(&fw.Password, "firmware.password", in.Password, "SMBIOS type 24") {
		x.Why("firmware.password", x.Tables.Record, x.Tables.Missing())
	}
	mode, from := x.bootMode()
	switch mode {
	case "uefi":
		x.Set(&fw.BootMode, "firmware.boot_mode", mode, from)
		x.SetBool(&fw.UEFICapable, "firmware.uefi_capable", true, from)
		x.secureBoot()
		// This system starts only on firmware of its own word size.
		switch x.D.OS.Architecture.Or("") {
		case "x86":
			x.SetNumber(&fw.UEFIBits, "firmware.uefi_bits", 32, "a 32-bit system was started by it")
		case "x86-64", "arm64":
			x.SetNumber(&fw.UEFIBits, "firmware.uefi_bits", 64, "a 64-bit system was started by it")
		}
		return
	case "legacy":
		x.Set(&fw.BootMode, "firmware.boot_mode", mode, from)
		x.Set(&fw.SecureBoot, "firmware.secure_boot", "inactive", "it started in legacy mode")
		x.D.AddGap("firmware.secure_boot_capable", inventory.NotOffered,
			"it started in legacy mode, where the firmware does not tell",
			"Look in the firmware set-up, or start in UEFI mode and take the inventory again.")
	default:
		const try = "Look in the firmware set-up and enter it by hand."
		for _, name := range []string{"firmware.boot_mode", "firmware.secure_boot", "firmware.secure_boot_capable"} {
			x.D.AddGap(name, inventory.NotOffered, "the system does not tell how it started", try)
		}
	}
	if in.Firmware.UEFI {
		x.SetBool(&fw.UEFICapable, "firmware.uefi_capable", true, "SMBIOS type 0")
	} else {
		x.Why("firmware.uefi_capable", x.Tables.Record,
			"the firmware does not say that it can do UEFI, which does not mean that it cannot")
	}
	x.D.AddGap("firmware.uefi_bits", inventory.NotOffered, "only a machine that started in UEFI mode tells", "")
}

// bootMode: both calls number the types alike.
func (x *decoder) bootMode() (mode, from string) {
	modes := map[uint32]string{1: "legacy", 2: "uefi"}
	if b, ok := x.raw(FirmwareType, 4); ok {
		if m := modes[binary.LittleEndian.Uint32(b)]; m != "" {
			return m, FirmwareType
		}
	}
	if b, ok := x.raw(BootInfo, 20); ok {
		return modes[binary.LittleEndian.Uint32(b[16:])], BootInfo
	}
	return "", ""
}

// secureBoot: three sources say whether it is on, and must agree; the firmware's
// own variables, which need rights, also tell set-up mode.
func (x *decoder) secureBoot() {
	fw := &x.D.Firmware
	type said struct {
		on   bool
		from string
	}
	var all []said
	if n, ok := x.keyNumber(KeySecureBoot, "UEFISecureBootEnabled"); ok {
		all = append(all, said{n == 1, `HKLM\` + KeySecureBoot})
	}
	capable := x.C.Get(SecureBoot)
	if b, ok := x.raw(SecureBoot, 2); ok {
		all = append(all, said{b[0] == 1, SecureBoot})
		x.SetBool(&fw.SecureBootCapable, "firmware.secure_boot_capable", b[1] == 1 || b[0] == 1, SecureBoot)
	}
	variable := x.C.Get(Variable("SecureBoot"))
	state, err := efi.Byte(variable.Raw)
	if variable.Outcome == capture.OK && err == nil {
		all = append(all, said{state == 1, Variable("SecureBoot")})
	}
	if len(all) > 0 && fw.SecureBootCapable.IsZero() {
		x.SetBool(&fw.SecureBootCapable, "firmware.secure_boot_capable", true, all[0].from+", which is there")
	}
	if len(all) == 0 {
		if x.C.Get(View64.Subkeys(KeySecureBoot)).Outcome == capture.Absent {
			x.SetBool(&fw.SecureBootCapable, "firmware.secure_boot_capable", false,
				`HKLM\`+KeySecureBoot+", which is not there")
			x.Set(&fw.SecureBoot, "firmware.secure_boot", "off", `HKLM\`+KeySecureBoot+", which is not there")
			return
		}
		x.Why("firmware.secure_boot", capable, "the system does not tell")
		x.Why("firmware.secure_boot_capable", capable, "the system does not tell")
		return
	}
	word := map[bool]string{true: "on", false: "off"}
	for _, s := range all[1:] {
		if s.on != all[0].on {
			x.Disagree("firmware.secure_boot", inventory.Differ{Value: word[all[0].on], Source: all[0].from},
				inventory.Differ{Value: word[s.on], Source: s.from})
			return
		}
	}
	result, from := word[all[0].on], all[0].from
	if mode, err := efi.Byte(x.C.Get(Variable("SetupMode")).Raw); err == nil && !all[0].on && mode == 1 {
		result, from = "setup", Variable("SetupMode")
	}
	x.Set(&fw.SecureBoot, "firmware.secure_boot", result, from)
}

// What the TPM base services answer when they have no TPM.
const (
	tbsNotFound    = 0x8028400F
	tbsDeactivated = 0x80284016
	tbsNotRunning  = 0x80284008
	tbsSwitchedOff = 0x80284010
)

func (x *decoder) tpm() {
	t := &x.D.TPM
	r := x.C.Get(TBS)
	announced := ""
	for _, name := range []string{"TPM2", "TCPA"} {
		if table := x.C.Get(Table(name)); table.Outcome == capture.OK {
			if a, err := tpm.Table(table.Raw); err == nil {
				announced = name
				x.kindOfTable(a)
			}
		}
	}
	switch {
	case r.Outcome == capture.OK && len(r.Raw) >= 16:
		x.tpmThere(r.Raw)
		return
	case uint32(r.Errno) == tbsDeactivated:
		x.Set(&t.State, "tpm.state", "off", TBS)
	case uint32(r.Errno) == tbsNotFound || r.Outcome == capture.Absent:
		switch {
		case announced != "":
			x.Set(&t.State, "tpm.state", "announced", "ACPI table "+announced)
		case x.Tables.Info.TPM:
			x.Set(&t.State, "tpm.state", "announced", "SMBIOS type 43")
		default:
			x.Set(&t.State, "tpm.state", "not-seen", TBS)
		}
	default:
		if code := uint32(r.Errno); code == tbsNotRunning || code == tbsSwitchedOff {
			r.Detail = "the system's TPM base services do not run, so nothing tells whether there is a TPM"
		}
		x.Why("tpm.state", r, "this system has no TPM base services")
		x.Why("tpm.version", r, "this system has no TPM base services")
		return
	}
	x.D.AddGap("tpm.version", inventory.NotOffered, "no TPM is seen that could tell", "")
}

func (x *decoder) kindOfTable(a tpm.Announced) {
	if a.Firmware {
		x.Set(&x.D.TPM.Kind, "tpm.kind", "firmware", "start method in the ACPI table")
	}
}

// tpmThere decodes TPM_DEVICE_INFO: structure version, TPM version, interface
// type, revision.
func (x *decoder) tpmThere(b []byte) {
	t := &x.D.TPM
	version, iface := binary.LittleEndian.Uint32(b[4:]), binary.LittleEndian.Uint32(b[8:])
	info, asked, err := tpm.Info{}, x.C.Get(Ask2), error(nil)
	state := "ready"
	switch version {
	case 1:
		x.Set(&t.Version, "tpm.version", "1.2", TBS)
		asked = x.C.Get(Ask12)
		info, err = tpm.Reply12(asked.Raw)
	case 2:
		x.Set(&t.Version, "tpm.version", "2.0", TBS)
		info, err = tpm.Reply2(asked.Raw)
	default:
		x.D.AddGap("tpm.version", inventory.ReadFailed, fmt.Sprintf("it says %d, which nobody knows", version), "")
	}
	if asked.Outcome == capture.OK && err != nil {
		asked.Outcome, asked.Detail = capture.Failed, err.Error()
	}
	if info.Failed {
		state = "not-ready"
	}
	x.Set(&t.State, "tpm.state", state, TBS)
	x.TPMAnswered(info, asked)
	if kind := map[uint32]string{2: "firmware", 4: "virtual", 5: "discrete"}[iface]; kind != "" {
		x.Set(&t.Kind, "tpm.kind", kind, TBS)
	}
}

package windows

import (
	"encoding/binary"
	"fmt"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/efi"
	"rolltop.example/rolltop/core/decode/tpm"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
)

func (x *decoder) firmware() {
	in := &x.Tables.Info
	x.identity(fact.FirmwareVendor, in.Firmware.Vendor, "BIOSVendor")
	x.identity(fact.FirmwareVersion, in.Firmware.Version, "BIOSVersion")
	x.identity(fact.FirmwareDate, in.Firmware.Date, "")
	if !x.Set(fact.FirmwarePassword, in.Password, "SMBIOS type 24") {
		x.WhyNot(fact.FirmwarePassword, x.Tables.Record, x.Tables.Missing())
	}
	mode, from := x.bootMode()
	switch mode {
	case "uefi":
		x.Set(fact.BootMode, mode, from)
		x.SetBool(fact.UEFICapable, true, from)
		x.secureBoot()
		// This system starts only on firmware of its own word size.
		switch x.D.OS.Architecture.Or("") {
		case "x86":
			x.SetNumber(fact.UEFIBits, 32, "a 32-bit system was started by it")
		case "x86-64", "arm64":
			x.SetNumber(fact.UEFIBits, 64, "a 64-bit system was started by it")
		}
		return
	case "legacy":
		x.Set(fact.BootMode, mode, from)
		x.Set(fact.SecureBoot, "inactive", "it started in legacy mode")
		x.Gap(fact.SecureBootCapable, inventory.NotOffered,
			"it started in legacy mode, in which the firmware does not report it",
			"Look in the firmware set-up, or start in UEFI mode and take the inventory again.")
	default:
		for _, name := range []string{"firmware.boot_mode", "firmware.secure_boot", "firmware.secure_boot_capable"} {
			x.D.AddGap(name, inventory.NotOffered, "the system does not report how it started", "")
		}
	}
	if in.Firmware.UEFI {
		x.SetBool(fact.UEFICapable, true, "SMBIOS type 0")
	} else {
		x.WhyNot(fact.UEFICapable, x.Tables.Record,
			"the firmware does not say that it can do UEFI, which does not mean that it cannot")
	}
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
		x.SetBool(fact.SecureBootCapable, b[1] == 1 || b[0] == 1, SecureBoot)
	}
	variable := x.C.Get(Variable("SecureBoot"))
	state, err := efi.Byte(variable.Raw)
	if variable.Outcome == capture.OK && err == nil {
		all = append(all, said{state == 1, Variable("SecureBoot")})
	}
	if len(all) > 0 && fw.SecureBootCapable.IsZero() {
		x.SetBool(fact.SecureBootCapable, true, all[0].from+", which is there")
	}
	if len(all) == 0 {
		if x.C.Get(View64.Subkeys(KeySecureBoot)).Outcome == capture.Absent {
			x.SetBool(fact.SecureBootCapable, false,
				`HKLM\`+KeySecureBoot+", which is not there")
			x.Set(fact.SecureBoot, "off", `HKLM\`+KeySecureBoot+", which is not there")
			return
		}
		x.WhyNot(fact.SecureBoot, capable, "the system does not report it")
		x.WhyNot(fact.SecureBootCapable, capable, "the system does not report it")
		return
	}
	word := func(on bool) string {
		if on {
			return "on"
		}
		return "off"
	}
	for _, s := range all[1:] {
		if s.on != all[0].on {
			x.Disagree("firmware.secure_boot", inventory.Differ{Value: word(all[0].on), Source: all[0].from},
				inventory.Differ{Value: word(s.on), Source: s.from})
			return
		}
	}
	result, from := word(all[0].on), all[0].from
	if mode, err := efi.Byte(x.C.Get(Variable("SetupMode")).Raw); err == nil && !all[0].on && mode == 1 {
		result, from = "setup", Variable("SetupMode")
	}
	x.Set(fact.SecureBoot, result, from)
}

// What the TPM base services answer when they have no TPM.
const (
	tbsNotFound    = 0x8028400F
	tbsDeactivated = 0x80284016
	tbsNotRunning  = 0x80284008
	tbsSwitchedOff = 0x80284010
)

func (x *decoder) tpm() {
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
		x.decodeTPM(r.Raw)
		return
	case uint32(r.Errno) == tbsDeactivated:
		x.Set(fact.TPMState, "off", TBS)
		x.Gap(fact.TPMVersion, inventory.NotOffered, "the TPM is switched off, and does not tell", "")
	case uint32(r.Errno) == tbsNotFound || r.Outcome == capture.Absent:
		switch {
		case announced != "":
			x.Set(fact.TPMState, "announced", "ACPI table "+announced)
		case x.Tables.Info.TPM:
			x.Set(fact.TPMState, "announced", "SMBIOS type 43")
		default:
			x.Set(fact.TPMState, "not-seen", TBS)
		}
	default:
		if code := uint32(r.Errno); code == tbsNotRunning || code == tbsSwitchedOff {
			r.Detail = "the system's TPM base services do not run, so nothing tells whether there is a TPM"
		}
		x.WhyNot(fact.TPMState, r, "this system has no TPM base services")
		x.WhyNot(fact.TPMVersion, r, "this system has no TPM base services")
		return
	}
}

func (x *decoder) kindOfTable(a tpm.Announced) {
	if a.Firmware {
		x.Set(fact.TPMKind, "firmware", "start method in the ACPI table")
	}
}

// decodeTPM decodes TPM_DEVICE_INFO: structure version, TPM version, interface
// type, revision.
func (x *decoder) decodeTPM(b []byte) {
	version, iface := binary.LittleEndian.Uint32(b[4:]), binary.LittleEndian.Uint32(b[8:])
	info, asked, err := tpm.Info{}, x.C.Get(Ask2), error(nil)
	state, flags := "ready", capture.Record{}
	switch version {
	case 1:
		x.Set(fact.TPMVersion, "1.2", TBS)
		asked = x.C.Get(Ask12)
		info, err = tpm.Reply12(asked.Raw)
		state, flags = stateBefore2(x)
	case 2:
		x.Set(fact.TPMVersion, "2.0", TBS)
		x.OnlyBefore2()
		info, err = tpm.Reply2(asked.Raw)
	default:
		x.Gap(fact.TPMVersion, inventory.ReadFailed, fmt.Sprintf("it says %d, which is unknown", version), "")
	}
	if asked.Outcome == capture.OK && err != nil {
		asked.Outcome, asked.Detail = capture.Failed, err.Error()
	}
	if info.Failed {
		state = "not-ready"
	}
	switch {
	case asked.Outcome == capture.Failed: // a TPM that does not answer is not known to work
		x.WhyNot(fact.TPMState, asked, "")
	case state == "":
		x.WhyNot(fact.TPMState, flags, notAskedFlags)
	default:
		x.Set(fact.TPMState, state, TBS)
	}
	x.TPMAnswered(info, asked)
	if kind := map[uint32]string{2: "firmware", 4: "virtual", 5: "discrete"}[iface]; kind != "" {
		x.Set(fact.TPMKind, kind, TBS)
	}
}

const notAskedFlags = "this TPM was not asked whether it is enabled and activated"

// stateBefore2 is the state of a TPM 1.2 by its permanent flags, and what came of asking for them. Without them, it is
// unknown.
func stateBefore2(x *decoder) (string, capture.Record) {
	r := x.C.Get(Flags12)
	enabled, activated, err := tpm.ReplyFlags12(r.Raw)
	if err != nil {
		if r.Outcome == capture.OK {
			r.Outcome, r.Detail = capture.Failed, err.Error()
		}
		x.WhyNot(fact.TPMEnabled, r, notAskedFlags)
		x.WhyNot(fact.TPMActivated, r, notAskedFlags)
		return "", r
	}
	x.SetBool(fact.TPMEnabled, enabled, Flags12)
	x.SetBool(fact.TPMActivated, activated, Flags12)
	if enabled && activated {
		return "ready", r
	}
	return "off", r
}

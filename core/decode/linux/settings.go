package linux

import (
	"path"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/build"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
)

const (
	// SettingsClass is where the kernel shows interfaces to settings of the firmware
	// (ABI/testing/sysfs-class-firmware-attributes).
	SettingsClass = "/sys/class/firmware-attributes"
	// Protectors is how the source begins of the kinds of what unlocks an encrypted device; its path follows.
	Protectors = "protectors:"
	// EncryptedLayer is how the identifier begins of a mapped device that decrypts another one.
	EncryptedLayer = "CRYPT-LUKS"
)

// settings decodes the interface to the firmware's settings.
type settings struct{ *decoder }

// read is what the interface to the firmware's settings offers, and what it says of them.
func (x settings) read() {
	class := x.C.Get(SettingsClass + "/")
	if names, ok := x.List(SettingsClass); ok && len(names) > 0 {
		x.of(names[0])
		return
	}
	const detail = "this kernel shows no interface to the settings of the firmware; one may exist that it does not know"
	for _, id := range []fact.ID{fact.SettingsInterface, fact.SettingsOffered} {
		if class.Outcome == capture.Denied || class.Outcome == capture.Failed {
			x.WhyNot(id, class, detail)
			continue
		}
		x.Gap(id, inventory.NotOffered, detail, "")
	}
}

func (x settings) of(name string) {
	dir := SettingsClass + "/" + name
	x.Set(fact.SettingsInterface, name, dir)
	if r := x.C.Get(dir + "/attributes/"); r.Outcome != capture.OK {
		x.WhyNot(fact.SettingsOffered, r, "the interface shows no settings")
		return
	}
	var list []build.Setting
	var looked []string
	for _, setting := range x.Lines(dir + "/attributes/") {
		at := dir + "/attributes/" + setting
		looked = append(looked, at+"/type", at+"/possible_values")
		kind, _ := x.Text(at + "/type")
		values, _ := x.Text(at + "/possible_values")
		current, _ := x.Text(at + "/current_value")
		list = append(list, build.Setting{
			Name: setting, From: at + "/current_value", Current: current,
			Several: kind == "enumeration" && strings.Contains(values, ";"),
		})
	}
	x.Settings(dir+"/attributes", list)
	x.NotWhole(looked, fact.SettingsOffered)
	x.firmwarePassword(dir)
}

// firmwarePassword is whether one is needed to change settings, where the tables do not tell.
func (x settings) firmwarePassword(dir string) {
	if !x.D.Firmware.Password.IsZero() {
		return
	}
	for _, who := range x.Lines(dir + "/authentication/") {
		at := dir + "/authentication/" + who
		role, _ := x.Text(at + "/role")
		set, ok := x.Text(at + "/is_enabled")
		if role != "bios-admin" || !ok || set != "0" && set != "1" {
			continue
		}
		x.D.DropGaps(fact.FirmwarePassword.String())
		x.Set(fact.FirmwarePassword, map[string]string{"0": "not-set", "1": "set"}[set], at+"/is_enabled")
		return
	}
}

// protectors are the kinds of what unlocks the root volume, by the header of the device below the layer that decrypts
// it.
func (x *decoder) protectors(layer string) {
	slaves, _ := x.List(bySys + layer + "/slaves")
	if len(slaves) != 1 {
		return
	}
	source := Protectors + "/dev/" + slaves[0]
	rec := x.C.Get(source)
	if rec.Outcome != capture.OK {
		x.WhyNot(fact.KeyProtectors, rec, "the header of the encrypted volume was not read")
		x.WhyNot(fact.EncryptionTPMBound, rec, "the header of the encrypted volume was not read")
		return
	}
	found := []string{}
	for _, k := range inventory.Unlocks() {
		if slices.Contains(strings.Split(string(rec.Raw), "\n"), k) {
			found = append(found, k)
		}
	}
	from := "header of " + path.Base(source)
	x.D.Storage.System.Encryption.Protectors = found
	x.D.Said(fact.KeyProtectors.String(), from)
	if slices.Contains(found, inventory.ByTPM) || slices.Contains(found, inventory.ByTPMAndPIN) {
		x.SetBool(fact.EncryptionTPMBound, true, from)
		return
	}
	x.Gap(fact.EncryptionTPMBound, inventory.NotOffered,
		"the header names no TPM; some programs bind a volume to it without a note there", "")
}

package coretest

import (
	"math/rand/v2"

	"rolltop.example/rolltop/core/inventory"
)

// PC is the inventory of a PC whose states are drawn at random.
func PC(r *rand.Rand) *inventory.Document {
	d := &inventory.Document{}
	word := func(into *inventory.Opt[string], words ...string) {
		if w := words[r.IntN(len(words))]; w != "" {
			*into = inventory.Some(w)
		}
	}
	number := func(into *inventory.Opt[int64], values ...int64) {
		if v := values[r.IntN(len(values))]; v >= 0 {
			*into = inventory.Some(v)
		}
	}
	truth := func(into *inventory.Opt[bool], likely bool) {
		switch n := r.IntN(6); {
		case n == 0: // not known
		case n == 1:
			*into = inventory.Some(!likely)
		default:
			*into = inventory.Some(likely)
		}
	}
	word(&d.Device.Form, "desktop", "desktop", "laptop", "")
	word(&d.Device.Environment, "hardware", "hardware", "hardware", "hardware", "guest")
	word(&d.OS.Platform, "windows", "windows", "windows", "linux")
	word(&d.OS.Version, "11.2", "11.2", "11.6", "10.4", "10.8", "")
	word(&d.OS.Edition, "Office", "Office", "Home", "Pier")
	word(&d.OS.Account, "directory", "local", "vendor")
	word(&d.OS.Licence, "valid", "valid", "valid", "invalid", "")
	word(&d.OS.HeldAt, "", "", "Skerry 11")
	truth(&d.OS.PendingRestart, false)
	word(&d.OS.Architecture, "x86-64", "x86-64", "x86-64", "x86-64", "x86")
	d.Processor.Architecture = inventory.Some("x86-64")
	word(&d.Processor.Name, "Corvane K5-9400", "Corvane K5-9400", "Corvane K5-8500T", "Corvane K5-8250U",
		"Corvane sample", "Corvane K5-7300U")
	d.Processor.RatedMHz = inventory.Some[int64](2900)
	number(&d.Processor.Cores, 6, 6, 6, 6, 2)
	d.Processor.Features = []string{"cmpxchg16b", "sse4.2", "avx2"}[:2+min(1, r.IntN(5))]
	number(&d.Memory.Installed, 4<<30, 8<<30, 16<<30, -1)
	number(&d.Memory.Slots, 2, 2, -1)
	number(&d.Memory.SlotsUsed, 1, 2)
	number(&d.Memory.Max, 4<<30, 64<<30, 64<<30, -1)
	if n := r.IntN(4); n > 0 {
		d.Memory.Modules = []inventory.Module{{Soldered: inventory.Some(n == 1)}}
	}
	number(&d.Storage.System.DiskBytes, 64e9, 256e9, 256e9)
	number(&d.Storage.System.FreeBytes, 9e9, 9e9, 90e9, 90e9)
	disk := inventory.Disk{System: inventory.Some(true)}
	word(&disk.Kind, "ssd", "ssd", "ssd", "hdd", "emmc", "other", "")
	word(&disk.Health, "good", "good", "good", "bad", "")
	d.Storage.Disks = []inventory.Disk{disk}
	word(&d.Storage.System.PartitionStyle, "gpt", "mbr")
	d.Storage.Boot.PartitionStyle = d.Storage.System.PartitionStyle
	if r.IntN(6) == 0 { // another disk
		word(&d.Storage.Boot.PartitionStyle, "gpt", "mbr")
	}
	word(&d.Storage.System.Encryption.State, "on", "off", "paused", "")
	word(&d.Storage.System.Encryption.Kind, "platform", "platform", "luks", "other", "")
	truth(&d.Storage.Boot.Dynamic, false)
	truth(&d.Storage.Boot.ESP.Loader, true)
	for range r.IntN(5) {
		p := inventory.Partition{}
		word(&p.Kind, "primary", "primary", "primary", "primary", "primary", "extended", "logical")
		d.Storage.Boot.Partitions = append(d.Storage.Boot.Partitions, p)
	}
	if r.IntN(3) == 0 {
		d.Storage.OtherSystems = []string{"Lodestar Linux"}
	} else if r.IntN(2) == 0 {
		d.Storage.OtherSystems = []string{}
	}
	word(&d.Firmware.BootMode, "uefi", "legacy")
	word(&d.Firmware.Password, "set", "not-set", "")
	truth(&d.Firmware.UEFICapable, true)
	truth(&d.Firmware.LegacySupport, false)
	if d.Firmware.BootMode.Or("") == "legacy" {
		d.Firmware.SecureBoot = inventory.Some("inactive")
		if r.IntN(3) == 0 { // as somebody entered it
			d.Firmware.SecureBootCapable = inventory.Some(true)
		}
	} else {
		word(&d.Firmware.SecureBoot, "on", "off", "setup")
		truth(&d.Firmware.SecureBootCapable, true)
	}
	word(&d.TPM.State, "ready", "off", "not-seen", "not-ready", "")
	if s := d.TPM.State.Or(""); s == "ready" || s == "not-ready" {
		word(&d.TPM.Version, "2.0", "2.0", "1.2")
	}
	if d.TPM.State.IsZero() && r.IntN(2) == 0 {
		d.AddGap("tpm", inventory.NeedsRights, "", "")
	}
	truth(&d.TPM.Header, true)
	truth(&d.TPM.Changeable, true)
	for _, title := range []string{"Tidebook", "Counterfoil", "Lampwright", "Hawser VPN", "Kedge"} {
		if r.IntN(6) == 0 {
			d.Software = append(d.Software, inventory.Software{Name: title, Version: inventory.Some("1.0")})
		}
	}
	for _, machine := range []string{"Plover scanner", "Plover plotter", "Plover till", "Plover gate"} {
		if r.IntN(6) == 0 {
			d.Drivers = append(d.Drivers, inventory.Driver{Device: machine, Version: inventory.Some("1.0")})
		}
	}
	if r.IntN(8) > 0 {
		d.Software, d.Drivers = append([]inventory.Software{}, d.Software...),
			append([]inventory.Driver{}, d.Drivers...)
	}
	card := inventory.Adapter{}
	word(&card.DriverModel, "2.7", "2.7", "1.3")
	word(&card.InterfaceLevel, "12", "12", "12", "11")
	truth(&card.AddIn, false)
	d.Graphics = []inventory.Adapter{card}
	switch r.IntN(8) {
	case 0:
		d.Graphics = nil
	case 1:
		d.Graphics = []inventory.Adapter{}
	}
	if r.IntN(8) == 0 {
		d.Displays = []inventory.Display{}
	}
	for range r.IntN(3) {
		x := inventory.Display{}
		number(&x.WidthPx, 1024, 1920)
		number(&x.HeightPx, 600, 1080)
		number(&x.BitsPerChannel, 6, 8)
		x.DiagonalInches = inventory.Some([]float64{7, 14}[r.IntN(2)])
		d.Displays = append(d.Displays, x)
	}
	word(&d.OS.Language, "en", "en", "fr")
	for _, name := range []string{
		"tpm.state", "firmware.secure_boot", "memory.installed_bytes", "storage.system.disk_bytes", "os.licence",
		"os.edition",
	} {
		if r.IntN(3) == 0 { // where the fact is there, the gap counts for nothing
			d.AddGap(name, []string{
				inventory.NeedsRights, inventory.NotOffered, inventory.ReadFailed, inventory.NotAsked,
			}[r.IntN(4)], "", "")
		}
	}
	if r.IntN(8) == 0 {
		d.TPM.State = inventory.Opt[string]{}
		d.Gaps = append(d.Gaps, inventory.Gap{
			Fact:     "tpm.state",
			Cause:    inventory.Disagree,
			Readings: []inventory.Differ{{Value: "ready", Source: "a"}, {Value: "off", Source: "b"}},
		})
		if len(d.Displays) > 0 { // one of the two is the TPM's own
			d.TPM.Attestation = inventory.Some("contradicted")
		}
	}
	return d
}

// Mac is the inventory of a Mac whose states are drawn at random.
func Mac(r *rand.Rand) *inventory.Document {
	d := &inventory.Document{}
	pick := func(words ...string) inventory.Opt[string] {
		if w := words[r.IntN(len(words))]; w != "" {
			return inventory.Some(w)
		}
		return inventory.Opt[string]{}
	}
	d.OS.Platform, d.OS.Name, d.OS.Version = inventory.Some("macos"), inventory.Some("Fathom 8"),
		pick("8.4", "6.1", "5.0", "")
	d.Device.Class, d.Device.Form, d.Device.ModelID = inventory.Some("mac"), pick("laptop", "desktop"),
		pick("Foldbook9,1", "Foldbook4,1", "")
	d.Memory.Installed = inventory.Some([]int64{4 << 30, 16 << 30}[r.IntN(2)])
	d.Storage.Disks = []inventory.Disk{{
		Kind:   pick("ssd", ""),
		System: inventory.Some(true),
		Health: pick("good", "good", "bad"),
	}}
	d.Storage.System.DiskBytes = inventory.Some(int64(251e9))
	d.Storage.System.FreeBytes = inventory.Some([]int64{3e9, 90e9}[r.IntN(2)])
	d.Storage.System.Encryption.State = pick("on", "off", "")
	d.Firmware.SecureBoot = pick("full", "reduced", "permissive")
	if r.IntN(2) == 0 {
		d.Storage.OtherSystems = []string{}
	}
	return d
}

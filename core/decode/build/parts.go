package build

import (
	"slices"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/cpu"
	"rolltop.example/rolltop/core/decode/edid"
	"rolltop.example/rolltop/core/decode/health"
	"rolltop.example/rolltop/core/decode/partition"
	"rolltop.example/rolltop/core/decode/tpm"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
)

// Processor keeps what a processor says of itself.
func (x *Draft) Processor(info cpu.Info, source string) {
	p := &x.D.Processor
	x.Set(fact.ProcessorVendor, info.Vendor, source)
	x.Set(fact.ProcessorName, info.Name, source)
	if info.Known {
		x.SetNumber(fact.ProcessorFamily, info.Family, source)
		x.SetNumber(fact.ProcessorModel, info.Model, source)
		x.SetNumber(fact.ProcessorStepping, info.Stepping, source)
	}
	if len(info.Features) > 0 {
		p.Features = info.Features
		x.D.Said("processor.features", source)
	}
}

// TwinCores says that what systems report as a core with two threads is a module of two integer cores, which share a
// unit for floating point: so it is in family 15h of one maker. Cores are integer cores, whoever makes them.
func (x *Draft) TwinCores() bool {
	p := &x.D.Processor
	return p.Vendor.Or("") == "AuthenticAMD" && p.Family.Or(0) == 0x15
}

// Partitions keeps the entries of the boot disk's table.
func (x *Draft) Partitions(t partition.Table) {
	const most = 1 << 60
	for _, p := range t.Parts {
		q := inventory.Partition{
			Index:      Some(int64(p.Index)),
			Type:       Some(p.Type),
			StartBytes: Some(int64(min(p.Start, most))),
			Bytes:      Some(int64(min(p.Bytes, most))),
		}
		q.Kind = Known(p.Kind)
		x.D.Storage.Boot.Partitions = append(x.D.Storage.Boot.Partitions, q)
		if p.Type == partition.ESP && x.D.Storage.Boot.ESP.Bytes.IsZero() {
			x.D.Storage.Boot.ESP.Bytes = q.Bytes
		}
	}
	if t.Cut {
		x.D.AddGap("storage.boot.partitions", inventory.ReadFailed, "the table is longer than what was read of it", "")
	}
}

// Media says whether the boot disk can be taken out, where the disk says it.
func (x *Draft) Media(d *inventory.Disk, source string) {
	if removable, ok := d.Removable.Get(); ok {
		media := "internal"
		if removable {
			media = "removable"
		}
		x.Set(fact.BootMedia, media, source)
	}
}

// Display completes a display with what it says of itself, and keeps it.
func (x *Draft) Display(d inventory.Display, r capture.Record) {
	in, err := edid.Decode(r.Raw)
	if err != nil {
		x.unread++
		x.D.AddGap("displays["+strconv.Itoa(len(x.D.Displays))+"]", inventory.ReadFailed, err.Error(), "")
		x.D.Displays = append(x.D.Displays, d)
		return
	}
	if in.Tile.Screen != "" && x.sameScreen(in.Tile) {
		return
	}
	if in.Name != "" {
		d.Name = Some(in.Name)
	}
	if in.Width > 0 && in.Height > 0 {
		d.WidthPx, d.HeightPx = Some(in.Width), Some(in.Height)
	}
	if in.DiagonalInches > 0 {
		d.DiagonalInches = Some(in.DiagonalInches)
	}
	if in.BitsPerChannel > 0 {
		d.BitsPerChannel = Some(in.BitsPerChannel)
	}
	x.KeepDisplay(d, "the display's description does not tell it")
}

// DisplaysListed ends a list of displays. One that does not describe itself may be a part of another one.
func (x *Draft) DisplaysListed() {
	if x.unread > 0 && len(x.D.Displays) > 1 {
		x.D.AddGap("displays", inventory.ReadFailed,
			"a display that does not describe itself may be a part of another one",
			"Count the displays, and enter displays by hand.")
	}
}

// KeepDisplay keeps a display. What is not known of it is a gap, for the reason of detail.
func (x *Draft) KeepDisplay(d inventory.Display, detail string) {
	place := "displays[" + strconv.Itoa(len(x.D.Displays)) + "]."
	for _, missing := range []struct {
		none bool
		name string
	}{
		{d.WidthPx.IsZero(), "width_px"}, {d.HeightPx.IsZero(), "height_px"},
		{d.DiagonalInches.IsZero(), "diagonal_inches"}, {d.BitsPerChannel.IsZero(), "bits_per_channel"},
	} {
		if missing.none {
			x.D.AddGap(place+missing.name, inventory.NotOffered, detail, "")
		}
	}
	x.D.Displays = append(x.D.Displays, d)
}

// sameScreen says that a tile belongs to a screen of which another tile was seen. A tile that was seen itself begins
// another screen of the same model.
func (x *Draft) sameScreen(t edid.Tile) bool {
	if x.tiles == nil {
		x.tiles = map[string][]edid.Tile{}
	}
	seen := x.tiles[t.Screen]
	if slices.Contains(seen, t) {
		seen = nil
	}
	x.tiles[t.Screen] = append(seen, t)
	return len(seen) > 0
}

// Healthy takes over what a drive says of itself.
func (x *Draft) Healthy(d *inventory.Disk, r *health.Report) {
	d.Health = Some("good")
	if r.Bad {
		d.Health = Some("bad")
	}
	if r.WearPercent >= 0 {
		d.WearPercent = Some(r.WearPercent)
	}
}

// NoHealth says why the health of the drive with the system is not known; rec is what came of asking it.
func (x *Draft) NoHealth(rec capture.Record, wrong error) {
	switch {
	case rec.Outcome == capture.OK && wrong != nil:
		x.Gap(fact.DiskHealth, inventory.ReadFailed, wrong.Error(), "")
	case rec.Outcome == capture.NotExposed && rec.Errno == 0:
		x.Gap(fact.DiskHealth, inventory.NotAsked, "the drive was not asked how it is: those behind USB, virtual "+
			"ones, and those of a directory tree are not", "")
	default:
		x.WhyNot(fact.DiskHealth, rec, "this drive, or what lies between, does not say how it is")
	}
}

// TPMAnswered keeps what a TPM said of itself when it was asked. In a guest it
// is the host's; elsewhere its maker hints at its kind.
func (x *Draft) TPMAnswered(in tpm.Info, asked capture.Record) {
	t := &x.D.TPM
	const otherwise = "this TPM's driver does not report it"
	if !x.Set(fact.TPMManufacturer, in.Manufacturer, asked.Source) {
		x.WhyNot(fact.TPMManufacturer, asked, otherwise)
	}
	if !x.Set(fact.TPMFirmware, in.Firmware, asked.Source) {
		x.WhyNot(fact.TPMFirmware, asked, otherwise)
	}
	switch kind := tpm.Kind(in.Manufacturer); {
	case !t.Kind.IsZero():
	case x.D.Device.Environment.Or("") == "guest":
		x.Set(fact.TPMKind, "virtual", "it belongs to a virtual machine")
	case kind != "":
		x.Set(fact.TPMKind, kind, "its maker")
	default:
		x.WhyNot(fact.TPMKind, asked, "its maker's letters do not tell")
	}
}

// OnlyBefore2 notes what a TPM of version 2.0 does not have: it is on or off, and knows neither enabled nor activated.
func (x *Draft) OnlyBefore2() {
	for _, id := range []fact.ID{fact.TPMEnabled, fact.TPMActivated} {
		x.None(id.String(), "only a TPM of version 1.2 has it")
	}
}

// VirtualDevice says that a PCI device is one that only virtual machines are known to have, by its vendor and its
// device in four hex digits each, in small letters: those of the virtio standard (Virtual I/O Device 1.2, section
// 4.1.2), and those of vendors that make no others.
func VirtualDevice(vendor, device string) bool {
	switch vendor {
	case "1af4":
		return len(device) == 4 && strings.HasPrefix(device, "10") && device[2] <= '7'
	case "1b36", "15ad", "80ee", "1ab8":
		return true
	}
	return slices.Contains([]string{"1234:1111", "1414:5353", "5853:0001"}, vendor+":"+device)
}

// Unseen settles what a machine is of which neither the processor nor the firmware says that it is virtual. A device as
// virtual machines have it is a sign that leaves it open; device names one, or is empty. sign says what is not there
// otherwise.
func (x *Draft) Unseen(device, sign string) {
	if device == "" {
		x.Set(fact.DeviceEnvironment, "hardware", sign)
		return
	}
	x.Gap(fact.DeviceEnvironment, inventory.NotOffered,
		"the processor shows no hypervisor, and "+device+" is a device as virtual machines have it",
		"")
}

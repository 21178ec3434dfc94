package windows

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/build"
	"rolltop.example/rolltop/core/decode/partition"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
)

// storage lists the disks and finds those below the system volume.
func (x *decoder) storage() {
	s := &x.D.Storage
	r := x.C.Get(Disks)
	if r.Outcome != capture.OK {
		x.Why("storage", r, "the system lists no disks")
		return
	}
	x.volume()
	ext := extents(x.C.Get(Extents).Raw)
	for _, e := range ext {
		if n := strconv.Itoa(int(e.disk)); !slices.Contains(x.systemDisks, n) {
			x.systemDisks = append(x.systemDisks, n)
		}
	}
	tables := map[string]partition.Table{}
	for _, n := range x.Lines(Disks) {
		d := x.disk(n)
		if l, err := layout(x.C.Get(Disk(n, Layout)).Raw); err == nil {
			tables[n] = l
			d.PartitionStyle = build.Some(l.Style)
			for _, p := range l.Parts {
				x.partitions = append(x.partitions, build.Partition{ID: p.ID, Type: p.Type})
			}
		}
		d.System = build.Some(len(x.systemDisks) == 1 && x.systemDisks[0] == n)
		s.Disks = append(s.Disks, d)
	}
	switch len(x.systemDisks) {
	case 1:
		x.systemDisk(x.systemDisks[0], tables)
	case 0:
		for _, n := range []string{
			"storage.system.disk_bytes", "storage.system.partition_style", "storage.system.kind",
		} {
			x.Why(n, x.C.Get(Extents), "the system does not report which disk its volume is on")
		}
	default:
		for _, n := range x.systemDisks {
			m := inventory.Member{Disk: build.Some("disk " + n)}
			if d := x.sized(n); d > 0 {
				m.Bytes = build.Some(d)
			}
			s.System.Members = append(s.System.Members, m)
		}
		for _, n := range []string{
			"storage.system.disk_bytes", "storage.system.partition_style", "storage.system.kind",
		} {
			x.D.AddGap(n, inventory.NotOffered,
				fmt.Sprintf("the system volume spans %d disks; their sizes are not summed", len(x.systemDisks)),
				"The drives are listed one by one under Storage.")
		}
	}
	x.systemHealth()
	x.bootDisk(tables)
	x.encryption()
}

func (x *decoder) volume() {
	fs, _ := x.Text(Filesystem)
	x.Set(fact.Filesystem, strings.ToLower(fs), Filesystem)
	b, ok := x.raw(Space, 24)
	if !ok {
		x.WhyNot(fact.VolumeBytes, x.C.Get(Space), "the system does not report the volume's size")
		x.WhyNot(fact.FreeBytes, x.C.Get(Space), "the system does not report the volume's free space")
		return
	}
	// The second and third number: the first is less where a quota holds for the
	// person who runs this.
	size, free := binary.LittleEndian.Uint64(b[8:]), binary.LittleEndian.Uint64(b[16:])
	if size == 0 || size > 1<<60 || free > size {
		x.Gap(fact.VolumeBytes, inventory.ReadFailed, "the size of the volume is out of range", "")
		x.Gap(fact.FreeBytes, inventory.ReadFailed, "the size of the volume is out of range", "")
		return
	}
	x.SetNumber(fact.VolumeBytes, int64(size), Space)
	x.SetNumber(fact.FreeBytes, int64(free), Space)
}

// sized is a disk's size in bytes, or 0.
func (x *decoder) sized(n string) int64 {
	if b, ok := x.raw(Disk(n, Geometry), 32); ok {
		if v := binary.LittleEndian.Uint64(b[24:]); v < 1<<60 {
			return int64(v)
		}
	}
	return 0
}

// buses as STORAGE_BUS_TYPE numbers them, and the kind of drive where the bus
// alone decides it.
var buses = map[uint32][2]string{
	1:    {"scsi", ""},
	2:    {"atapi", "other"},
	3:    {"ata", ""},
	7:    {"usb", ""},
	8:    {"raid", ""},
	9:    {"iscsi", "other"},
	0xA:  {"sas", ""},
	0xB:  {"sata", ""},
	0xC:  {"sd", "emmc"},
	0xD:  {"mmc", "emmc"},
	0xE:  {"virtual", "virtual"},
	0xF:  {"file", "virtual"},
	0x10: {"storage space", ""},
	0x11: {"nvme", "ssd"},
	0x13: {"ufs", "emmc"},
}

func (x *decoder) disk(n string) inventory.Disk {
	d := inventory.Disk{Name: build.Some("disk " + n)}
	if size := x.sized(n); size > 0 {
		d.Bytes = build.Some(size)
	}
	kind := ""
	b, described := x.raw(Disk(n, Descriptor), descriptorLeast)
	if described {
		if model := strings.TrimSpace(asciiAt(b, 12) + " " + asciiAt(b, 16)); model != "" {
			d.Model = build.Some(strings.Join(strings.Fields(model), " "))
		}
		bus := buses[binary.LittleEndian.Uint32(b[descriptorBus:])]
		d.Bus, kind = build.Known(bus[0]), bus[1]
		d.Removable = build.Some(b[10] != 0 || bus[0] == "usb")
	}
	if b, ok := x.raw(Disk(n, Seek), 9); ok && described && kind == "" { // flash on other buses does not seek either
		kind = map[byte]string{0: "ssd", 1: "hdd"}[b[8]]
	}
	if kind != "virtual" && x.D.Device.Environment.Or("") == "guest" && kind != "" {
		kind = "virtual" // what a host says of a guest's drive is the host's choice
	}
	d.Kind = build.Known(kind)
	if r, _, err := x.healthOf(n); err == nil {
		x.Healthy(&d, r)
	}
	return d
}

// asciiAt reads the text whose offset stands at a place of the header.
func asciiAt(b []byte, place int) string {
	at := binary.LittleEndian.Uint32(b[place:])
	if at < descriptorLeast || uint64(at) >= uint64(len(b)) {
		return ""
	}
	s, _, _ := bytes.Cut(b[at:], []byte{0})
	return strings.TrimSpace(strings.Map(func(r rune) rune {
		if r < ' ' || r > '~' {
			return -1
		}
		return r
	}, string(s)))
}

func (x *decoder) systemDisk(n string, tables map[string]partition.Table) {
	if size := x.sized(n); size > 0 {
		x.SetNumber(fact.DiskBytes, size, Geometry)
	} else {
		x.WhyNot(fact.DiskBytes, x.C.Get(Disk(n, Geometry)), "the disk does not report its size")
	}
	if d := x.D.SystemDrive(); d == nil || d.Kind.IsZero() {
		x.Gap(fact.DiskKind, inventory.NotOffered, "the drive does not report its kind", "")
	}
	if t, ok := tables[n]; ok {
		x.Set(fact.DiskStyle, t.Style, Layout)
	} else {
		x.WhyNot(fact.DiskStyle, x.C.Get(Disk(n, Layout)),
			"the system does not report the partition style")
	}
}

// Types of partitions that decide something.
const (
	dynamicMeta = "5808c8aa-7e8f-42e0-85d2-e1e90434cfb3"
	dynamicData = "af9b60a0-1431-4f62-bc68-3311714a69ad"
)

// bootDisk is the one disk that can have started this machine: with an EFI
// system partition, or with an active partition, the system's own disk first.
func (x *decoder) bootDisk(tables map[string]partition.Table) {
	starts := func(t partition.Table) bool {
		return slices.ContainsFunc(t.Parts,
			func(p partition.Part) bool { return p.Type == partition.ESP || p.Type == "ef" || p.Active })
	}
	var can []string
	for _, n := range x.Lines(Disks) {
		if t, ok := tables[n]; ok && starts(t) {
			can = append(can, n)
		}
	}
	own := slices.IndexFunc(can, func(n string) bool { return slices.Contains(x.systemDisks, n) })
	n := ""
	switch {
	case own >= 0:
		n = can[own]
	case len(can) == 1:
		n = can[0]
	default:
		x.D.AddGap("storage.boot", inventory.NotOffered,
			fmt.Sprintf("%d disks have a partition that can start a machine, and none is the system's", len(can)), "")
		return
	}
	t := tables[n]
	x.Set(fact.BootDisk, "disk "+n, Layout)
	x.Set(fact.BootStyle, t.Style, Layout)
	dynamic := false
	for _, p := range t.Parts {
		dynamic = dynamic || p.Type == dynamicMeta || p.Type == dynamicData || p.Type == "42"
	}
	x.SetBool(fact.BootDynamic, dynamic, Layout)
	x.Partitions(t)
	for i := range x.D.Storage.Disks {
		if d := &x.D.Storage.Disks[i]; d.Name.Or("") == "disk "+n {
			x.Media(d, Descriptor)
		}
	}
	x.esp(t)
}

// esp: whether the EFI system partition has room, and a loader of this system.
func (x *decoder) esp(t partition.Table) {
	has := slices.ContainsFunc(t.Parts, func(p partition.Part) bool { return p.Type == partition.ESP })
	if !has {
		x.None("storage.boot.esp", "the boot disk has no EFI system partition")
		return
	}
	if b, ok := x.raw(ESPSpace, 24); ok {
		if size, free := binary.LittleEndian.Uint64(b[8:]),
			binary.LittleEndian.Uint64(b[16:]); free <= size && size < 1<<50 {
			x.D.Storage.Boot.ESP.FreeBytes = build.Some(int64(free))
		}
	}
	switch r := x.C.Get(ESPLoader); r.Outcome {
	case capture.OK:
		x.SetBool(fact.ESPLoader, true, ESPLoader)
	case capture.Absent:
		x.SetBool(fact.ESPLoader, false, ESPLoader)
	default:
		x.WhyNot(fact.ESPLoader, r, "the system does not open its EFI system partition")
	}
}

// encryption: the system tells administrators how far the volume is encrypted. It also notes when the volume was
// protected at start, which anyone may read. The first sector says the rest.
func (x *decoder) encryption() {
	head, volume := x.C.Get(VolumeHead), readEncryptable(x.C.Get(Volume))
	if volume.state(x) {
		volume.unlocks(x)
		return
	}
	if n, ok := x.keyNumber(KeyEncryption, "BootStatus"); ok && n == 1 {
		const atStart = `HKLM\` + KeyEncryption + ", at the last start"
		x.Set(fact.EncryptionState, "on", atStart)
		x.Set(fact.EncryptionKind, "platform", atStart)
		volume.unlocks(x)
		return
	}
	if head.Outcome == capture.OK && len(head.Raw) >= 512 {
		if string(head.Raw[3:11]) == "-FVE-FS-" {
			// With a key in the clear, the sector looks the same.
			x.RefusedOr(fact.EncryptionState,
				"the volume is encrypted, and nothing tells whether its protection is paused", Volume)
			x.Set(fact.EncryptionKind, "platform", VolumeHead)
			volume.unlocks(x)
			return
		}
		if string(head.Raw[3:7]) == "NTFS" {
			x.Set(fact.EncryptionState, "off", VolumeHead)
			x.None(fact.EncryptionKind.String(), "the volume is not encrypted")
			x.None(fact.KeyProtectors.String(), "the volume is not encrypted")
			return
		}
	}
	x.Why("storage.system.encryption", head, "nothing tells whether the volume is encrypted")
}

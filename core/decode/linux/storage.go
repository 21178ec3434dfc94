package linux

import (
	"fmt"
	"path"
	"slices"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/build"
	"rolltop.example/rolltop/core/decode/partition"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
)

const bySys = "/sys/block/"

// storage lists the drives and follows the root volume down to its disk.
func (x *decoder) storage() {
	s := &x.D.Storage
	names, ok := x.List("/sys/block")
	if !ok {
		x.Why("storage", x.C.Get("/sys/block/"), "this system lists no drives")
		return
	}
	root := x.mounted(func(at string) bool { return at == "/" })
	x.volume(root)
	disks := x.physical(x.members(root))
	var unread []string
	for _, name := range names {
		unread = append(unread, "link:"+bySys+name, bySys+name+"/size")
		if x.isDrive(name) {
			d := x.drive(name)
			if len(disks) > 0 { // otherwise each may be the one
				d.System = build.Some(len(disks) == 1 && disks[0] == name)
			}
			s.Disks = append(s.Disks, d)
		}
	}
	x.NotWhole(unread, fact.DriveCount)
	switch len(disks) {
	case 1:
		x.systemDisk(disks[0])
	case 0:
		const try = "Run the collector on the machine itself, from its installed system."
		for _, n := range []string{
			"storage.system.disk_bytes", "storage.system.partition_style", "storage.system.kind",
		} {
			x.D.AddGap(n, inventory.NotOffered, offDisk(root.kind), try)
		}
	default:
		for _, name := range disks {
			size, _ := x.Number(bySys + name + "/size")
			s.System.Members = append(s.System.Members,
				inventory.Member{
					Disk:  build.Some(name),
					Bytes: build.Some(size * 512),
					Role:  build.Some(x.role(root.device, 0)),
				})
		}
		for _, n := range []string{
			"storage.system.disk_bytes", "storage.system.partition_style", "storage.system.kind",
		} {
			x.D.AddGap(n, inventory.NotOffered,
				fmt.Sprintf("the system volume spans %d disks; their sizes are not summed", len(disks)),
				"The drives are listed one by one under Storage.")
		}
	}
	x.systemHealth(disks)
	x.bootDisk(disks)
	x.encryption(root)
}

// role is what several disks do for a volume: the combined device below it says.
func (x *decoder) role(name string, depth int) string {
	level, _ := x.Text(bySys + name + "/md/level")
	switch {
	case level == "raid1", level == "raid10":
		return "mirror"
	case level == "raid0":
		return "stripe"
	}
	below, _ := x.List(bySys + name + "/slaves")
	if len(below) == 1 && depth < 8 {
		return x.role(below[0], depth+1)
	}
	return "span"
}

// mount is a mounted file system.
type mount struct {
	at, kind string
	device   string // kernel name, as below /sys/block or /sys/class/block
}

// mounted is the last mount at a place that fits.
func (x *decoder) mounted(fits func(at string) bool) mount {
	var m mount
	for line := range strings.Lines(string(x.C.Get(mountInfo).Raw)) {
		left, right, ok := strings.Cut(line, " - ")
		f, g := strings.Fields(left), strings.Fields(right)
		if !ok || len(f) < 5 || len(g) < 2 || !fits(f[4]) {
			continue
		}
		m = mount{at: f[4], kind: g[0]}
		if t, ok := x.Text("link:/sys/dev/block/" + f[2]); ok {
			m.device = path.Base(t)
		} else if dev, isDev := strings.CutPrefix(g[1], "/dev/"); isDev && dev != "root" {
			m.device = x.kernelName(dev)
		}
	}
	return m
}

// kernelName is the kernel's name of a device that a mount names below /dev; "" where nothing tells it.
func (x *decoder) kernelName(dev string) string {
	mapped, is := strings.CutPrefix(dev, "mapper/")
	if !is {
		return path.Base(dev)
	}
	blocks, _ := x.List("/sys/block")
	for _, name := range blocks {
		if text, ok := x.Text(bySys + name + "/dm/name"); ok && text == mapped {
			return name
		}
	}
	return path.Base(dev) // an older capture
}

// members are the devices that a mounted file system spans.
func (x *decoder) members(m mount) []string {
	if all, ok := x.Text("members:" + m.at); ok && m.kind == "btrfs" {
		if list := strings.Fields(all); slices.Contains(list, m.device) {
			return list
		}
	}
	return []string{m.device}
}

// offDisk says why the drives of the root file system are not known.
func offDisk(kind string) string {
	switch kind {
	case "overlay":
		return "the root is an overlay, and what lies below it is not shown"
	case "zfs":
		return "the root is on a ZFS pool, and the kernel does not tell which drives the pool spans"
	case "":
		return "the table of mounts has no root file system"
	}
	return "nothing leads from the root file system (" + kind + ") to a drive of this machine"
}

func (x *decoder) volume(r mount) {
	x.Set(fact.Filesystem, r.kind, mountInfo)
	size, free, ok := x.space("statfs:/")
	if !ok {
		rec := x.C.Get("statfs:/")
		if rec.Outcome == capture.NotExposed && rec.Detail != "" { // of a tree that lies on another machine's disk
			const try = "Run the collector on the machine itself."
			x.Gap(fact.VolumeBytes, inventory.NotOffered, rec.Detail, try)
			x.Gap(fact.FreeBytes, inventory.NotOffered, rec.Detail, try)
			return
		}
		x.WhyNot(fact.VolumeBytes, rec, "the file system does not report its size")
		x.WhyNot(fact.FreeBytes, rec, "the file system does not report its free space")
		return
	}
	x.SetNumber(fact.VolumeBytes, size, "statfs /")
	x.SetNumber(fact.FreeBytes, free, "statfs /")
}

// space is a file system's size and what of it is free, in bytes.
func (x *decoder) space(source string) (size, free int64, ok bool) {
	var unit, blocks, left int64
	n, _ := fmt.Sscanf(string(x.C.Get(source).Raw), "unit=%d blocks=%d free=%d", &unit, &blocks, &left)
	const most = 1 << 60
	if n != 3 || unit <= 0 || blocks <= 0 || left < 0 || left > blocks || blocks > most/unit {
		return 0, 0, false
	}
	return unit * blocks, unit * left, true
}

// physical follows block devices down to the disks below them: a partition to
// its disk, a mapped or combined device to its members.
func (x *decoder) physical(names []string) []string {
	seen, out := map[string]bool{}, []string{}
	var down func(string, int)
	down = func(n string, depth int) {
		if n == "" || seen[n] || depth > 8 {
			return
		}
		seen[n] = true
		if slaves, _ := x.List(bySys + n + "/slaves"); len(slaves) > 0 {
			for _, s := range slaves {
				down(s, depth+1)
			}
			return
		}
		if x.isDrive(n) {
			if !contains(out, n) {
				out = append(out, n)
			}
			return
		}
		if t, ok := x.Text("link:/sys/class/block/" + n); ok {
			if parent := path.Base(path.Dir(t)); parent != "block" && parent != n {
				down(parent, depth+1)
			}
		}
	}
	for _, name := range names {
		down(name, 0)
	}
	return out
}

func contains(list []string, s string) bool {
	for _, x := range list {
		if x == s {
			return true
		}
	}
	return false
}

// isDrive: a disk with hardware, or a host, behind it.
func (x *decoder) isDrive(name string) bool {
	t, ok := x.Text("link:" + bySys + name)
	if !ok || strings.Contains(t, "/virtual/") || strings.Contains(name, "boot") && strings.HasPrefix(name, "mmcblk") {
		return false
	}
	if kind, _ := x.Text(bySys + name + "/device/type"); kind == "5" {
		return false // optical
	}
	size, ok := x.Number(bySys + name + "/size")
	return ok && size > 0
}

func (x *decoder) drive(name string) inventory.Disk {
	d := inventory.Disk{Name: build.Some(name)}
	dir := bySys + name + "/"
	if size, ok := x.Number(dir + "size"); ok && size > 0 && size < 1<<50 {
		d.Bytes = build.Some(size * 512) // always units of 512 bytes, whatever the sector size
	}
	if model, ok := x.Text(dir + "device/model"); ok && model != "" {
		d.Model = build.Some(strings.Join(strings.Fields(model), " "))
	}
	if t, _, ok := x.table(name); ok {
		d.PartitionStyle = build.Some(t.Style)
		if t.Style == partition.GPT {
			d.HybridMBR = build.Some(t.Hybrid)
		}
		for _, p := range t.Parts {
			x.partitions = append(x.partitions, build.Partition{ID: p.ID, Type: p.Type})
		}
	}
	if n, ok := x.Number(dir + "removable"); ok {
		d.Removable = build.Some(n == 1)
	}
	link, _ := x.Text("link:" + bySys + name)
	bus, kind := busOf(link, name)
	if bus != "" {
		d.Bus = build.Some(bus)
	}
	if card, _ := x.Text(dir + "device/type"); card == "SD" {
		kind = "other" // a card, and nothing that is built in
	}
	x.health(name, &d)
	rotational, known := x.Number(dir + "queue/rotational")
	switch {
	case kind != "":
		d.Kind = build.Some(kind)
	case known && rotational == 0 && bus != "usb":
		d.Kind = build.Some("ssd")
	case known && rotational == 1 && bus == "ata":
		d.Kind = build.Some("hdd")
	}
	return d
}

// busOf tells the bus from the device's place, and the kind where the bus
// alone decides it. Virtual drives and USB sticks say “rotating” by default.
func busOf(link, name string) (bus, kind string) {
	switch {
	case strings.Contains(link, "/virtio") || strings.HasPrefix(name, "vd"), strings.Contains(link, "/vbd-"):
		return "virtio", "virtual"
	case strings.Contains(link, "/nvme/"):
		return "nvme", "ssd"
	case strings.Contains(link, "/mmc_host/"):
		return "mmc", "emmc"
	case strings.Contains(link, "/usb"):
		return "usb", ""
	case strings.Contains(link, "/ata"):
		return "ata", ""
	case strings.Contains(link, "/session"):
		return "iscsi", "other"
	}
	return "", ""
}
func (x *decoder) systemDisk(name string) {
	if size, ok := x.Number(bySys + name + "/size"); ok {
		x.SetNumber(fact.DiskBytes, size*512, bySys+name+"/size")
	}
	if kind := x.D.SystemDrive(); kind != nil && kind.Kind.IsZero() {
		x.Gap(fact.DiskKind, inventory.NotOffered, "the drive does not report its kind", "")
	}
	style, source, rec := x.style(name)
	if !x.Set(fact.DiskStyle, style, source) {
		x.WhyNot(fact.DiskStyle, rec, "nothing tells the partition style")
	}
}

// bootDisk is the one with the mounted EFI system partition, else the system's
// own, where that is one.
func (x *decoder) bootDisk(system []string) {
	disks, from := system, "taken to be the system disk"
	if own := x.physical([]string{x.espMount().device}); len(own) == 1 {
		disks, from = own, "mount of the EFI system partition"
	}
	if len(disks) != 1 {
		x.D.AddGap("storage.boot", inventory.NotOffered, "nothing tells which disk the machine starts from",
			"Run the collector on the machine itself, from its installed system.")
		return
	}
	name := disks[0]
	x.Set(fact.BootDisk, name, from)
	style, source, rec := x.style(name)
	if !x.Set(fact.BootStyle, style, source) {
		x.WhyNot(fact.BootStyle, rec, "nothing tells the partition style")
	}
	for i := range x.D.Storage.Disks {
		if d := &x.D.Storage.Disks[i]; d.Name.Or("") == name {
			d.PartitionStyle = build.Known(style)
			x.Media(d, bySys+name+"/removable")
		}
	}
	if t, _, ok := x.table(name); ok {
		x.Partitions(t)
		x.esp(t)
	}
}

// table reads the partition table in a drive's first sectors.
func (x *decoder) table(name string) (partition.Table, capture.Record, bool) {
	rec := x.C.Get("sectors:/dev/" + name)
	if rec.Outcome != capture.OK {
		return partition.Table{}, rec, false
	}
	sector, ok := x.Number(bySys + name + "/queue/logical_block_size")
	if !ok || sector < 512 || sector > 1<<16 {
		sector = 512
	}
	t, err := partition.Decode(rec.Raw, int(sector))
	if err != nil || t.Damaged {
		rec.Outcome, rec.Detail = capture.Failed, "the partition table is damaged"
		return partition.Table{}, rec, false
	}
	return t, rec, true
}

// style is a drive's, from its table, or from what the device manager
// noted of it where only root may read sectors.
func (x *decoder) style(name string) (style, source string, rec capture.Record) {
	t, rec, ok := x.table(name)
	if ok {
		return t.Style, rec.Source, rec
	}
	if rec.Outcome == capture.Failed {
		return "", "", rec
	}
	dev, _ := x.Text(bySys + name + "/dev")
	udev := "/run/udev/data/b" + dev
	for line := range strings.Lines(string(x.C.Get(udev).Raw)) {
		if v, ok := strings.CutPrefix(strings.TrimSpace(line), "E:ID_PART_TABLE_TYPE="); ok {
			return map[string]string{"gpt": "gpt", "dos": "mbr"}[v], udev, rec
		}
	}
	return "", "", rec
}

// esp looks for the loader that started this system on the EFI system
// partition, where that is mounted.
func (x *decoder) esp(t partition.Table) {
	if !slices.ContainsFunc(t.Parts, func(p partition.Part) bool { return p.Type == partition.ESP || p.Type == "ef" }) {
		if t.Cut {
			const detail = "no EFI system partition is among the partitions that were read"
			x.Gap(fact.ESPLoader, inventory.NotOffered, detail, "")
			return
		}
		x.None("storage.boot.esp", "the disk has no EFI system partition")
		return
	}
	mount := x.espMount().at
	if mount == "" {
		x.Gap(fact.ESPLoader, inventory.NotOffered, "the EFI system partition is not mounted",
			"Mount it and take the inventory again.")
		return
	}
	if size, free, ok := x.space("statfs:" + mount); ok && free <= size {
		x.D.Storage.Boot.ESP.FreeBytes = build.Some(free)
	}
	r := x.C.Get(mount + "/EFI/")
	dirs, ok := x.List(mount + "/EFI")
	current := x.CurrentLoader(variable)
	switch {
	case !ok && r.Outcome != capture.Absent:
		x.WhyNot(fact.ESPLoader, r, "the EFI system partition cannot be looked into")
	case current != "":
		has := slices.ContainsFunc(dirs, func(d string) bool { return current == `\efi\`+strings.ToLower(d) })
		x.SetBool(fact.ESPLoader, has, mount+"/EFI")
	default:
		x.SetBool(fact.ESPLoader, len(dirs) > 0, mount+"/EFI")
	}
}

// espMount is the one mount that is kept beside the root's.
func (x *decoder) espMount() mount {
	return x.mounted(func(at string) bool { return at == "/boot/efi" || at == "/efi" || at == "/boot" })
}

// encryption looks for an encrypted layer between the root volume and its disk.
func (x *decoder) encryption(r mount) {
	const most = 64 // layers that are looked at
	names := slices.Clone(x.members(r))
	var looked []string
	for i := 0; i < len(names) && i < most; i++ {
		looked = append(looked, bySys+names[i]+"/dm/uuid", bySys+names[i]+"/slaves/")
		id, ok := x.Text(bySys + names[i] + "/dm/uuid")
		if ok && strings.HasPrefix(id, EncryptedLayer) {
			x.Set(fact.EncryptionState, "on", bySys+names[i]+"/dm/uuid")
			x.Set(fact.EncryptionKind, "luks", bySys+names[i]+"/dm/uuid")
			x.protectors(names[i])
			return
		}
		slaves, _ := x.List(bySys + names[i] + "/slaves")
		names = append(names, slaves...)
	}
	if r, is := x.Refused(looked...); is { // any layer may be there
		x.Why("storage.system.encryption", r, "")
		return
	}
	several := len(x.D.Storage.System.Members) > 0
	if !several && x.D.Storage.System.DiskBytes.IsZero() || len(names) > most {
		x.D.AddGap("storage.system.encryption", inventory.NotOffered,
			"the way from the root volume to its disk is unknown", "")
		return
	}
	to := strconv.Quote(x.D.Storage.Boot.Disk.Or(""))
	if several {
		to = "its drives"
	}
	x.Set(fact.EncryptionState, "off", "no encrypted layer between the root volume and "+to)
	for _, id := range []fact.ID{fact.EncryptionKind, fact.KeyProtectors} {
		x.None(id.String(), "the volume is not encrypted")
	}
}

package macos

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/build"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/pattern"
)

// wholeDisk is the disk of a partition: disk0 of disk0s2.
var wholeDisk = pattern.Of(`^disk[0-9]+`)

// storage lists the physical disks, and finds those below the container that
// the system runs from. What is free is the container's, which its volumes
// share; the root itself is a sealed copy.
func (x *decoder) storage() {
	s := &x.D.Storage
	list := x.C.Get(DiskList.Source())
	names, _ := find(x.tool(DiskList), "WholeDisks").([]any)
	if list.Outcome != capture.OK || len(names) == 0 {
		x.Why("storage", list, "the system lists no disks")
		return
	}
	root := x.tool(RootInfo)
	below := x.storesOf(root)
	for _, n := range names {
		name, _ := n.(string)
		if name == "" {
			continue
		}
		d := x.disk(name)
		d.System = build.Some(len(below) == 1 && below[0] == name)
		s.Disks = append(s.Disks, d)
	}
	x.volume(root)
	switch len(below) {
	case 1:
		x.systemDisk(below[0])
	case 0:
		for _, n := range []string{
			"storage.system.disk_bytes", "storage.system.partition_style", "storage.system.kind", "storage.boot",
		} {
			x.Why(n, x.C.Get(RootInfo.Source()), "the system does not report which disk its volume is on")
		}
	default:
		for _, n := range below {
			m := inventory.Member{Disk: build.Some(n)}
			if b := size(find(x.tool(DiskInfo(n)), "Size")); b > 0 {
				m.Bytes = build.Some(b)
			}
			s.System.Members = append(s.System.Members, m)
		}
		for _, n := range []string{
			"storage.system.disk_bytes", "storage.system.partition_style", "storage.system.kind", "storage.boot",
		} {
			x.D.AddGap(n, inventory.NotOffered,
				fmt.Sprintf("the system volume spans %d disks; their sizes are not summed", len(below)),
				"The drives are listed one by one under Storage.")
		}
	}
}

// storesOf are the physical disks below the root volume.
func (x *decoder) storesOf(root any) []string {
	var out []string
	add := func(partition string) {
		if d := wholeDisk().FindString(partition); d != "" && !slices.Contains(out, d) {
			out = append(out, d)
		}
	}
	stores, _ := find(root, "APFSPhysicalStores").([]any)
	for _, st := range stores {
		add(words(find(st, "APFSPhysicalStore")))
		add(words(find(st, "DeviceIdentifier")))
	}
	if len(stores) == 0 {
		add(words(find(root, "ParentWholeDisk")))
	}
	return out
}

func (x *decoder) disk(name string) inventory.Disk {
	info := x.tool(DiskInfo(name))
	d := inventory.Disk{
		Name:  build.Some(name),
		Model: build.Known(words(find(info, "MediaName"))),
		Bus:   build.Known(strings.ToLower(words(find(info, "BusProtocol")))),
	}
	for _, key := range []string{"Size", "TotalSize"} {
		if b := size(find(info, key)); b > 0 && d.Bytes.IsZero() {
			d.Bytes = build.Some(b)
		}
	}
	if solid, ok := find(info, "SolidState").(bool); ok {
		d.Kind = build.Some("hdd")
		if solid {
			d.Kind = build.Some("ssd")
		}
	}
	if inside, ok := find(info, "Internal").(bool); ok {
		d.Removable = build.Some(!inside)
	}
	d.Health = build.Known(map[string]string{"Verified": "good", "Failing": "bad"}[words(find(info, "SMARTStatus"))])
	d.PartitionStyle = build.Known(styles[x.content(name)])
	return d
}

// styles as the system names them.
var styles = map[string]string{"GUID_partition_scheme": "gpt", "FDisk_partition_scheme": "mbr"}

// content is a disk's scheme from the list of all.
func (x *decoder) content(name string) string {
	all, _ := find(x.tool(DiskList), "AllDisksAndPartitions").([]any)
	for _, d := range all {
		if m, ok := d.(map[string]any); ok && words(m["DeviceIdentifier"]) == name {
			return words(m["Content"])
		}
	}
	return ""
}

func (x *decoder) volume(root any) {
	r := x.C.Get(RootInfo.Source())
	total, from := size(find(root, "APFSContainerSize")), "APFSContainerSize"
	free := size(find(root, "APFSContainerFree"))
	if total == 0 {
		total, free, from = size(find(root, "TotalSize")), size(find(root, "FreeSpace")), "TotalSize"
	}
	if total == 0 || free > total {
		x.WhyNot(fact.VolumeBytes, r, "the system does not report the volume's size")
		x.WhyNot(fact.FreeBytes, r, "the system does not report the volume's free space")
		return
	}
	x.SetNumber(fact.VolumeBytes, total, RootInfo.Source()+" "+from)
	x.SetNumber(fact.FreeBytes, free, RootInfo.Source())
	x.Set(fact.Filesystem, words(find(root, "FilesystemType")), RootInfo.Source())
}

func (x *decoder) systemDisk(name string) {
	for i := range x.D.Storage.Disks {
		d := &x.D.Storage.Disks[i]
		if d.Name.Or("") != name {
			continue
		}
		if n, ok := d.Bytes.Get(); ok {
			x.SetNumber(fact.DiskBytes, n, DiskInfo(name).Source())
		}
		if style, ok := d.PartitionStyle.Get(); ok {
			x.Set(fact.DiskStyle, style, DiskList.Source())
			x.Set(fact.BootStyle, style, DiskList.Source())
		}
		x.Media(d, DiskInfo(name).Source())
	}
	x.Set(fact.BootDisk, name, RootInfo.Source())
}

// encryption of the system volume as its tool says. While it is under way,
// neither word is right.
func (x *decoder) encryption() {
	status, ok := x.Text(Vault.Source())
	switch {
	case ok && strings.Contains(status, "in progress"):
		x.Gap(fact.EncryptionState, inventory.NotOffered,
			"the volume is being encrypted or decrypted just now", "Take the inventory again when that is done.")
	case ok && strings.Contains(status, "is On"):
		x.Set(fact.EncryptionState, "on", Vault.Source())
		x.Set(fact.EncryptionKind, "platform", Vault.Source())
		unlocks(x)
	case ok && strings.Contains(status, "is Off"):
		x.Set(fact.EncryptionState, "off", Vault.Source())
		x.None(fact.EncryptionKind.String(), "the volume is not encrypted")
		x.None(fact.KeyProtectors.String(), "the volume is not encrypted")
	default:
		x.Why("storage.system.encryption", x.C.Get(Vault.Source()), "the system's tool does not report it")
	}
}

// unlocks are the kinds of what unlocks the system volume. The tool answers administrators alone. It does not tell of
// an account of the vendor, nor of a key that device management holds, so that the list may lack some.
func unlocks(x *decoder) {
	users, own, managed := x.C.Get(VaultUsers.Source()), x.C.Get(VaultKey.Source()), x.C.Get(VaultManaged.Source())
	for _, r := range []capture.Record{users, own, managed} {
		if r.Outcome == capture.OK || r.Outcome == capture.Absent {
			continue
		}
		if r.Outcome == capture.NotExposed && !x.C.Elevated {
			r.Outcome = capture.Denied // the tool ends with an error
		}
		x.WhyNot(fact.KeyProtectors, r, "the system's tool does not list what unlocks the volume")
		return
	}
	found := []string{}
	if users.Outcome == capture.OK {
		found = append(found, inventory.ByPassphrase)
	}
	for _, key := range []capture.Record{own, managed} {
		if strings.TrimSpace(string(key.Raw)) == "true" && !slices.Contains(found, inventory.ByRecoveryKey) {
			found = append(found, inventory.ByRecoveryKey)
		}
	}
	x.D.Storage.System.Encryption.Protectors = found
	x.D.Said(fact.KeyProtectors.String(), VaultUsers.Source()+", "+VaultKey.Source())
	x.Gap(fact.KeyProtectors, inventory.NotOffered,
		"the system's tools do not tell whether an account of the vendor, or device management, unlocks it, too", "")
}

// kindsOfPartitions are the types of partitions by the names that the tool has for them; it writes others as they are.
var kindsOfPartitions = map[string]string{
	"Linux Filesystem": "0fc63daf-8483-4772-8e79-3d69d8477de4", "Linux LVM": "e6d6d379-f507-44c2-a23c-238f2a3df928",
	"Linux RAID": "a19d880f-05fc-4d3b-a006-743f0f84911e", "Linux": "83", "Windows_NTFS": "07",
	"Microsoft Basic Data": "ebd0a0a2-b9e5-4433-87c0-68b6b72699c7",
	"Microsoft Reserved":   "e3c9e316-0b5c-4db8-817d-f92df00215ae",
	"Windows Recovery":     "de94bba4-06d1-4d40-a16a-bfd50179d6ac",
}

// partitions are those of all disks, by type.
func partitions(x *decoder) []build.Partition {
	all, _ := find(x.tool(DiskList), "AllDisksAndPartitions").([]any)
	var out []build.Partition
	for _, d := range all {
		parts, _ := find(d, "Partitions").([]any)
		for _, p := range parts {
			content := words(find(p, "Content"))
			if kind := kindsOfPartitions[content]; kind != "" {
				content = kind
			}
			out = append(out, build.Partition{Type: strings.ToLower(content)})
		}
	}
	return out
}

// startUp is the policy of what may start: Macs with a chip of their own name
// it, those with a security chip keep it in a variable, older ones have none.
func (x *decoder) startUp() {
	x.Set(fact.FirmwareVersion, words(find(x.hardware, "boot_rom_version")), Hardware.Source())
	capable := func(from string) { x.SetBool(fact.SecureBootCapable, true, from) }
	x.Set(fact.FirmwareVendor, x.D.Device.Manufacturer.Or(""), "the maker of a Mac makes its firmware")
	policy := x.C.Get(Policy.Source())
	named := words(find(x.hardware, "ibridge_secure_boot"))
	security := find(x.hardware, "ibridge_model_name") != nil
	switch b := x.bytes(find(tree(policy.Raw), Policy.Keys[0])); {
	case x.arm && named != "":
		capable(Hardware.Source())
		first, _, _ := strings.Cut(strings.ToLower(named), " ")
		if slices.Contains([]string{"full", "reduced", "permissive"}, first) {
			x.Set(fact.SecureBoot, first, Hardware.Source())
			return
		}
		x.Gap(fact.SecureBoot, inventory.ReadFailed, "it says "+strconv.Quote(named)+", which is unknown",
			"")
	case x.arm:
		capable("every Mac with a chip of its own")
		x.WhyNot(fact.SecureBoot, x.C.Get(Hardware.Source()), "the system does not report its start-up policy")
	case policy.Outcome == capture.OK && len(b) == 1 && b[0] <= 2:
		capable(Policy.Source())
		x.Set(fact.SecureBoot, []string{"permissive", "reduced", "full"}[b[0]], Policy.Source())
	case security:
		capable(Hardware.Source())
		x.WhyNot(fact.SecureBoot, policy, "the security chip's policy is not there to be read")
	case x.C.Get(Hardware.Source()).Outcome == capture.OK:
		x.SetBool(fact.SecureBootCapable, false,
			Hardware.Source()+", which names no security chip")
		x.Set(fact.SecureBoot, "off", Hardware.Source()+", which names no security chip")
	default:
		x.WhyNot(fact.SecureBoot, x.C.Get(Hardware.Source()), "the system does not report it")
		x.WhyNot(fact.SecureBootCapable, x.C.Get(Hardware.Source()), "the system does not report it")
	}
}

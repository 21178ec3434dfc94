package collect

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"syscall"

	"golang.org/x/sys/unix"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/cpu"
	"rolltop.example/rolltop/core/decode/linux"
	"rolltop.example/rolltop/core/decode/rpmdb"
	"rolltop.example/rolltop/core/decode/titles"
)

// Limits of one reading.
const (
	smallFile   = 64 << 10
	tableFile   = 1 << 20
	headSectors = 40 << 10 // both usual places of a GPT with 128 entries, 512 and 4096 bytes a sector
	maxCPUs     = 4096
	maxNames    = 4096
)

// reader fills a capture from the tree below root.
type reader struct {
	c    *capture.Document
	root string
	tree tree

	dirs      map[string]bool // directories that files were missing in, and whether they are there
	encrypted []string        // devices below an encrypted layer of the root volume
}

func read(c *capture.Document, o Options) error {
	c.Platform = "linux"
	c.Elevated = elevated()
	r := &reader{c: c, root: o.Root, dirs: map[string]bool{}}
	var err error
	if r.tree, err = openTree(o.Root); err != nil {
		return fmt.Errorf("%s is not a directory that can be read", o.Root)
	}
	defer r.tree.close()
	r.system()
	r.processor()
	r.firmware()
	r.storage()
	r.network()
	r.screens()
	r.power()
	r.software(titles.Ask(o.Software))
	return nil
}

// outcome turns an error into the words of a capture. A missing file in a
// directory that is there is absent; where the directory is missing too, this
// system has no such interface.
func (r *reader) outcome(rec capture.Record, path string, err error) capture.Record {
	rec = outcomeOf(rec, err)
	if errors.Is(err, os.ErrNotExist) || errors.Is(err, syscall.ENOTDIR) {
		rec.Outcome, rec.Detail = capture.NotExposed, ""
		if r.there(filepath.Dir(strings.TrimSuffix(path, "/"))) {
			rec.Outcome = capture.Absent
		}
	}
	return rec
}

// there says whether a directory is there. It is asked once for all files that are missing in it.
func (r *reader) there(dir string) bool {
	is, asked := r.dirs[dir]
	if !asked {
		_, err := r.tree.stat(dir)
		is = err == nil
		r.dirs[dir] = is
	}
	return is
}

// readCapped reads a file, or the beginning of one. It goes without package os,
// whose files are prepared for waiting: these are read at once, or not at all.
func readCapped(path string, most int) ([]byte, error) {
	fd, err := unix.Open(path, unix.O_RDONLY|unix.O_CLOEXEC, 0)
	if err != nil {
		return nil, err
	}
	defer unix.Close(fd)
	var few [4096]byte // most files are small: what is kept of one is not larger than it
	b := few[:0:min(most, len(few))]
	for len(b) < most {
		if len(b) == cap(b) {
			b = append(b, 0)[:len(b)]
		}
		n, err := unix.Read(fd, b[len(b):min(cap(b), most)])
		switch {
		case errors.Is(err, unix.EINTR):
			continue
		case err != nil:
			return nil, err
		case n == 0:
			return slices.Clone(b), nil
		}
		b = b[:len(b)+n]
	}
	return slices.Clone(b), nil
}

// prompt are places where the kernel answers out of its memory, so that no
// device can keep a reading waiting.
var prompt = []string{
	"/proc/", "/sys/devices/system/", "/sys/class/dmi/", "/sys/block/", "/sys/class/block/", "/sys/dev/",
	"/sys/bus/pci/", "/sys/class/net/", "/sys/module/", "/sys/firmware/devicetree/", "/sys/firmware/dmi/",
	"/etc/", "/usr/lib/", "/run/", "/sbin/",
} // the last are on the volume that this program itself needs

// inTime runs a reading of a path with a time limit, where one is needed. Names
// in directories of sysfs are the kernel's own, whatever the files behind them
// do.
func inTime[T any](t tree, path string, f func() (T, error)) (T, error) {
	if t.root != nil { // it may lie anywhere
		return within(f)
	}
	if strings.HasPrefix(path, "/sys/") && strings.HasSuffix(path, "/") {
		return f()
	}
	for _, p := range prompt {
		if strings.HasPrefix(path, p) {
			return f()
		}
	}
	return within(f)
}

// fetch reads a file under a source name, for what is not to be kept whole.
func (r *reader) fetch(source, path string, most int) capture.Record {
	raw, err := inTime(r.tree, path, func() ([]byte, error) { return r.tree.read(path, most) })
	return r.outcome(capture.Record{Source: source, Raw: raw}, path, err)
}

// keep reads a file and keeps it.
func (r *reader) keep(source, path string, most int) {
	r.c.Add(r.fetch(source, path, most))
}

func (r *reader) file(path string) { r.keep(path, path, smallFile) }

// mark notes whether a file is there, and nothing of what it holds.
func (r *reader) mark(path string) {
	_, err := r.tree.stat(path)
	r.c.Add(r.outcome(capture.Record{Source: path}, path, err))
}

// dir notes the names in a directory.
func (r *reader) dir(path string) []string {
	rec := r.fetchDir(path)
	r.c.Add(rec)
	return strings.FieldsFunc(string(rec.Raw), func(c rune) bool { return c == '\n' })
}

func (r *reader) fetchDir(path string) capture.Record {
	names, err := inTime(r.tree, path+"/", func() ([]string, error) { return r.tree.names(path, maxNames) })
	return r.outcome(capture.Record{Source: path + "/", Raw: []byte(strings.Join(names, "\n"))}, path, err)
}

func (r *reader) link(path string) string {
	target, err := r.tree.readlink(path)
	r.c.Add(r.outcome(capture.Record{Source: "link:" + path, Raw: []byte(target)}, path, err))
	return target
}

func (r *reader) system() {
	for _, p := range []string{
		"/proc/sys/kernel/hostname", "/proc/sys/kernel/arch", "/etc/os-release", "/usr/lib/os-release",
		"/etc/locale.conf", "/etc/default/locale", "/proc/meminfo", "/run/systemd/container", linux.UpdateNote,
	} {
		r.file(p)
	}
	for _, p := range append([]string{
		"/.dockerenv", "/run/.containerenv", "/run/reboot-required", linux.Prepared,
	}, linux.Directory...) {
		r.mark(p)
	}
	accounts := r.fetch(linux.NameSwitch, linux.NameSwitch, smallFile)
	accounts.Raw = []byte(linux.OfAccounts(string(accounts.Raw))) // the rest says nothing of accounts
	r.c.Add(accounts)
	r.keep("head:/sbin/init", "/sbin/init", 64)
}

func (r *reader) processor() {
	const base = "/sys/devices/system/cpu"
	if leaves := processorLeaves(); r.root == "" && leaves != nil {
		r.c.Add(capture.Record{Source: "cpuid", Outcome: capture.OK, Raw: cpu.Encode(leaves)})
	} else {
		r.file("/proc/cpuinfo")
	}
	count := 0
	for _, name := range r.dir(base) {
		if n, ok := strings.CutPrefix(name, "cpu"); !ok || n == "" || n[0] < '0' || n[0] > '9' || count == maxCPUs {
			continue
		}
		count++
		r.topology(base + "/" + name + "/topology/")
	}
	r.file(base + "/present")
	r.file(base + "/cpu0/cpufreq/base_frequency")
	r.file(base + "/cpu0/cpufreq/bios_limit")
}

// topology reads which processors share a core and a package. Old kernels have masks and no lists, and some platforms
// do not number their packages.
func (r *reader) topology(dir string) {
	r.file(dir + "physical_package_id")
	r.file(dir + "thread_siblings_list")
	if strings.HasPrefix(string(r.c.Get(dir+"physical_package_id").Raw), "-") {
		r.file(dir + "core_siblings_list")
	}
	if r.c.Get(dir+"thread_siblings_list").Outcome != capture.OK {
		r.file(dir + "thread_siblings")
		r.file(dir + "core_siblings")
	}
}

// deviceTree reads what firmware says of a machine that has no SMBIOS tables. Few PCs have one.
func (r *reader) deviceTree() {
	r.file(linux.DeviceTree + linux.TreeModel)
	if r.c.Get(linux.DeviceTree+linux.TreeModel).Outcome != capture.OK {
		return
	}
	for _, name := range linux.TreeMore {
		r.file(linux.DeviceTree + name)
	}
	count := 0
	for _, name := range r.dir(linux.DeviceTree + linux.TreeCores) {
		if strings.HasPrefix(name, "cpu@") && count < maxCPUs {
			count++
			r.file(linux.DeviceTree + linux.TreeCores + "/" + name + linux.TreeOfCore)
		}
	}
}

func (r *reader) firmware() {
	r.keep("/sys/firmware/dmi/tables/DMI", "/sys/firmware/dmi/tables/DMI", tableFile)
	r.file("/sys/firmware/dmi/tables/smbios_entry_point")
	for _, name := range []string{
		"sys_vendor", "product_name", "product_serial", "product_uuid", "chassis_type", "chassis_asset_tag",
		"board_vendor", "board_name", "board_serial", "bios_vendor", "bios_version", "bios_date",
	} {
		r.file("/sys/class/dmi/id/" + name)
	}
	r.deviceTree()
	const efi, guid = "/sys/firmware/efi", "-8be4df61-93ca-11d2-aa0d-00e098032b8c"
	if r.dir(efi); r.c.Get(efi+"/").Outcome == capture.OK {
		r.file(efi + "/fw_platform_size")
		r.bootEntries(r.dir(efi+"/efivars"), efi+"/efivars/", guid)
		r.file(efi + "/efivars/SecureBoot" + guid)
		r.file(efi + "/efivars/SetupMode" + guid)
	}
	for _, name := range r.dir("/sys/class/tpm") {
		r.file("/sys/class/tpm/" + name + "/tpm_version_major")
		r.file("/sys/class/tpm/" + name + "/device/enabled")
		r.file("/sys/class/tpm/" + name + "/device/active")
		r.file("/sys/class/tpm/" + name + "/device/caps")
		r.askTPM(name)
	}
	r.settings()
	for _, name := range r.dir("/sys/firmware/acpi/tables") {
		if name == "TPM2" || name == "TCPA" {
			r.file("/sys/firmware/acpi/tables/" + name)
		}
	}
}

// maxEntries bounds how many boot entries are read: variables can be slow.
const maxEntries = 64

func (r *reader) bootEntries(names []string, dir, guid string) {
	count := 0
	for _, name := range names {
		short, ours := strings.CutSuffix(name, guid)
		digits, isBoot := strings.CutPrefix(short, "Boot")
		isEntry := len(digits) == 4 && strings.Trim(digits, "0123456789ABCDEF") == ""
		if ours && isBoot && (digits == "Order" || digits == "Current" || isEntry && count < maxEntries) {
			r.file(dir + name)
			count++
		}
	}
}

func (r *reader) storage() {
	mounts := r.fetch("/proc/self/mountinfo", "/proc/self/mountinfo", tableFile)
	known := knownMounts(string(mounts.Raw))
	mounts.Raw = []byte(known.root + known.variables + known.esp) // other mounts can hold names of people and files
	r.c.Add(mounts)
	r.statfs("/")
	if f := strings.Fields(known.esp); len(f) > 4 {
		r.statfs(f[4])
		r.dir(f[4] + "/EFI")
	}
	r.followMount(known.esp)
	r.encrypted = nil // an EFI system partition is not encrypted
	r.followMount(known.root)
	r.protectors()
	for _, name := range r.dir("/sys/block") {
		r.drive(name)
	}
}

// mounts are the lines that are kept of the table of mounts.
type mounts struct{ root, variables, esp string }

// knownMounts are the last line that mounts the root file system, that of the firmware's variables, and the one
// that mounts an EFI system partition where systems are used to have it.
func knownMounts(mountinfo string) (m mounts) {
	for line := range strings.Lines(mountinfo) {
		f := strings.Fields(line)
		switch {
		case len(f) < 5:
		case f[4] == "/":
			m.root = line
		case strings.Contains(line, " - efivarfs "):
			m.variables = line
		case (f[4] == "/boot/efi" || f[4] == "/efi" || f[4] == "/boot") && strings.Contains(line, " - vfat "):
			m.esp = line
		}
	}
	return m
}

// followMount reads what leads from a mount to disks: from its device number, or from the device that it names where
// the file system has a number of its own, as btrfs has.
func (r *reader) followMount(line string) {
	left, right, ok := strings.Cut(line, " - ")
	f, g := strings.Fields(left), strings.Fields(right)
	if !ok || len(f) < 3 || len(g) < 2 {
		return
	}
	if target := r.link("/sys/dev/block/" + f[2]); target != "" {
		r.follow(filepath.Base(target), 0)
		return
	}
	name, ok := strings.CutPrefix(g[1], "/dev/")
	if mapped, is := strings.CutPrefix(name, "mapper/"); is {
		name = r.mapped(mapped)
	}
	if !ok || name == "" || strings.Contains(name, "/") {
		return
	}
	r.follow(name, 0)
	if g[0] == "btrfs" {
		r.btrfs(name)
	}
}

// mapped is the kernel's name of a mapped device. The names of others are not kept.
func (r *reader) mapped(name string) string {
	for _, block := range r.dir("/sys/block") {
		if !strings.HasPrefix(block, "dm-") {
			continue
		}
		source := "/sys/block/" + block + "/dm/name"
		if rec := r.fetch(source, source, smallFile); strings.TrimSpace(string(rec.Raw)) == name {
			r.c.Add(rec)
			return block
		}
	}
	return ""
}

// btrfs reads which devices the file system on a device spans. Its identifier is not kept.
func (r *reader) btrfs(device string) {
	all := r.fetchDir("/sys/fs/btrfs")
	for _, id := range strings.Fields(string(all.Raw)) {
		rec := r.fetchDir("/sys/fs/btrfs/" + id + "/devices")
		members := strings.Fields(string(rec.Raw))
		if !slices.Contains(members, device) {
			continue
		}
		rec.Source = "members:/"
		r.c.Add(rec)
		for _, m := range members {
			r.follow(m, 0)
		}
	}
}

// follow reads what leads from a block device down to its disk.
func (r *reader) follow(name string, depth int) {
	if depth > 8 {
		return
	}
	r.link("/sys/class/block/" + name)
	uuid := "/sys/block/" + name + "/dm/uuid"
	layer := r.fetch(uuid, uuid, smallFile)
	for _, s := range r.dir("/sys/block/" + name + "/slaves") {
		if strings.HasPrefix(string(layer.Raw), linux.EncryptedLayer) {
			r.encrypted = append(r.encrypted, s)
		}
		r.follow(s, depth+1)
	}
}

func (r *reader) drive(name string) {
	dir := "/sys/block/" + name
	target := r.link(dir)
	if strings.Contains(target, "/virtual/") {
		r.file(dir + "/dm/uuid")
		r.file(dir + "/md/level")
		return
	}
	for _, f := range []string{
		"/size", "/removable", "/dev", "/queue/rotational", "/queue/logical_block_size", "/device/model",
		"/device/type",
	} {
		r.file(dir + f)
	}
	r.keep("sectors:/dev/"+name, "/dev/"+name, headSectors)
	r.health(name, target)
	if dev := r.c.Get(dir + "/dev"); dev.Outcome == capture.OK {
		r.file("/run/udev/data/b" + strings.TrimSpace(string(dev.Raw)))
	}
}

// mountPoint says that a file system begins at a directory: it is on another device than the one above, or there is
// none above.
func mountPoint(dir string) bool {
	own, err1 := os.Stat(dir)
	above, err2 := os.Stat(dir + "/..") // of where a link leads, too
	if err1 != nil || err2 != nil {
		return false
	}
	a, ok1 := own.Sys().(*syscall.Stat_t)
	b, ok2 := above.Sys().(*syscall.Stat_t)
	return ok1 && ok2 && (a.Dev != b.Dev || a.Ino == b.Ino)
}

func (r *reader) statfs(mount string) {
	rec := capture.Record{Source: "statfs:" + mount}
	if r.root != "" && (mount != "/" || !mountPoint(r.root)) { // its size would be that of the disk below
		rec.Outcome, rec.Detail = capture.NotExposed, "the tree is no file system of its own"
		r.c.Add(rec)
		return
	}
	st, err := within(func() (unix.Statfs_t, error) { return r.tree.statfs(mount) })
	if err == nil {
		unit := st.Frsize
		if unit == 0 {
			unit = st.Bsize
		}
		rec.Raw = fmt.Appendf(nil, "unit=%d blocks=%d free=%d", unit, st.Blocks, st.Bavail)
	}
	r.c.Add(r.outcome(rec, mount, err))
}

// screens reads the graphics adapters on the PCI bus and what connected displays
// say of themselves.
func (r *reader) screens() {
	const pci, drm = "/sys/bus/pci/devices", "/sys/class/drm"
	for _, name := range r.dir(pci) {
		r.file(pci + "/" + name + "/class")
		r.file(pci + "/" + name + "/vendor")
		r.file(pci + "/" + name + "/device")
		if driver := r.link(pci + "/" + name + "/driver"); driver != "" {
			r.file("/sys/module/" + filepath.Base(driver) + "/version")
		}
	}
	for _, name := range r.dir(drm) {
		if !strings.Contains(name, "-") {
			continue // an adapter, not a connector
		}
		r.file(drm + "/" + name + "/status")
		r.file(drm + "/" + name + "/edid")
	}
}

// power reads the batteries that belong to the machine, and the mains.
func (r *reader) power() {
	const dir = "/sys/class/power_supply"
	for _, name := range r.dir(dir) {
		for _, f := range []string{
			"type", "scope", "online", "capacity", "energy_full", "energy_full_design", "charge_full",
			"charge_full_design",
		} {
			r.file(dir + "/" + name + "/" + f)
		}
	}
}

func (r *reader) network() {
	for _, name := range r.dir("/sys/class/net") {
		r.file("/sys/class/net/" + name + "/operstate")
	}
}

// maxPackages caps the list of packages that is read; what is kept of it is
// what was asked for.
const maxPackages = 64 << 20

func (r *reader) software(keep titles.Keep) {
	if keep.None() {
		return
	}
	r.c.Add(capture.Record{Source: linux.Asked, Outcome: capture.OK, Raw: []byte(keep.Lines())})
	status := r.fetch(linux.Dpkg, linux.Dpkg, maxPackages)
	status.Raw = titles.Trim(status.Raw, keep)
	r.c.Add(status)
	apps := r.fetchDir(linux.Flatpak)
	apps.Raw = []byte(keep.Filter(string(apps.Raw)))
	r.c.Add(apps)
	r.rpm(keep)
}

// rpm reads rpm's database, and keeps of it the packages asked for. What a
// program that runs has not yet put into the database is not seen.
func (r *reader) rpm(keep titles.Keep) {
	rec, path := capture.Record{Source: linux.RPM}, linux.RPMPlaces[0]
	for _, p := range linux.RPMPlaces[1:] {
		if _, err := r.tree.stat(p); err == nil {
			path = p
		}
	}
	kept, err := within(func() ([]byte, error) {
		f, err := r.tree.open(path)
		if err != nil {
			return nil, err
		}
		defer f.Close()
		var out []byte
		err = rpmdb.Each(f, func(p rpmdb.Package) {
			if keep.Has(p.Name) {
				out = titles.Stanza(out, p.Name, p.Version, p.Architecture)
			}
		})
		return out, err
	})
	rec.Raw = kept
	r.c.Add(r.outcome(rec, path, err))
	r.mark(linux.OldRPM)
}

// other: a program for another processor that runs here sees what its emulator
// makes up, and cannot tell.
func other(*capture.Document) string { return "" }

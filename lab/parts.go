package main

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// What Debian's packages bring.
const (
	firmwareDir = "/usr/share/OVMF/"
	testKey     = "/usr/share/ovmf/PkKek-1-snakeoil.key" // the passphrase is in its package's documentation
	testCert    = "/usr/share/ovmf/PkKek-1-snakeoil.pem"
)

// missingTools names what machines of the kinds need and this machine does not have.
func missingTools(machines map[string]*Machine, systems map[string]*emulated, of map[string]bool) []string {
	var missing []string
	tools := []string{
		"qemu-system-x86_64", "swtpm", "busybox", "cpio", "sbsign", "mke2fs", "fdisk", "mkfs.vfat", "mcopy", "openssl",
		"mdadm", "cryptsetup", "lvm", "mkfs.btrfs", "mkfs.xfs", "wine",
	}
	for name := range of {
		k := kinds[name]
		tools = append(tools, k.emulator)
		if k.kernel() == "" {
			missing = append(missing, "a kernel of the kind "+strconv.Quote(name))
		}
	}
	if of["generic"] {
		tools = append(tools, "make-bcache")
	}
	for _, m := range machines {
		if m.Certified {
			tools = append(tools, "swtpm_setup", "swtpm_localca", "certtool")
		}
		if _, err := os.Stat(debianRoot); m.System == "debian" && err != nil {
			missing = append(missing, "an installation of Debian")
		}
	}
	for _, s := range systems {
		k := windowsKinds[s.Bits]
		tools = append(tools, k.compiler)
		if _, err := os.Stat(k.root); k.root != "" && err != nil {
			missing = append(missing, "an emulation of "+k.arch)
		}
	}
	for _, tool := range tools {
		if _, err := exec.LookPath(tool); err != nil {
			missing = append(missing, tool)
		}
	}
	for name, path := range map[string]string{
		"UEFI firmware": firmwareDir + "OVMF_CODE_4M.secboot.fd",
		"its test keys": testKey,
	} {
		if _, err := os.Stat(path); err != nil {
			missing = append(missing, name)
		}
	}
	return missing
}

// parts are what all machines of a kind share.
type parts struct {
	kind           *kind
	kernel, signed string // the kernel, and the same with the test keys' signature
	initrd         string
	tree           string // a root directory with busybox and the collector
}

// programs that make layers between a file system and its disks; they are
// copied with the libraries that they need.
var programs = []string{"mdadm", "cryptsetup", "lvm", "mkfs.btrfs", "btrfs", "mkfs.xfs", "make-bcache"}

// bootScript is the first program: it loads modules, and goes on from a drive
// where the machine has its system there.
const bootScript = `#!/bin/busybox sh
export PATH=/bin
b=/bin/busybox
$b mount -t proc proc /proc
$b mount -t sysfs sys /sys
$b mount -t devtmpfs dev /dev
root=$($b sed -n 's/.*lab.root=\([^ ]*\).*/\1/p' /proc/cmdline)
wait_for_root() {
  for i in $($b seq 20); do [ -z "$root" ] || [ -b $root ] && break; $b sleep 1; done
}
for m in /mod/*.ko; do
  case $m in *usb*storage*) wait_for_root ;; esac # a stick that is quicker would have the name of the first drive
  $b insmod $m 2>/dev/null
done
if [ -n "$root" ]; then
  wait_for_root
  for at in $root /dev/sd?2; do # the kernel names drives of one controller in any order
    $b mountpoint -q /newroot || $b mount -t ext4 $at /newroot
  done
  $b mountpoint -q /newroot || { $b echo "no root on $root among"; $b cat /proc/partitions; }
  $b umount /proc /sys
  exec $b switch_root /newroot /sbin/init
fi
layer=$($b sed -n 's/.*lab.layer=\([^ ]*\).*/\1/p' /proc/cmdline)
if [ -n "$layer" ]; then
  below=$($b sed -n 's/.*lab.below=\([^ ]*\).*/\1/p' /proc/cmdline | $b tr , ' ')
  for p in $below; do for i in 1 2 3 4 5 6 7 8 9 10; do [ -b $p ] && break; $b sleep 1; done; done
  case $layer in
  mirror | stripe | raid10)
    set -- $below
    case $layer in mirror) level=1 ;; stripe) level=0 ;; raid10) level=10 ;; esac
    clean=--assume-clean
    [ $level = 0 ] && clean=
    mdadm --create /dev/md0 --run $clean --metadata=1.2 --level=$level --raid-devices=$# "$@"
    made=/dev/md0 ;;
  lvm | luks-on-lvm)
    export DM_DISABLE_UDEV=1 LVM_SUPPRESS_FD_WARNINGS=1
    $b mkdir -p /run/lvm /run/lock/lvm
    lvm vgcreate -q -y group $below
    lvm lvcreate -q -y -n root -l 100%FREE group
    made=/dev/group/root
    if [ $layer = luks-on-lvm ]; then
      $b mkdir -p /run/cryptsetup
      echo -n secret | cryptsetup luksFormat -q --pbkdf pbkdf2 --pbkdf-force-iterations 1000 $made -
      echo -n secret | cryptsetup open --key-file - $made safe
      made=/dev/mapper/safe
    fi ;;
  bcache)
    make-bcache -B $below >/dev/null
    echo $below > /sys/fs/bcache/register 2>/dev/null
    for i in 1 2 3 4 5; do [ -b /dev/bcache0 ] && break; $b sleep 1; done
    made=/dev/bcache0 ;;
  live)
    $b mkdir -p /medium /top
    $b mke2fs $below >/dev/null
    $b mount -t ext4 $below /medium
    for d in bin sbin etc boot; do $b cp -a /$d /medium/; done
    $b mkdir -p /medium/proc /medium/sys /medium/dev /medium/tmp /medium/newroot
    $b mount -t tmpfs top /top
    $b mkdir /top/upper /top/work
    $b mount -t overlay -o lowerdir=/medium,upperdir=/top/upper,workdir=/top/work overlay /newroot
    $b umount /proc /sys
    exec $b switch_root /newroot /sbin/init ;;
  btrfs | xfs) made= ;;
  luks)
    $b mkdir -p /run/cryptsetup
    echo -n secret | cryptsetup luksFormat -q --pbkdf pbkdf2 --pbkdf-force-iterations 1000 $below -
    echo -n secret | cryptsetup open --key-file - $below root
    made=/dev/dm-0 ;; # nobody runs here who would give it its name
  esac
  case $layer in
  btrfs)
    mkfs.btrfs -q $below
    set -- $below
    btrfs device scan "$@" >/dev/null
    $b mount -t btrfs $1 /newroot || $b echo "no root on $below" ;;
  xfs)
    mkfs.xfs -q $below
    $b mount -t xfs $below /newroot || $b echo "no root on $below" ;;
  *)
    $b mke2fs $made >/dev/null
    $b mount -t ext4 $made /newroot || $b echo "no root on $made" ;;
  esac
  for d in bin sbin etc boot; do $b cp -a /$d /newroot/; done
  $b mkdir -p /newroot/proc /newroot/sys /newroot/dev /newroot/tmp
  $b umount /proc /sys
  exec $b switch_root /newroot /sbin/init
fi
exec /sbin/init
`

// collectScript runs the collector and hands its inventory over the console.
const collectScript = `#!/bin/busybox sh
b=/bin/busybox
$b mountpoint -q /proc || $b mount -t proc proc /proc
$b mountpoint -q /sys || $b mount -t sysfs sys /sys
$b mountpoint -q /dev || $b mount -t devtmpfs dev /dev
$b mount -t tmpfs tmp /tmp
[ -d /sys/firmware/efi ] && $b mount -t efivarfs efivarfs /sys/firmware/efi/efivars
esp=$($b sed -n 's/.*lab.esp=\([^ ]*\).*/\1/p' /proc/cmdline)
[ -n "$esp" ] && $b mount -t vfat $esp /boot/efi
server=$($b sed -n 's/.*lab.server=\([^ ]*\).*/\1/p' /proc/cmdline)
token=$($b sed -n 's/.*lab.token=\([^ ]*\).*/\1/p' /proc/cmdline)
if [ -n "$server" ]; then
  $b mount -t securityfs securityfs /sys/kernel/security
  $b ifconfig eth0 10.0.2.15 up
fi
# a system that lies hides the firmware's variable behind a file of its own
case $($b sed -n 's/.*lab.lies=\([^ ]*\).*/\1/p' /proc/cmdline) in
on) printf '\006\000\000\000\001' > /tmp/lie ;;
off) printf '\006\000\000\000\000' > /tmp/lie ;;
esac
[ -f /tmp/lie ] && $b mount --bind /tmp/lie \
  /sys/firmware/efi/efivars/SecureBoot-8be4df61-93ca-11d2-aa0d-00e098032b8c
if $b grep -q lab.container /proc/cmdline; then
  # a root of its own without the machine's firmware, and the mark of a container
  $b mount -t tmpfs box /newroot
  $b mkdir -p /newroot/proc /newroot/sys /newroot/tmp /newroot/run /newroot/dev
  $b cp -a /bin /sbin /etc /newroot/
  $b mount -t proc proc /newroot/proc
  $b mount -t sysfs -o ro sys /newroot/sys
  $b mount -t tmpfs none /newroot/sys/firmware
  : > /newroot/run/.containerenv
  $b unshare -m -p -u -i -f $b chroot /newroot /bin/collect --output /tmp/inventory.json
  $b cp /newroot/tmp/inventory.json /tmp/inventory.json
elif $b grep -q lab.user=nobody /proc/cmdline; then
  $b chmod 1777 /tmp
  $b su -s /bin/sh nobody -c '/bin/collect --output /tmp/inventory.json'
elif [ -n "$server" ]; then
  /bin/collect --output /tmp/inventory.json --server http://$server --token $token --attest
else
  /bin/collect --output /tmp/inventory.json
fi
echo 1 > /proc/sys/kernel/printk # no word of the kernel's in between
echo BEGIN-INVENTORY
$b cat /tmp/inventory.json
echo END-INVENTORY
$b poweroff -f
`

func buildParts(work string, k *kind) (*parts, error) {
	p := &parts{
		kind:   k,
		kernel: k.kernel(),
		signed: filepath.Join(work, "signed"),
		initrd: filepath.Join(work, "initrd.gz"),
		tree:   filepath.Join(work, "tree"),
	}
	if k == kinds[""] {
		if err := p.sign(work); err != nil {
			return nil, err
		}
	}
	for _, dir := range []string{"bin", "sbin", "etc", "proc", "sys", "dev", "tmp", "mod", "newroot", "boot/efi"} {
		if err := os.MkdirAll(filepath.Join(p.tree, dir), 0o755); err != nil {
			return nil, err
		}
	}
	build := exec.Command("go", "build", "-trimpath", "-ldflags", "-s -w", "-o", filepath.Join(p.tree, "bin/collect"),
		"./cmd/rolltop-collect")
	build.Env = append(os.Environ(), "CGO_ENABLED=0", "GOOS=linux", "GOARCH="+k.goarch)
	if out, err := build.CombinedOutput(); err != nil {
		return nil, fmt.Errorf("the collector does not build: %w\n%s", err, out)
	}
	busybox := filepath.Join(k.root, "bin/busybox")
	if k.root == "" {
		var err error
		if busybox, err = exec.LookPath("busybox"); err != nil {
			return nil, err
		}
	}
	if err := copyFile(busybox, filepath.Join(p.tree, "bin/busybox"), 0o755); err != nil {
		return nil, err
	}
	if err := os.Symlink("busybox", filepath.Join(p.tree, "bin/sh")); err != nil {
		return nil, err
	}
	for path, text := range map[string]string{
		"init":           bootScript,
		"sbin/init":      collectScript,
		"etc/passwd":     "root:x:0:0::/:/bin/sh\nnobody:x:65534:65534::/:/bin/sh\n",
		"etc/group":      "root:x:0:\nnogroup:x:65534:\n",
		"etc/os-release": "PRETTY_NAME=\"Lodestar Linux 12\"\nVERSION_ID=12\n",
	} {
		if err := os.WriteFile(filepath.Join(p.tree, path), []byte(text), 0o755); err != nil {
			return nil, err
		}
	}
	if err := k.copyModules(filepath.Join(p.tree, "mod")); err != nil {
		return nil, err
	}
	for _, name := range programs {
		if !k.programs || name == "make-bcache" && k != kinds["generic"] {
			continue
		}
		if err := copyProgram(name, p.tree); err != nil {
			return nil, err
		}
	}
	return p, command("sh", "-c", `cd "$1" && find . | cpio -o -H newc 2>/dev/null | gzip -1 > "$2"`, "sh", p.tree,
		p.initrd)
}

// sign makes a kernel that firmware with the test keys starts.
func (p *parts) sign(work string) error {
	key := filepath.Join(work, "key")
	if err := command("openssl", "rsa", "-in", testKey, "-passin", "pass:snakeoil", "-out", key); err != nil {
		return err
	}
	return command("sbsign", "--key", key, "--cert", testCert, "--output", p.signed, p.kernel)
}

// copyModules copies modules with all they depend on, numbered in the order in
// which they load.
func (k *kind) copyModules(to string) error {
	dir := k.lib()
	built, err := os.ReadFile(filepath.Join(dir, "modules.builtin"))
	if err != nil {
		return err
	}
	src, err := os.ReadFile(filepath.Join(dir, "modules.dep"))
	if err != nil {
		return err
	}
	needs := map[string][]string{}
	for line := range strings.Lines(string(src)) {
		path, rest, _ := strings.Cut(strings.TrimSpace(line), ":")
		name := strings.ReplaceAll(strings.TrimSuffix(filepath.Base(path), ".ko"), "-", "_") // a file may have either
		needs[name] = append([]string{path}, strings.Fields(rest)...)
	}
	var order []string
	for _, m := range k.modules {
		list := needs[m]
		if in := regexp.MustCompile("/" + strings.ReplaceAll(m, "_", "[-_]") + `\.ko`); in.Match(built) {
			continue
		}
		if len(list) == 0 {
			return fmt.Errorf("the kernel has no module %s", m)
		}
		for i := len(list) - 1; i >= 0; i-- { // what the others need stands last
			if !slices.Contains(order, list[i]) {
				order = append(order, list[i])
			}
		}
	}
	for i, path := range order {
		if err := copyFile(filepath.Join(dir, path), filepath.Join(to, fmt.Sprintf("%02d-%s", i, filepath.Base(path))),
			0o644); err != nil {
			return err
		}
	}
	return nil
}

// copyProgram copies a program into a root directory with the libraries that
// the loader names for it.
func copyProgram(name, tree string) error {
	path, err := exec.LookPath(name)
	if err != nil {
		return err
	}
	libraries, err := exec.Command("ldd", path).Output()
	if err != nil {
		return fmt.Errorf("ldd %s: %w", path, err)
	}
	for word := range strings.FieldsSeq(string(libraries)) {
		if !strings.HasPrefix(word, "/") {
			continue
		}
		to := filepath.Join(tree, word)
		if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
			return err
		}
		if err := copyFile(word, to, 0o755); err != nil {
			return err
		}
	}
	return copyFile(path, filepath.Join(tree, "bin", name), 0o755)
}

func copyFile(from, to string, mode os.FileMode) error {
	b, err := os.ReadFile(from)
	if err != nil {
		return err
	}
	return os.WriteFile(to, b, mode)
}

// command runs a program and puts what it said into the error.
func command(name string, args ...string) error {
	if out, err := exec.Command(name, args...).CombinedOutput(); err != nil {
		return fmt.Errorf("%s: %w\n%s", name, err, out)
	}
	return nil
}

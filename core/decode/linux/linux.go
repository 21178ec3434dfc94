// Package linux turns a capture from Linux into an inventory. It reads only the
// capture; what the capture could not hold becomes a gap with its cause.
package linux

import (
	"strings"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/build"
	"rolltop.example/rolltop/core/decode/smbios"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
)

// decoder carries one capture to one inventory.
type decoder struct {
	*build.Draft
	// partitions are those in the tables that were read.
	partitions []build.Partition
	numbers    string // of a processor that the kernel does not name
}

// Decode makes the inventory. Every fact of the catalogue is known or has a
// gap afterwards.
func Decode(c *capture.Document) *inventory.Document {
	x := &decoder{Draft: build.New(c, "Take the inventory again with administrator rights (sudo).")}
	x.processor()
	x.ReadTables(c.Get(tablePath), c.Get(tablePath).Raw, smbios.Version(c.Get(entryPath).Raw))
	if x.numbers != "" && x.D.Processor.Name.IsZero() {
		tells := "the kernel tells only numbers of it: " + x.numbers
		if cores := coresInTree(x); cores != nil {
			tells += "; the firmware calls its cores " + strings.Join(cores, " and ")
		}
		x.Gap(fact.ProcessorName, inventory.NotOffered, tells,
			"Look the machine up in its maker's documents, and enter processor.name by hand.")
	}
	if _, refused := x.Refused(entryPath); refused {
		x.Tables.Info.System.UUID = "" // the version of the tables says in which order its bytes stand
	}
	x.device()
	x.system()
	x.memory()
	x.storage()
	x.firmware()
	x.OtherSystems(variable, x.C.Get(efiPath+"/").Outcome == capture.OK, x.partitions)
	x.tpm()
	x.network()
	screens{x}.read()
	x.power()
	x.software()
	for _, n := range none {
		x.None(n[0], n[1])
	}
	x.environment()
	x.Rest("Linux", notRead, fact.OnlyMac)
	return x.D
}

func (x *decoder) environment() {
	if s, ok := x.Text("/run/systemd/container"); ok && s != "" {
		x.container("/run/systemd/container")
		return
	}
	for _, mark := range []string{"/.dockerenv", "/run/.containerenv"} {
		// Images leave these files behind when they become a disk; a container's
		// own root is on no disk.
		if x.C.Get(mark).Outcome == capture.OK && x.D.Storage.System.DiskBytes.IsZero() {
			x.container(mark)
			return
		}
	}
	if x.liveMedium() {
		return
	}
	if r, is := x.Refused(mountInfo); is && x.D.Device.Environment.IsZero() {
		x.WhyNot(fact.DeviceEnvironment, r, "") // the root may be one of a medium
		return
	}
	if x.D.Device.Environment.IsZero() && x.sawProcessor() {
		x.Unseen(virtualDevice(x), "no sign of a hypervisor or a container")
	}
}

// virtualDevice is a device or a drive as virtual machines have it; "" where there is none.
func virtualDevice(x *decoder) string {
	const pci = "/sys/bus/pci/devices"
	names, _ := x.List(pci)
	for _, n := range names {
		vendor, _ := x.Text(pci + "/" + n + "/vendor")
		device, _ := x.Text(pci + "/" + n + "/device")
		if build.VirtualDevice(strings.TrimPrefix(vendor, "0x"), strings.TrimPrefix(device, "0x")) {
			return pci + "/" + n
		}
	}
	for _, d := range x.D.Storage.Disks {
		if d.Bus.Or("") == "virtio" {
			return bySys + d.Name.Or("")
		}
	}
	return ""
}

// sawProcessor tells whether the processor spoke at all: where it did not, that
// no hypervisor shows says nothing.
func (x *decoder) sawProcessor() bool {
	return x.C.Get("cpuid").Outcome == capture.OK || x.C.Get("/proc/cpuinfo").Outcome == capture.OK
}

// container: what belongs to the installed system is not this container's.
func (x *decoder) container(mark string) {
	x.Set(fact.DeviceEnvironment, "container", mark)
	x.D.OS = inventory.OS{Platform: build.Some("linux")}
	x.D.Storage = inventory.Storage{}
	x.D.DropGaps("os", "storage")
	const try = "Run the collector on the machine itself."
	x.D.AddGap("os", inventory.NotOffered, "this is a container; it hides the installed system", try)
	x.D.AddGap("storage", inventory.NotOffered, "this is a container; it hides the disks", try)
}

// memoryRoots are root file systems that a system started from a medium or the
// network has; an installed one is on a disk.
var memoryRoots = map[string]bool{"rootfs": true, "tmpfs": true, "overlay": true, "squashfs": true, "iso9660": true}

// liveMedium: what runs is not what is installed. The drives are the machine's;
// the system and its volume are not.
func (x *decoder) liveMedium() bool {
	root := x.mounted(func(at string) bool { return at == "/" })
	kind := root.kind
	if !memoryRoots[kind] || !x.D.Storage.System.DiskBytes.IsZero() {
		return false
	}
	if r, is := x.Refused("/sys/block/"); is && root.device != "" {
		x.WhyNot(fact.DeviceEnvironment, r, "") // the root may be on a disk all the same
		return true
	}
	if kind == "overlay" && !x.firmwareShown() { // some containers have no mark, and hide the firmware
		const detail = "the root file system is an overlay, as containers and live media have it"
		if x.D.Device.Environment.IsZero() {
			x.Gap(fact.DeviceEnvironment, inventory.NotOffered, detail, "Run the collector from the installed system.")
		}
		x.NotInstalled(detail + "; what is installed does not show")
		return true
	}
	x.Live("the root file system is " + kind + ", on no disk")
	return true
}

func (x *decoder) device() {
	// the kernel's word for a name that nobody set
	if s, ok := x.Text("/proc/sys/kernel/hostname"); ok && s != "(none)" {
		x.Set(fact.DeviceName, s, "/proc/sys/kernel/hostname")
	}
	fromTree(x)
	x.identity(fact.DeviceManufacturer, x.Tables.Info.System.Manufacturer, "sys_vendor")
	x.identity(fact.DeviceModel, x.Tables.Info.System.Product, "product_name")
	x.identity(fact.DeviceSerial, x.Tables.Info.System.Serial, "product_serial")
	x.identity(fact.DeviceUUID, x.Tables.Info.System.UUID, "product_uuid")
	x.identity(fact.DeviceAssetTag, x.Tables.Info.AssetTag, "chassis_asset_tag")
	x.identity(fact.BoardManufacturer, x.Tables.Info.Board.Manufacturer, "board_vendor")
	x.identity(fact.BoardModel, x.Tables.Info.Board.Product, "board_name")
	x.identity(fact.BoardSerial, x.Tables.Info.Board.Serial, "board_serial")
	x.form()
	if x.D.Device.Name.IsZero() {
		x.WhyNot(fact.DeviceName, x.C.Get("/proc/sys/kernel/hostname"), "there is no host name")
	}
}

func (x *decoder) form() {
	d := &x.D.Device
	switch {
	case d.Environment.Or("") == "guest":
		x.Set(fact.DeviceForm, "virtual", x.D.Sources["device.environment"])
	case x.Set(fact.DeviceForm, x.Tables.Info.Form, "SMBIOS type 3"):
	default:
		if n, ok := x.Number("/sys/class/dmi/id/chassis_type"); ok && n > 0 && n < 128 {
			x.Set(fact.DeviceForm, chassisForm(byte(n)), "/sys/class/dmi/id/chassis_type")
		}
	}
	if d.Form.IsZero() {
		x.WhyNot(fact.DeviceForm, x.Tables.Record, x.Tables.Missing())
	}
}

func (x *decoder) network() {
	names, ok := x.List("/sys/class/net")
	if !ok {
		x.WhyNot(fact.NetworkConnected, x.C.Get("/sys/class/net/"), "this system lists no network interfaces")
		return
	}
	up := false
	var states []string
	for _, n := range names {
		at := "/sys/class/net/" + n + "/operstate"
		s, _ := x.Text(at)
		up, states = up || n != "lo" && s == "up", append(states, at)
	}
	if r, is := x.Refused(states...); is && !up {
		x.WhyNot(fact.NetworkConnected, r, "")
		return
	}
	x.SetBool(fact.NetworkConnected, up, "/sys/class/net/*/operstate")
}

// Sources whose names the reader shares.
const (
	Ask2  = "tpm2:/dev/tpmrm0"
	Ask12 = "tpm12:/dev/tpm0"

	// The state of a drive, by its bus; the drive's name follows.
	HealthNVMe = "health:nvme:"
	HealthATA  = "health:ata:"
	HealthSCSI = "health:scsi:"

	Dpkg    = "/var/lib/dpkg/status"
	Flatpak = "/var/lib/flatpak/app"
	RPM     = "rpm's database"
	OldRPM  = "/var/lib/rpm/Packages" // of a form that is not read
	Asked   = "software asked for"
)

// RPMPlaces are where systems have that database.
var RPMPlaces = []string{"/usr/lib/sysimage/rpm/rpmdb.sqlite", "/var/lib/rpm/rpmdb.sqlite"}

// notRead are the facts that Linux could tell of and this collector does not
// read.
var notRead = []string{
	"storage.system.encryption.key_kept",
}

// none are the facts that no Linux has.
var none = [][2]string{
	{"os.checks_skipped", "installations of Linux do not record this"},
	{"os.held_at", "no common policy of Linux holds a machine at a release"},
	{"os.licence", "this system has none"},
	{"storage.boot.dynamic", "only another system has dynamic disks"},
	{"security.vbs", "only another system has it"},
}

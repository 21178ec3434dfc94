// Package linux turns a capture from Linux into an inventory. It reads only the
// capture; what the capture could not hold becomes a gap with its cause.
package linux

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
)

// decoder carries one capture to one inventory.
type decoder struct {
	c   *capture.Document
	d   *inventory.Document
	dmi dmi
	// partitionIDs are the unique GUIDs in the tables that were read; boot entries
	// are compared with them.
	partitionIDs []string
}

// some is short for a known value.
func some[T any](v T) inventory.Opt[T] { return inventory.Some(v) }

// Decode makes the inventory. Every fact of the catalogue is known or has a
// gap afterwards.
func Decode(c *capture.Document) *inventory.Document {
	d := &inventory.Document{Format: inventory.Format, TakenAt: c.TakenAt,
		Collector: inventory.Collector{Version: c.Version, Platform: c.Platform, Elevated: some(c.Elevated), DurationMS: some(c.DurationMS)}}
	x := &decoder{c: c, d: d}
	x.processor()
	x.tables()
	x.device()
	x.system()
	x.memory()
	x.storage()
	x.firmware()
	x.otherSystems()
	x.tpm()
	x.network()
	x.screens()
	x.power()
	x.rest()
	x.environment()
	return d
}

// text is a file's content without the line end.
func (x *decoder) text(path string) (string, bool) {
	r := x.c.Get(path)
	return strings.TrimSpace(string(r.Raw)), r.Outcome == capture.OK
}

func (x *decoder) number(path string) (int64, bool) {
	s, ok := x.text(path)
	if !ok {
		return 0, false
	}
	n, err := strconv.ParseInt(s, 10, 64)
	return n, err == nil
}

// list is the names in a directory.
func (x *decoder) list(path string) ([]string, bool) {
	r := x.c.Get(path + "/")
	return strings.Fields(string(r.Raw)), r.Outcome == capture.OK
}

// set keeps a text fact with its source, if there is one.
func (x *decoder) set(to *inventory.Opt[string], name, value, source string) bool {
	if value == "" {
		return false
	}
	*to = some(value)
	x.d.Said(name, source)
	return true
}

func (x *decoder) setNumber(to *inventory.Opt[int64], name string, value int64, source string) {
	*to = some(value)
	x.d.Said(name, source)
}

// why notes a gap for a fact with the cause that its source's outcome gives.
func (x *decoder) why(name string, r capture.Record, otherwise string) {
	switch r.Outcome {
	case capture.Denied:
		if x.c.Elevated {
			x.d.AddGap(name, inventory.ReadFailed, r.Source+" is refused even with administrator rights", "")
			return
		}
		x.d.AddGap(name, inventory.NeedsRights, r.Source, "Take the inventory again with administrator rights (sudo).")
	case capture.Failed:
		x.d.AddGap(name, inventory.ReadFailed, strings.TrimSpace(r.Source+" "+r.Detail), "")
	default:
		x.d.AddGap(name, inventory.NotOffered, otherwise, "")
	}
}

func (x *decoder) environment() {
	if s, ok := x.text("/run/systemd/container"); ok && s != "" {
		x.container("/run/systemd/container")
		return
	}
	for _, mark := range []string{"/.dockerenv", "/run/.containerenv"} {
		// Images leave these files behind when they become a disk; a container's
		// own root is on no disk.
		if x.c.Get(mark).Outcome == capture.OK && x.d.Storage.System.DiskBytes.IsZero() {
			x.container(mark)
			return
		}
	}
	if x.liveMedium() {
		return
	}
	if x.d.Device.Environment.IsZero() {
		x.set(&x.d.Device.Environment, "device.environment", "hardware", "no sign of a hypervisor or a container")
	}
}

// container: what belongs to the installed system is not this container's.
func (x *decoder) container(mark string) {
	x.set(&x.d.Device.Environment, "device.environment", "container", mark)
	x.d.OS = inventory.OS{Platform: some("linux")}
	x.d.Storage = inventory.Storage{}
	x.d.Gaps = slices.DeleteFunc(x.d.Gaps, func(g inventory.Gap) bool {
		return strings.HasPrefix(g.Fact, "os") || strings.HasPrefix(g.Fact, "storage")
	})
	const try = "Run the collector on the machine itself."
	x.d.AddGap("os", inventory.NotOffered, "this is a container; it hides the installed system", try)
	x.d.AddGap("storage", inventory.NotOffered, "this is a container; it hides the disks", try)
}

// memoryRoots are root file systems that a system started from a medium or the
// network has; an installed one is on a disk.
var memoryRoots = map[string]bool{"rootfs": true, "tmpfs": true, "overlay": true, "squashfs": true, "iso9660": true}

// liveMedium: what runs is not what is installed. The drives are the machine's;
// the system and its volume are not.
func (x *decoder) liveMedium() bool {
	kind := x.d.Storage.System.Filesystem.Or("")
	if !memoryRoots[kind] || !x.d.Storage.System.DiskBytes.IsZero() {
		return false
	}
	x.set(&x.d.Device.Environment, "device.environment", "live", "the root file system is "+kind+", on no disk")
	x.d.OS = inventory.OS{Platform: some("linux")}
	x.d.Storage.System, x.d.Storage.Boot = inventory.SystemDisk{}, inventory.BootDisk{}
	x.d.Gaps = slices.DeleteFunc(x.d.Gaps, func(g inventory.Gap) bool {
		return strings.HasPrefix(g.Fact, "os") || strings.HasPrefix(g.Fact, "storage.system") || strings.HasPrefix(g.Fact, "storage.boot")
	})
	const detail, try = "this system was started from a medium or the network; what is installed does not show", "Run the collector from the installed system."
	for _, name := range []string{"os", "storage.system", "storage.boot"} {
		x.d.AddGap(name, inventory.NotOffered, detail, try)
	}
	return true
}

func (x *decoder) device() {
	d := &x.d.Device
	if s, ok := x.text("/proc/sys/kernel/hostname"); ok && s != "(none)" { // the kernel's word for a name that nobody set
		x.set(&d.Name, "device.name", s, "/proc/sys/kernel/hostname")
	}
	x.identity("device.manufacturer", &d.Manufacturer, x.dmi.info.System.Manufacturer, "sys_vendor")
	x.identity("device.model", &d.Model, x.dmi.info.System.Product, "product_name")
	x.identity("device.serial", &d.Serial, x.dmi.info.System.Serial, "product_serial")
	x.identity("device.uuid", &d.UUID, x.dmi.info.System.UUID, "product_uuid")
	x.identity("device.asset_tag", &d.AssetTag, x.dmi.info.AssetTag, "chassis_asset_tag")
	x.identity("device.board.manufacturer", &d.Board.Manufacturer, x.dmi.info.Board.Manufacturer, "board_vendor")
	x.identity("device.board.model", &d.Board.Model, x.dmi.info.Board.Product, "board_name")
	x.identity("device.board.serial", &d.Board.Serial, x.dmi.info.Board.Serial, "board_serial")
	x.form()
	if x.d.Device.Name.IsZero() {
		x.why("device.name", x.c.Get("/proc/sys/kernel/hostname"), "there is no host name")
	}
}

func (x *decoder) form() {
	d := &x.d.Device
	switch {
	case d.Environment.Or("") == "guest":
		x.set(&d.Form, "device.form", "virtual", x.d.Sources["device.environment"])
	case x.set(&d.Form, "device.form", x.dmi.info.Form, "SMBIOS type 3"):
	default:
		if n, ok := x.number("/sys/class/dmi/id/chassis_type"); ok && n > 0 && n < 128 {
			x.set(&d.Form, "device.form", chassisForm(byte(n)), "/sys/class/dmi/id/chassis_type")
		}
	}
	if d.Form.IsZero() {
		x.why("device.form", x.dmi.record, x.dmi.missing())
	}
}

func (x *decoder) network() {
	names, ok := x.list("/sys/class/net")
	if !ok {
		x.why("network.connected", x.c.Get("/sys/class/net/"), "this system lists no network interfaces")
		return
	}
	up := false
	for _, n := range names {
		s, _ := x.text("/sys/class/net/" + n + "/operstate")
		up = up || n != "lo" && s == "up"
	}
	x.d.Network.Connected = some(up)
	x.d.Said("network.connected", "/sys/class/net/*/operstate")
}

// notRead are the facts that Linux could tell of and this collector does not
// read.
var notRead = []string{
	"os.edition", "os.managed_by", "os.held_at", "os.account", "os.licence", "storage.boot.esp", "storage.boot.dynamic",
	"storage.boot.media", "storage.system.health", "storage.system.encryption.key_kept", "firmware.settings_interface", "firmware.legacy_support",
	"backup", "security.vbs", "software", "drivers", "tpm.kind",
}

// rest gives every fact without a value a gap.
func (x *decoder) rest() {
	for _, name := range notRead {
		if x.d.GapOf(name) == nil {
			x.d.AddGap(name, inventory.NotAsked, "this collector does not read it on Linux", "")
		}
	}
	f := fact.Read(x.d)
	for _, def := range fact.All() {
		r := f.Get(def.ID)
		if def.Derived || def.On == fact.OnlyMac || r.Value.Known() || x.d.GapOf(def.Name) != nil {
			continue
		}
		x.d.AddGap(def.Name, inventory.NotOffered, fmt.Sprintf("no source on this machine tells %s", def.Label), "")
	}
}

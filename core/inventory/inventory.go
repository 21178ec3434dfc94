// Package inventory is the inventory document rolltop-inventory/1: what is
// known of one machine at one time, and why the rest is not.
//
// A value that is there is known. A value that is not there has a row in
// [Document.Gaps] that says why. Sizes are bytes, speeds MHz or MT/s, times
// RFC 3339 in UTC, display diagonals inches.
package inventory

import (
	"fmt"
	"reflect"
	"slices"
	"strings"
	"time"

	"rolltop.example/rolltop/core/doc"
)

// Format is the value of the key “format”.
const Format = "rolltop-inventory/1"

// Causes of a gap.
const (
	NeedsRights = "needs-rights" // run it elevated
	NotOffered  = "not-offered"  // this system or firmware does not report it
	ReadFailed  = "read-failed"  // it should tell and did not
	NotAsked    = "not-asked"    // the document came without it
	Disagree    = "disagree"     // two sources say different things
)

// Document is the whole inventory of one machine.
type Document struct {
	Format    string            `json:"format" enum:"rolltop-inventory/1"`
	TakenAt   time.Time         `json:"taken_at" doc:"When the readings were taken, UTC"`
	Collector Collector         `json:"collector,omitzero"`
	Device    Device            `json:"device,omitzero"`
	OS        OS                `json:"os,omitzero"`
	Processor Processor         `json:"processor,omitzero"`
	Memory    Memory            `json:"memory,omitzero"`
	Storage   Storage           `json:"storage,omitzero"`
	Firmware  Firmware          `json:"firmware,omitzero"`
	TPM       TPM               `json:"tpm,omitzero"`
	Graphics  []Adapter         `json:"graphics,omitzero" doc:"Every graphics adapter: what the hardware can do"`
	Displays  []Display         `json:"displays,omitzero"`
	Network   Network           `json:"network,omitzero"`
	Power     Power             `json:"power,omitzero"`
	Backup    Backup            `json:"backup,omitzero"`
	Security  Security          `json:"security,omitzero"`
	Software  []Software        `json:"software,omitzero" doc:"Machine-wide titles"`
	Drivers   []Driver          `json:"drivers,omitzero"`
	Gaps      []Gap             `json:"gaps,omitempty" doc:"One row for each unknown fact, with the cause"`
	Sources   map[string]string `json:"sources,omitempty" doc:"Fact name to the interface that said so"`
}

// Collector says what took the readings.
type Collector struct {
	Version    string     `json:"version,omitempty"`
	Platform   string     `json:"platform,omitempty" enum:"windows,macos,linux"`
	Elevated   Opt[bool]  `json:"elevated,omitzero" doc:"Whether it ran with administrator rights"`
	Titles     []string   `json:"titles,omitempty" doc:"Titles that were looked for, if not all were read; those that are not listed are not installed"`
	DurationMS Opt[int64] `json:"duration_ms,omitzero" minimum:"0" maximum:"86400000"`
}

// Device says which machine it is.
type Device struct {
	Name         Opt[string] `json:"name,omitzero" doc:"Host name"`
	Class        Opt[string] `json:"class,omitzero" enum:"pc,mac" doc:"Class of hardware, if neither the system nor a model identifier tells it"`
	Manufacturer Opt[string] `json:"manufacturer,omitzero"`
	Model        Opt[string] `json:"model,omitzero"`
	ModelID      Opt[string] `json:"model_id,omitzero" doc:"Model identifier of a Mac"`
	ModelYear    Opt[int64]  `json:"model_year,omitzero" minimum:"1970" maximum:"2200" doc:"Year in which the model came out; from a release's list, or by hand"`
	Serial       Opt[string] `json:"serial,omitzero"`
	AssetTag     Opt[string] `json:"asset_tag,omitzero"`
	UUID         Opt[string] `json:"uuid,omitzero" doc:"Platform UUID, lower case"`
	Form         Opt[string] `json:"form,omitzero" enum:"desktop,laptop,all-in-one,tablet,server,virtual,other"`
	Board        Board       `json:"board,omitzero"`
	Environment  Opt[string] `json:"environment,omitzero" enum:"hardware,guest,container,subsystem,live,planned"`
	Hypervisor   Opt[string] `json:"hypervisor,omitzero"`
	WeakKey      Opt[string] `json:"weak_key,omitzero" doc:"Keyed hash of the id of the installed system, for a machine that was read without administrator rights: it tells the same machine after it was renamed"`

	WarrantyUntil Opt[string] `json:"warranty_until,omitzero" doc:"Last day of a warranty that ends when the case is opened: 2027-05-31"`
}

// Board is the main board; it decides which firmware guide applies.
type Board struct {
	Manufacturer Opt[string] `json:"manufacturer,omitzero"`
	Model        Opt[string] `json:"model,omitzero"`
	Serial       Opt[string] `json:"serial,omitzero"`
}

// OS is the operating system that was running.
type OS struct {
	Platform       Opt[string] `json:"platform,omitzero" enum:"windows,macos,linux"`
	Name           Opt[string] `json:"name,omitzero"`
	Edition        Opt[string] `json:"edition,omitzero"`
	Version        Opt[string] `json:"version,omitzero"`
	Build          Opt[string] `json:"build,omitzero"`
	Architecture   Opt[string] `json:"architecture,omitzero" enum:"x86,x86-64,arm64" doc:"Of the running system"`
	Language       Opt[string] `json:"language,omitzero" doc:"Of the installed system, as a language tag: en, de-AT"`
	ManagedBy      Opt[string] `json:"managed_by,omitzero" doc:"Who manages its updates"`
	HeldAt         Opt[string] `json:"held_at,omitzero" doc:"The release a policy holds it at"`
	PendingRestart Opt[bool]   `json:"pending_restart,omitzero"`
	PendingUpdates Opt[int64]  `json:"pending_updates,omitzero" minimum:"0" maximum:"100000" doc:"Updates that the system found and has not installed"`
	Account        Opt[string] `json:"account,omitzero" enum:"local,directory,vendor"`
	Licence        Opt[string] `json:"licence,omitzero" enum:"valid,invalid"`
	ChecksSkipped  []string    `json:"checks_skipped,omitzero" doc:"Signs that an earlier installation skipped checks of its release"`
}

// Processor is the processor; all packages are of one kind.
type Processor struct {
	Vendor       Opt[string] `json:"vendor,omitzero"`
	Name         Opt[string] `json:"name,omitzero" doc:"Brand string, spaces collapsed"`
	Family       Opt[int64]  `json:"family,omitzero" minimum:"0" maximum:"65535"`
	Model        Opt[int64]  `json:"model,omitzero" minimum:"0" maximum:"65535"`
	Stepping     Opt[int64]  `json:"stepping,omitzero" minimum:"0" maximum:"65535"`
	Architecture Opt[string] `json:"architecture,omitzero" enum:"x86,x86-64,arm64" doc:"Of the silicon"`
	Packages     Opt[int64]  `json:"packages,omitzero" minimum:"1" maximum:"1024"`
	Cores        Opt[int64]  `json:"cores,omitzero" minimum:"1" maximum:"65536" doc:"Physical cores"`
	Threads      Opt[int64]  `json:"threads,omitzero" minimum:"1" maximum:"65536"`
	RatedMHz     Opt[int64]  `json:"rated_mhz,omitzero" minimum:"1" maximum:"100000" doc:"Rated speed in MHz, never the momentary one"`
	BuiltInTPM   Opt[bool]   `json:"built_in_tpm,omitzero" doc:"Whether a TPM is built in; from the maker's documents, never from the TPM that is seen"`
	Features     []string    `json:"features,omitzero" doc:"Instruction-set features, lower case, as in the vendor manuals"`
}

// Memory is the memory fitted and the memory usable, in bytes.
type Memory struct {
	Installed Opt[int64] `json:"installed_bytes,omitzero" minimum:"1048576" maximum:"1125899906842624"`
	Visible   Opt[int64] `json:"visible_bytes,omitzero" minimum:"1048576" maximum:"1125899906842624"`
	Slots     Opt[int64] `json:"slots,omitzero" minimum:"0" maximum:"4096"`
	SlotsUsed Opt[int64] `json:"slots_used,omitzero" minimum:"0" maximum:"4096"`
	Max       Opt[int64] `json:"max_bytes,omitzero" minimum:"0" maximum:"1125899906842624"`
	Modules   []Module   `json:"modules,omitzero"`
}

// Module is one place for memory; Bytes 0 is an empty slot.
type Module struct {
	Slot         Opt[string] `json:"slot,omitzero"`
	Bytes        Opt[int64]  `json:"bytes,omitzero" minimum:"0" maximum:"1125899906842624"`
	Type         Opt[string] `json:"type,omitzero"`
	Form         Opt[string] `json:"form,omitzero"`
	SpeedMTS     Opt[int64]  `json:"speed_mts,omitzero" minimum:"0" maximum:"1000000"`
	ECC          Opt[bool]   `json:"ecc,omitzero" doc:"It has bits for error correction"`
	Registered   Opt[bool]   `json:"registered,omitzero" doc:"It is registered, or load-reduced; unbuffered otherwise"`
	Millivolts   Opt[int64]  `json:"voltage_mv,omitzero" minimum:"0" maximum:"65535" doc:"Configured voltage"`
	Manufacturer Opt[string] `json:"manufacturer,omitzero"`
	PartNumber   Opt[string] `json:"part_number,omitzero"`
	Soldered     Opt[bool]   `json:"soldered,omitzero"`
}

// Storage is the disks, and which of them the machine runs and starts from.
type Storage struct {
	Disks        []Disk     `json:"disks,omitzero"`
	System       SystemDisk `json:"system,omitzero"`
	Boot         BootDisk   `json:"boot,omitzero"`
	OtherSystems []string   `json:"other_systems,omitzero" doc:"Other operating systems found on the disks or in the boot entries"`
}

// Disk is one drive.
type Disk struct {
	Name           Opt[string] `json:"name,omitzero"`
	Model          Opt[string] `json:"model,omitzero"`
	Bus            Opt[string] `json:"bus,omitzero"`
	Kind           Opt[string] `json:"kind,omitzero" enum:"ssd,hdd,emmc,virtual,other"`
	Bytes          Opt[int64]  `json:"bytes,omitzero" minimum:"0" maximum:"9007199254740992"`
	PartitionStyle Opt[string] `json:"partition_style,omitzero" enum:"gpt,mbr,none"`
	HybridMBR      Opt[bool]   `json:"hybrid_mbr,omitzero"`
	System         Opt[bool]   `json:"system,omitzero" doc:"The operating system runs from it"`
	Removable      Opt[bool]   `json:"removable,omitzero"`
	Health         Opt[string] `json:"health,omitzero" enum:"good,bad" doc:"By the drive itself; bad: it expects to fail, or no longer stores"`
	WearPercent    Opt[int64]  `json:"wear_percent,omitzero" minimum:"0" maximum:"255" doc:"Of its rated life, by the drive itself; it may go on beyond 100"`
}

// SystemDisk is the disk and the volume that the system runs from. Capacity
// and free space are two facts.
type SystemDisk struct {
	DiskBytes      Opt[int64]  `json:"disk_bytes,omitzero" minimum:"0" maximum:"9007199254740992"`
	PartitionStyle Opt[string] `json:"partition_style,omitzero" enum:"gpt,mbr,none"`
	VolumeBytes    Opt[int64]  `json:"volume_bytes,omitzero" minimum:"0" maximum:"9007199254740992"`
	FreeBytes      Opt[int64]  `json:"free_bytes,omitzero" minimum:"0" maximum:"9007199254740992"`
	Filesystem     Opt[string] `json:"filesystem,omitzero"`
	Encryption     Encryption  `json:"encryption,omitzero"`
	Members        []Member    `json:"members,omitzero" doc:"Disks of a volume that spans several"`
}

// Encryption is the state of the system volume's encryption.
type Encryption struct {
	State       Opt[string]    `json:"state,omitzero" enum:"on,off,paused"`
	Kind        Opt[string]    `json:"kind,omitzero" enum:"platform,luks,other"`
	PausedSince Opt[time.Time] `json:"paused_since,omitzero"`
	TPMBound    Opt[bool]      `json:"tpm_bound,omitzero"`
	KeyKept     Opt[bool]      `json:"key_kept,omitzero" doc:"Whether a recovery key is known to be kept; never the key"`
	Protectors  []string       `json:"key_protectors,omitzero" doc:"Kinds of what unlocks it, never a key: tpm, tpm-and-pin, tpm-and-key-file, tpm-and-pin-and-key-file, passphrase, key-file, recovery-key, security-key, smart-card, other"`
}

// Member is one disk of a volume that spans several.
type Member struct {
	Disk  Opt[string] `json:"disk,omitzero"`
	Bytes Opt[int64]  `json:"bytes,omitzero" minimum:"0" maximum:"9007199254740992"`
	Role  Opt[string] `json:"role,omitzero" enum:"mirror,stripe,span"`
}

// BootDisk is the disk with the boot files, which may not be the system disk.
type BootDisk struct {
	Disk           Opt[string] `json:"disk,omitzero"`
	PartitionStyle Opt[string] `json:"partition_style,omitzero" enum:"gpt,mbr,none"`
	ESP            ESP         `json:"esp,omitzero"`
	Dynamic        Opt[bool]   `json:"dynamic,omitzero"`
	Partitions     []Partition `json:"partitions,omitzero"`
	Media          Opt[string] `json:"media,omitzero" enum:"internal,removable,network"`
}

// ESP is the EFI system partition.
type ESP struct {
	Bytes     Opt[int64] `json:"bytes,omitzero" minimum:"0" maximum:"9007199254740992"`
	FreeBytes Opt[int64] `json:"free_bytes,omitzero" minimum:"0" maximum:"9007199254740992"`
	Loader    Opt[bool]  `json:"loader,omitzero" doc:"A loader of the installed system is there"`
}

// Partition is an entry of a partition table.
type Partition struct {
	Index      Opt[int64]  `json:"index,omitzero" minimum:"0" maximum:"65536"`
	Type       Opt[string] `json:"type,omitzero" doc:"Type GUID, or two hex digits"`
	Kind       Opt[string] `json:"kind,omitzero" enum:"primary,extended,logical"`
	StartBytes Opt[int64]  `json:"start_bytes,omitzero" minimum:"0" maximum:"9007199254740992"`
	Bytes      Opt[int64]  `json:"bytes,omitzero" minimum:"0" maximum:"9007199254740992"`
}

// Firmware is the firmware and how it started the system.
type Firmware struct {
	Vendor            Opt[string] `json:"vendor,omitzero"`
	Version           Opt[string] `json:"version,omitzero"`
	Date              Opt[string] `json:"date,omitzero" doc:"Release date as year-month-day"`
	BootMode          Opt[string] `json:"boot_mode,omitzero" enum:"uefi,legacy" doc:"How it started; legacy only on positive evidence"`
	UEFICapable       Opt[bool]   `json:"uefi_capable,omitzero"`
	UEFIBits          Opt[int64]  `json:"uefi_bits,omitzero" minimum:"32" maximum:"64"`
	Password          Opt[string] `json:"password,omitzero" enum:"set,not-set"`
	SettingsInterface Opt[string] `json:"settings_interface,omitzero"`
	SettingsOffered   []string    `json:"settings_offered,omitzero" doc:"Settings that the running system can change: secure-boot, tpm, legacy-support"`
	LegacySupport     Opt[bool]   `json:"legacy_support,omitzero"`
	SecureBoot        Opt[string] `json:"secure_boot,omitzero" enum:"on,off,setup,inactive,full,reduced,permissive" doc:"The state"`
	SecureBootCapable Opt[bool]   `json:"secure_boot_capable,omitzero" doc:"The capability, a separate fact"`
}

// TPM is the trusted platform module as the system sees it.
type TPM struct {
	State        Opt[string] `json:"state,omitzero" enum:"ready,not-ready,off,announced,not-seen"`
	Version      Opt[string] `json:"version,omitzero" enum:"1.2,2.0" doc:"Specification version"`
	Kind         Opt[string] `json:"kind,omitzero" enum:"firmware,discrete,virtual"`
	Manufacturer Opt[string] `json:"manufacturer,omitzero"`
	Firmware     Opt[string] `json:"firmware,omitzero"`
	Header       Opt[bool]   `json:"header,omitzero" doc:"Whether the board has a header for a module; from its manual"`
	Changeable   Opt[bool]   `json:"changeable,omitzero" doc:"Whether a tool of its maker brings the chip to another version; from the maker's documents"`
	Enabled      Opt[bool]   `json:"enabled,omitzero" doc:"Of version 1.2: it is enabled in the firmware"`
	Activated    Opt[bool]   `json:"activated,omitzero" doc:"Of version 1.2: it is activated; it works if it is enabled and activated"`
	Others       []OtherTPM  `json:"others,omitzero"`

	Attestation Opt[string] `json:"attestation,omitzero" enum:"attested,contradicted,refused,another-tpm" doc:"What a service made of the machine's proof by its TPM; an inventory that is handed in does not have it"`
	Attested    []string    `json:"attested,omitzero" doc:"Facts that the TPM attested, by the same service"`
}

// OtherTPM is a chip beside the built-in one.
type OtherTPM struct {
	Version Opt[string] `json:"version,omitzero"`
	Kind    Opt[string] `json:"kind,omitzero"`
}

// Adapter is one graphics adapter.
type Adapter struct {
	Name           Opt[string] `json:"name,omitzero"`
	VendorID       Opt[string] `json:"vendor_id,omitzero"`
	DeviceID       Opt[string] `json:"device_id,omitzero"`
	DriverVersion  Opt[string] `json:"driver_version,omitzero"`
	DriverDate     Opt[string] `json:"driver_date,omitzero"`
	DriverModel    Opt[string] `json:"driver_model,omitzero"`
	InterfaceLevel Opt[string] `json:"interface_level,omitzero"`
	AddIn          Opt[bool]   `json:"add_in,omitzero"`
}

// IDs are the vendor and the device as the PCI bus names them, such as 7e5a:0c21: the same on every machine that has
// this adapter. They are "" where one of them is unknown.
func (a *Adapter) IDs() string {
	ids := strings.ToLower(a.VendorID.Or("") + ":" + a.DeviceID.Or(""))
	if !AreIDs(ids) {
		return ""
	}
	return ids
}

// AreIDs says whether a text has the form of [Adapter.IDs]: four hexadecimal digits, a colon, and four more, in small
// letters.
func AreIDs(text string) bool {
	vendor, device, _ := strings.Cut(text, ":")
	hex := func(s string) bool { return len(s) == 4 && strings.Trim(s, "0123456789abcdef") == "" }
	return hex(vendor) && hex(device)
}

// Display is one display.
type Display struct {
	Name           Opt[string]  `json:"name,omitzero"`
	Internal       Opt[bool]    `json:"internal,omitzero"`
	WidthPx        Opt[int64]   `json:"width_px,omitzero" minimum:"0" maximum:"100000"`
	HeightPx       Opt[int64]   `json:"height_px,omitzero" minimum:"0" maximum:"100000"`
	DiagonalInches Opt[float64] `json:"diagonal_inches,omitzero" minimum:"0" maximum:"1000"`
	BitsPerChannel Opt[int64]   `json:"bits_per_channel,omitzero" minimum:"0" maximum:"64"`
}

// Network says whether an uplink exists; no address outside is contacted.
type Network struct {
	Connected Opt[bool] `json:"connected,omitzero"`
}

// Power is where the machine has its power from.
type Power struct {
	Source               Opt[string] `json:"source,omitzero"`
	BatteryPercent       Opt[int64]  `json:"battery_percent,omitzero" minimum:"0" maximum:"100"`
	BatteryHealthPercent Opt[int64]  `json:"battery_health_percent,omitzero" minimum:"0" maximum:"200"`
}

// Backup is the last backup, where the system tells.
type Backup struct {
	LastAt Opt[time.Time] `json:"last_at,omitzero"`
	Kind   Opt[string]    `json:"kind,omitzero"`
}

// Security is the state of virtualisation-based isolation.
type Security struct {
	VBS Opt[string] `json:"vbs,omitzero" enum:"running,configured,off"`
}

// Software is one installed title.
type Software struct {
	Name         string      `json:"name"`
	Version      Opt[string] `json:"version,omitzero"`
	Publisher    Opt[string] `json:"publisher,omitzero"`
	Architecture Opt[string] `json:"architecture,omitzero"`
	Code         Opt[string] `json:"code,omitzero" doc:"Product code: the key under which the system lists the title"`
	Source       Opt[string] `json:"source,omitzero" enum:"package,store,installer,not-store" doc:"Where it comes from, as far as the system tells: a package in its own form, its store, an installer, not its store"`
}

// Driver is the driver of one device.
type Driver struct {
	Device     string      `json:"device"`
	Class      Opt[string] `json:"class,omitzero"`
	HardwareID Opt[string] `json:"hardware_id,omitzero"`
	Provider   Opt[string] `json:"provider,omitzero"`
	Version    Opt[string] `json:"version,omitzero"`
	Date       Opt[string] `json:"date,omitzero"`
	Status     Opt[string] `json:"status,omitzero"`
}

// Gap says why a fact, or a group of facts, is not known.
type Gap struct {
	Fact     string   `json:"fact" doc:"A fact, a group (tpm), or a position in a list (graphics[0].driver_model)"`
	Cause    string   `json:"cause" enum:"needs-rights,not-offered,read-failed,not-asked,disagree"`
	Detail   string   `json:"detail,omitempty"`
	Try      string   `json:"try,omitempty" doc:"What would close it"`
	Readings []Differ `json:"readings,omitempty" doc:"What each source says, if they conflict"`
	AtLeast  *float64 `json:"at_least,omitempty" minimum:"0" doc:"What a number is not below, if something bounds it"`
	None     bool     `json:"none,omitempty" doc:"The machine does not have what the fact is about, so that there is nothing to find"`
}

// Differ is one of several readings that disagree; the value is written as
// text whatever the fact's kind.
type Differ struct {
	Value  string `json:"value"`
	Source string `json:"source"`
}

// Read reads an inventory document of at most [MaxBytes], with at most [MaxRows] in each
// list. The error is [*doc.Mistakes].
func Read(name string, src []byte) (*Document, error) {
	if err := tooLarge(name, src); err != nil {
		return nil, err
	}
	d := new(Document)
	n, r, err := doc.Open(name, src, Format, d)
	if err != nil {
		return nil, err
	}
	longLists(reflect.ValueOf(d).Elem(), n, r)
	d.check(n, r)
	if err := r.Err(); err != nil {
		return nil, err
	}
	return d, nil
}

// check finds what no single key shows.
func (d *Document) check(n *doc.Node, r *doc.Report) {
	if _, ok := d.OS.Platform.Get(); !ok {
		_, hasID := d.Device.ModelID.Get()
		if _, hasClass := d.Device.Class.Get(); !hasID && !hasClass && n.Kind == doc.Map {
			r.Add(n.Of("os"), "whether this is a PC or a Mac is unknown",
				"give os.platform, or device.model_id for a Mac")
		}
	}
	atMost := func(small, large Opt[int64], place *doc.Node, wrong string) {
		s, ok := small.Get()
		if l, both := large.Get(); ok && both && s > l {
			r.Add(place, wrong, "check both values and their units")
		}
	}
	sys, mem, cpu := n.Of("storage").Of("system"), n.Of("memory"), n.Of("processor")
	atMost(d.Storage.System.FreeBytes, d.Storage.System.VolumeBytes, sys.Of("free_bytes"),
		"more space is free than the volume has")
	atMost(d.Memory.SlotsUsed, d.Memory.Slots, mem.Of("slots_used"), "more slots are used than there are")
	atMost(d.Processor.Cores, d.Processor.Threads, cpu.Of("cores"), "there are more cores than threads")
	if until, ok := d.Device.WarrantyUntil.Get(); ok {
		if _, err := time.Parse(time.DateOnly, until); err != nil {
			r.Add(n.Of("device").Of("warranty_until"), fmt.Sprintf("%q is not a day", until), "write it as 2027-05-31")
		}
	}
	for i := range d.Gaps {
		if g := &d.Gaps[i]; g.Cause == Disagree && len(g.Readings) < 2 {
			r.Add(n.Of("gaps").Items[i], "a conflict needs at least two readings",
				"add readings: [{value, source}, …]")
		}
		for j, one := range d.Gaps[i].Readings {
			for _, other := range d.Gaps[i].Readings[:j] {
				if one.Source != "" && one.Source == other.Source && one.Value != other.Value {
					r.Add(n.Of("gaps").Items[i].Of("readings").Items[j],
						fmt.Sprintf("%s says %q and %q of one fact", one.Source, other.Value, one.Value),
						"name the two sources, or omit the wrong reading")
				}
			}
		}
	}
}

// GapOf returns the row that says why a fact is not known: its own, or that of
// the nearest group above it. It is nil where there is none.
func (d *Document) GapOf(name string) *Gap {
	var best *Gap
	for i := range d.Gaps {
		g := &d.Gaps[i]
		if g.Fact == name {
			return g
		}
		below, is := strings.CutPrefix(name, g.Fact)
		if is && strings.HasPrefix(below, ".") && (best == nil || len(g.Fact) > len(best.Fact)) {
			best = g
		}
	}
	return best
}

// AddGap adds a row.
func (d *Document) AddGap(fact, cause, detail, try string) {
	d.Gaps = append(d.Gaps, Gap{Fact: fact, Cause: cause, Detail: detail, Try: try})
}

// DropGap takes back the row of a fact, for one that became known after all.
func (d *Document) DropGap(fact string) {
	d.Gaps = slices.DeleteFunc(d.Gaps, func(g Gap) bool { return g.Fact == fact })
}

// DropGaps takes back the rows of groups and of all that is below them.
func (d *Document) DropGaps(groups ...string) {
	d.Gaps = slices.DeleteFunc(d.Gaps, func(g Gap) bool {
		return slices.ContainsFunc(groups,
			func(group string) bool { return g.Fact == group || strings.HasPrefix(g.Fact, group+".") })
	})
}

// Said notes which interface gave a fact. A source can contain names that a machine chose.
func (d *Document) Said(fact, source string) {
	if d.Sources == nil {
		d.Sources = make(map[string]string)
	}
	d.Sources[fact] = Clean(source)
}

// SystemDrive is the drive in the list that the system runs from, or nil.
func (d *Document) SystemDrive() *Disk {
	for i := range d.Storage.Disks {
		if d.Storage.Disks[i].System.Or(false) {
			return &d.Storage.Disks[i]
		}
	}
	return nil
}

package fact

import (
	"fmt"
	"slices"

	"rolltop.example/rolltop/core/inventory"
)

// ID is the hand-given number of a fact. Numbers are never used again.
type ID uint8

// Count is one more than the highest number of a fact of the machine itself;
// facts of rows of lists have higher ones.
const Count = 120

// Unit of a Number.
type Unit int8

// The units. Memory sizes are binary and drives decimal: a release that says
// 4 GB of memory means 4 GiB of modules, one that says 64 GB of storage means
// a drive sold as 64 GB.
const (
	NoUnit Unit = iota
	Binary      // bytes, said in GiB
	Drive       // bytes of a drive, said in GB; a drive holds a little less than it is sold as
	Space       // bytes of a volume, said in GB, exact
	MHz
	Inches
	Percent
	Bits
)

// Aspect says what kind of statement a fact makes: how much, able to, or
// switched to.
type Aspect int8

// The aspects.
const (
	Identity Aspect = iota
	Measure
	Capability
	State
)

// Platform is the hardware that has a fact at all.
type Platform int8

// Both, or only PCs, or only Macs have a fact.
const (
	Everywhere Platform = iota
	OnlyPC
	OnlyMac
)

// Def is the catalogue's entry for one fact.
type Def struct {
	ID     ID
	Name   string // as in documents: memory.installed_bytes
	Label  string // as in sentences: installed memory
	Kind   Kind
	Unit   Unit
	Aspect Aspect
	On     Platform
	Words  map[string]string // of a Word: the document's word → the sentence's
	About  string            // one line for the documentation
	// Derived facts are worked out from others and have no key of their own.
	Derived bool

	// How the fact is read from a document, and where it stands there: of is for facts that are
	// worked out or read in a way of their own, in for all others, at for those of a list's rows.
	of func(*document) Value
	in access
	at access
}

// The facts of the machine itself. Those of the rows of lists are in lists.go.
const (
	DeviceName           ID = 1
	DeviceManufacturer   ID = 2
	DeviceModel          ID = 3
	DeviceModelID        ID = 4
	DeviceSerial         ID = 5
	DeviceUUID           ID = 6
	DeviceForm           ID = 7
	DeviceEnvironment    ID = 8
	DeviceHypervisor     ID = 9
	BoardManufacturer    ID = 10
	BoardModel           ID = 11
	OSPlatform           ID = 12
	OSName               ID = 13
	OSEdition            ID = 14
	OSVersion            ID = 15
	OSBuild              ID = 16
	OSArchitecture       ID = 17
	OSManagedBy          ID = 18
	OSHeldAt             ID = 19
	OSPendingRestart     ID = 20
	ProcessorVendor      ID = 21
	ProcessorName        ID = 22
	ProcessorFamily      ID = 23
	ProcessorModel       ID = 24
	ProcessorStepping    ID = 25
	ProcessorArch        ID = 26
	ProcessorCores       ID = 27
	ProcessorThreads     ID = 28
	ProcessorMHz         ID = 29
	ProcessorFeatures    ID = 30
	ProcessorTPM         ID = 31
	MemoryInstalled      ID = 32
	MemoryVisible        ID = 33
	MemorySlots          ID = 34
	MemorySlotsUsed      ID = 35
	MemoryMax            ID = 36
	MemorySoldered       ID = 37
	DiskBytes            ID = 38
	DiskStyle            ID = 39
	DiskKind             ID = 40
	VolumeBytes          ID = 41
	FreeBytes            ID = 42
	Filesystem           ID = 43
	EncryptionState      ID = 44
	EncryptionKind       ID = 45
	BootStyle            ID = 46
	OtherSystems         ID = 47
	FirmwareVendor       ID = 48
	FirmwareVersion      ID = 49
	FirmwareDate         ID = 50
	BootMode             ID = 51
	UEFICapable          ID = 52
	UEFIBits             ID = 53
	FirmwarePassword     ID = 54
	SecureBoot           ID = 55
	SecureBootCapable    ID = 56
	TPMState             ID = 57
	TPMVersion           ID = 58
	TPMKind              ID = 59
	TPMManufacturer      ID = 60
	TPMFirmware          ID = 61
	NetworkConnected     ID = 62
	PowerSource          ID = 63
	VBS                  ID = 64
	OSAccount            ID = 65
	OSLicence            ID = 66
	EncryptionKeyKept    ID = 67
	ProcessorPackages    ID = 68
	DeviceAssetTag       ID = 69
	DeviceWarranty       ID = 104
	BatteryPercent       ID = 70
	LegacySupport        ID = 71
	DiskHealth           ID = 72
	BoardSerial          ID = 73
	ESPLoader            ID = 74
	BootDynamic          ID = 75
	BatteryHealth        ID = 76
	SettingsInterface    ID = 77
	DeviceClass          ID = 78
	BootDisk             ID = 79
	BootMedia            ID = 80
	MemoryFreeSlots      ID = 81
	ProcessorFeaturesOff ID = 82
	AdapterCount         ID = 83 // the counts of lists are in the order of Group
	DisplayCount         ID = 84
	DriveCount           ID = 85
	ModuleCount          ID = 86
	TitleCount           ID = 87
	DriverCount          ID = 88
	SoftwareToUpdate     ID = 89
	SoftwareToBuy        ID = 90
	SoftwareToRemove     ID = 91
	SoftwareProblems     ID = 92
	SoftwareNotKnown     ID = 93
	DriversToUpdate      ID = 94
	DriversToRemove      ID = 95
	DriverProblems       ID = 96
	OSLanguage           ID = 97
	TPMHeader            ID = 98
	TPMChangeable        ID = 99
	BootPlaces           ID = 100
	BootLogical          ID = 101
	DriversNotKnown      ID = 102
	FirmwareUpdate       ID = 103
	ChecksSkipped        ID = 105
	EncryptionTPMBound   ID = 106
	EncryptionPausedAt   ID = 107
)

type document = inventory.Document

type (
	optText = inventory.Opt[string]
	optInt  = inventory.Opt[int64]
	optBool = inventory.Opt[bool]
)

var architectures = map[string]string{"x86": "32-bit", "x86-64": "64-bit", "arm64": "64-bit ARM"}
var styles = map[string]string{"gpt": "GPT", "mbr": "MBR", "none": "no partition table"}

// catalogue is in the order in which people read an inventory.
var catalogue = slices.Concat(
	deviceFacts, systemFacts, processorFacts, memoryFacts, storageFacts, firmwareFacts, restFacts,
)

// unjudged: known only once a release document has looked at the list.
func unjudged(*document) Value { return Value{} }

var (
	byID   [rowsCount]*Def
	byName = make(map[string]*Def, len(catalogue)+len(rowCatalogue))
	names  []string
)

func init() {
	add := func(d *Def) {
		if byID[d.ID] != nil || byName[d.Name] != nil {
			panic(fmt.Sprintf("fact: %s stands twice in the catalogue", d.Name))
		}
		byID[d.ID], byName[d.Name] = d, d
		names = append(names, d.Name)
	}
	for i := range catalogue {
		add(&catalogue[i])
	}
	for i := range rowCatalogue {
		add(&rowCatalogue[i])
	}
}

// All returns the facts of the machine itself in their reading order. It is not
// to be changed.
func All() []Def { return catalogue }

// OfRows returns the facts that rows of lists have. It is not to be changed.
func OfRows() []Def { return rowCatalogue }

// Names returns every fact's name in reading order. It is not to be changed.
func Names() []string { return names }

// ByName finds a fact, or nil.
func ByName(name string) *Def { return byName[name] }

// Def returns the fact's entry.
func (id ID) Def() *Def { return byID[id] }

func (id ID) String() string {
	if int(id) < len(byID) && byID[id] != nil {
		return byID[id].Name
	}
	return fmt.Sprintf("fact %d", uint8(id))
}

package fact

import (
	"slices"
	"strings"
)

// Change says what can change a fact of a machine that stays the same machine.
type Change uint8

// The changes. A fact that nothing changes is what the machine is: only such a
// fact can prove that a machine cannot take a release. NotStated is a mistake in
// the catalogue.
const (
	NotStated      Change = iota
	ByNothing             // the processor, the model
	BySetting             // of the firmware, or of the system
	ByPart                // a module, a drive, a card
	ByInstallation        // of another release, edition, architecture or language
	ByPerson              // a title removed, a driver updated, a lead plugged in, a question answered
)

// changes state for each fact what changes it. On a virtual machine the host
// changes whatever a part or a setting would.
var changes = stated(map[Change][]ID{
	ByNothing: {
		DeviceManufacturer, DeviceModel, DeviceModelID, DeviceModelYear, DeviceSerial, DeviceUUID, DeviceForm,
		DeviceEnvironment, DeviceHypervisor, DeviceClass, BoardManufacturer, BoardModel, BoardSerial, DeviceWarranty,
		ProcessorVendor, ProcessorName, ProcessorFamily, ProcessorModel, ProcessorStepping, ProcessorArch,
		ProcessorPackages, ProcessorCores, ProcessorThreads, ProcessorMHz, ProcessorFeatures, ProcessorTPM, MemoryMax,
		MemorySlots, MemorySoldered, UEFICapable, UEFIBits, SecureBootCapable, TPMHeader, TPMChangeable,
	},
	BySetting: {
		ProcessorFeaturesOff, DiskStyle, BootStyle, BootDisk, BootMedia, BootDynamic, BootPlaces, BootLogical,
		ESPLoader, FreeBytes, VolumeBytes, Filesystem, EncryptionState, EncryptionKind, EncryptionKeyKept,
		EncryptionTPMBound, EncryptionPausedAt, OtherSystems, BootMode, FirmwarePassword, SettingsInterface,
		LegacySupport, SettingsOffered, TPMEnabled, TPMActivated, KeyProtectors, SecureBoot, TPMState, VBS, OSAccount,
		OSManagedBy, OSHeldAt, OSPendingRestart, FirmwareVendor, FirmwareVersion, FirmwareDate, FirmwareUpdate,
		TPMFirmware, TPMManufacturer, TPMKind, TPMVersion, Attestation, AttestedFacts,
	},
	ByPart: {
		MemoryInstalled, MemoryVisible, MemorySlotsUsed, MemoryFreeSlots, DiskBytes, DiskKind, DiskHealth, AdapterCount,
		DisplayCount, DriveCount, ModuleCount, AdapterKinds, AdapterName, AdapterIDs, AdapterLevel, AdapterAddIn,
		DisplayName, DisplayInternal,
		DisplayWidth, DisplayHeight, DisplayDiagonal, DisplayBits, DriveName, DriveModel, DriveBus, DriveKind,
		DriveBytes, DriveStyle, DriveSystem, DriveRemovable, DriveHealth, DriveWear,
		ModuleSlot, ModuleBytes, ModuleType,
		ModuleSoldered, ModuleForm, ModuleMTS, ModuleECC, ModuleRegistered, ModuleMillivolts, BatteryHealth,
	},
	ByInstallation: {OSPlatform, OSName, OSEdition, OSVersion, OSBuild, OSArchitecture, OSLanguage, ChecksSkipped},
	ByPerson: {
		DeviceName, DeviceAssetTag, NetworkConnected, PowerSource, BatteryPercent, OSLicence, SoftwareToUpdate,
		SoftwareToBuy, SoftwareToRemove, SoftwareProblems, SoftwareNotKnown, DriversToUpdate, DriversToRemove,
		DriverProblems, DriversNotKnown, TitleCount, DriverCount, TitleName, TitleVersion, TitlePublisher,
		TitleCode, TitleSource, OSPendingUpdates, BackupAt, DriverDevice, DriverClass, DriverHardwareID,
		DriverProvider, DriverVersion, DriverStatus, AdapterDriver, AdapterModel,
	},
})

func stated(by map[Change][]ID) (out [rowsCount]Change) {
	for c, ids := range by {
		for _, id := range ids {
			out[id] = c
		}
	}
	return out
}

// Change is what can change the fact.
func (id ID) Change() Change { return changes[id] }

// HandSource is how the source of a reading begins that a person entered.
const HandSource = "entered by hand"

// ByHand says that a person entered the reading.
func (r *Reading) ByHand() bool { return strings.HasPrefix(r.Source, HandSource) }

// FirstHand says whether a known reading can be relied on to rule something
// out. What firmware says of the most memory that a machine takes is often wrong,
// and what it says of slots is on portable machines; what a person entered or a
// firmware guide states is not doubted.
func (f *Facts) FirstHand(id ID) bool {
	switch id {
	case MemoryMax:
		return f.trusted(MemoryMax)
	case MemorySlots, MemorySlotsUsed, MemoryFreeSlots:
		return f.Is(DeviceForm, "desktop") || f.Is(DeviceForm, "server") || f.trusted(MemorySlots)
	}
	return true
}

// trusted: a person or a firmware guide said so, and not the firmware.
func (f *Facts) trusted(id ID) bool {
	r := f.Get(id)
	return r.ByHand() || strings.HasPrefix(r.Source, GuideSource)
}

// GuideSource is how the source of a reading begins that a firmware guide states.
const GuideSource = "the firmware guide "

// unread are facts that no collector reads, by the class of hardware. They come from
// lists, from firmware guides and from people.
var unread = map[string][]ID{
	PC: {DeviceWarranty, DeviceModelYear, ProcessorTPM, EncryptionKeyKept, TPMHeader, TPMChangeable,
		FirmwareUpdate},
	Mac: {
		DeviceWarranty, DeviceModelYear, EncryptionKeyKept, OSLicence, OSHeldAt, OSEdition, DriverCount, DriverDevice,
		DriverClass, DriverHardwareID, DriverProvider, DriverVersion, DriverStatus,
	},
}

// Unread says whether no collector reads the fact on hardware of a class.
func (id ID) Unread(class string) bool { return slices.Contains(unread[class], id) }

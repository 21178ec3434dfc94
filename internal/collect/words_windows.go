package collect

// RightsAdd says what administrator rights would add to an inventory.
const RightsAdd = "Without administrator rights the state of the encryption and what unlocks it, set-up mode of " +
	"secure boot, other systems on the disks and the last backup may stay unknown; start it as an administrator " +
	"to add them."

// Explain says what is read of a machine, for the person whose machine it is.
const Explain = `It reads (Windows):
  the processor's own description of itself, and how many cores there are
  the firmware's tables: maker, model, serial number, memory modules, firmware version
  how the machine started, whether secure boot is on, the names of its boot entries
  which settings of the firmware the running system could change, where a program of its maker tells
  whether a TPM is there, and one question to it that changes nothing
  how much memory the system sees, which drives there are, how large, how they are divided
  what the drives say of their own health
  the first sector of the system's volume, for its encryption (only as an administrator)
  whether the system's own encryption protects the volume, and how many keys of which kinds
  unlock it, never a key (only as an administrator)
  graphics adapters, displays, devices with their drivers, battery and mains
  edition, version and build of the system, and the host name
  what the system knows of its own licence: valid or not, never its key
  whether a network adapter is up; whether a restart is due; whether it is managed, and how
  how many updates the system found, and when its own backup was last finished
  whether an account of this machine is linked to the system's vendor, never a name
  with --software, the installed titles that were asked for

Of the registry it reads the values that these facts need, and no others. One question
about graphics is asked in a process of its own, for drivers can fail. The system may start
its service for updates to say which ones it found before; nothing outside is asked.`

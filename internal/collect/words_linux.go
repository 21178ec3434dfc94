package collect

// RightsAdd says what administrator rights would add to an inventory.
const RightsAdd = "Without administrator rights the serial number, installed memory, what the TPM says of itself, " +
	"and perhaps the partition style stay unknown; sudo adds them."

// Explain says what is read of a machine, for the person whose machine it is.
const Explain = `It reads (Linux):
  the processor's own description of itself, and how many cores there are
  the firmware's tables: maker, model, serial number, memory modules, firmware version; of machines without them,
    its device tree: model, serial number, form, the designs of the cores
  how the machine started, whether secure boot is on, the names of its boot entries
  which settings of the firmware the running system could change, and whether that needs a password
  whether a TPM is there, and one question to it that changes nothing
  how much memory the system sees, which drives there are, how large, how much is free
  which kinds of key unlock the system volume, never a key (only with administrator rights)
  what the drives say of their own health (only with administrator rights)
  the first 40 kB of each drive, for its partition table (only with administrator rights)
  graphics adapters, connected displays, devices with their drivers, battery and mains
  the name and version of the installed system, and the host name
  whether a network interface is up; whether a restart is due; whether it has joined a directory
  from where the system takes accounts, never an account; how many updates it found
  with --software, the installed packages that were asked for`

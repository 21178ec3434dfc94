package collect

// RightsAdd says what administrator rights would add to an inventory.
const RightsAdd = "Without administrator rights a start-up policy that only the security chip keeps, and what " +
	"unlocks an encrypted volume, may stay unknown; sudo adds them."

// Explain says what is read of a machine, for the person whose machine it is.
const Explain = `It reads (macOS), from values of the kernel and by the system's own tools:
  model, chip or processor, how many cores there are, memory
  serial number and platform UUID
  which drives there are, how large, how much is free, whether the volume is encrypted
  which kinds of key unlock the volume, never a key and never whose (only with administrator rights)
  the policy of what may start
  graphics adapters, displays, battery and mains
  version and build of the system, and the host name
  whether a network interface runs; whether it is managed, and how
  how many updates the system found, and when its own backup last ran
  with --software, the applications for everybody that were asked for, and which of them came from the store

Of what the tools say it keeps the values that these facts need, and no others.`

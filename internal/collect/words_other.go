//go:build !linux && !windows && !darwin

package collect

// RightsAdd says what administrator rights would add to an inventory.
const RightsAdd = ""

// Explain says what is read of a machine, for the person whose machine it is.
const Explain = "It cannot read machines with this system; with --from-capture it decodes what another one read."

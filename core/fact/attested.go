package fact

import "slices"

// attestable are the facts that a TPM can attest: what firmware measures into it while the machine starts,
// and that the TPM is there.
var attestable = []ID{SecureBoot, BootMode, BootStyle, TPMState, TPMVersion}

// Attestable says whether a TPM can attest the fact.
func (id ID) Attestable() bool { return slices.Contains(attestable, id) }

// AttestableNames are the names of the facts that a TPM can attest.
func AttestableNames() []string {
	out := make([]string, len(attestable))
	for i, id := range attestable {
		out[i] = id.String()
	}
	return out
}

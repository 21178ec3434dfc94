package need

import (
	"slices"

	"rolltop.example/rolltop/core/fact"
)

// Attested is the need that also asks for the machine's TPM to attest the facts that n reads.
func Attested(n Need) Need {
	var names []string
	for _, id := range Facts(n) {
		if name := id.String(); !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	proof := &HasAll{on{fact.AttestedFacts}, names}
	if all, ok := n.(*AllOf); ok {
		return &AllOf{append(slices.Clone(all.Parts), proof)}
	}
	return &AllOf{[]Need{n, proof}}
}

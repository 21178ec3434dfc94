package service

import (
	"fmt"
	"testing"
	"time"

	"rolltop.example/rolltop/core/attest"
)

// Proofs that wait for their TPM take no more room than there is, and those that nobody finished give it back.
func TestProofsThatWaitAreBounded(t *testing.T) {
	now := time.Date(2026, 11, 30, 9, 0, 0, 0, time.UTC)
	a := &Attesting{Records: Records{Now: func() time.Time { return now }}, open: map[string]*asking{}}
	large := func() *asking {
		return &asking{until: now.Add(askingLasts), evidence: &attest.Evidence{Log: make([]byte, 1<<20)}}
	}
	held := 0
	for i := range 100 {
		if a.hold(fmt.Sprint(i), large()) {
			held++
		}
	}
	if held != maxHeld>>20 {
		t.Errorf("%d MiB are held; at most %d should be", held, maxHeld>>20)
	}
	now = now.Add(askingLasts + time.Second)
	if !a.hold("later", large()) || len(a.open) != 1 {
		t.Errorf("afterwards %d wait", len(a.open))
	}
}

package remedy

import (
	"bytes"
	"testing"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/inventory"
)

// Machines that differ only in who says what cannot change about them do not share a
// verdict: firmware's word on how much memory a machine takes proves nothing, a person's does.
func TestTheKeyKnowsWhoSaidIt(t *testing.T) {
	rel := coretest.Release(t, "skerry-12")
	key := func(source string) []byte {
		d := &inventory.Document{Sources: map[string]string{"memory.max_bytes": source}}
		d.OS.Platform, d.Memory.Max = inventory.Some("windows"), inventory.Some(int64(4)<<30)
		f := fact.Read(d)
		return Shipped().Key(nil, rel, f, check.Outcomes(rel, f, nil), rel.PathsFrom(f))
	}
	read, entered := key("SMBIOS type 16, the firmware's claim"), key("entered by hand on 2026-11-20 (manual, page 12)")
	if bytes.Equal(read, entered) {
		t.Error("a verdict on one is taken for the other")
	}
	if !bytes.Equal(read, key("SMBIOS type 16, the firmware's claim")) {
		t.Error("the same machine has two keys")
	}
}

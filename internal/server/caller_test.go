package server

import (
	"context"
	"testing"

	"rolltop.example/rolltop/core/fact"
)

// Where nobody is known, nobody is let in: such a caller sees no place, no serial number
// and may do nothing.
func TestNobodySeesNothing(t *testing.T) {
	nobody := callerOf(context.Background())
	if !nobody.limited() || nobody.sees("") || nobody.sees("Gull Quay") || nobody.Plain || !nobody.hides(fact.DeviceSerial.Def().Name) {
		t.Errorf("%+v", nobody)
	}
	for _, needs := range []string{ScopeSubmit, ScopeRead, ScopeWork, ScopeManage} {
		if allows(nobody.Scope, needs) {
			t.Errorf("nobody may %s", needs)
		}
	}
	if own := callerOf(ownWork(context.Background())); own.limited() || !own.Plain {
		t.Errorf("what the program does itself is limited: %+v", own)
	}
}

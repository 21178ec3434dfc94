package server

import (
	"context"
	"testing"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/service"
)

// Where nobody is known, nobody is let in: such a caller sees no site, no serial number
// and may do nothing.
func TestNobodySeesNothing(t *testing.T) {
	nobody := callerOf(context.Background())
	expect.That(t, "nobody.Limited()", nobody.Limited())
	expect.That(t, `!nobody.Sees("")`, !nobody.Sees(""))
	expect.That(t, `!nobody.Sees("Gull Quay")`, !nobody.Sees("Gull Quay"))
	expect.That(t, "!nobody.Plain", !nobody.Plain)
	expect.That(t, "nobody.hides(fact.DeviceSerial.Def().Name)", nobody.hides(fact.DeviceSerial.Def().Name))
	for _, needs := range []string{ScopeSubmit, ScopeRead, ScopeWork, ScopeManage} {
		if allows(nobody.Scope, needs) {
			t.Errorf("nobody may %s", needs)
		}
	}
	if own := service.ViewerOf(service.ByItself(context.Background())); own.Limited() || !own.Plain {
		t.Errorf("what the program does itself is limited: %+v", own)
	}
}

package identity_test

import (
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/identity"
)

func TestVouch(t *testing.T) {
	at := time.Date(2026, 11, 20, 8, 0, 0, 0, time.UTC)
	keyed := identity.Speaker{Key: "k1", Token: 1, SignedAt: at}
	for _, c := range []struct {
		name string
		is   identity.Speaker
		from identity.Sender
		why  string
	}{
		{"its key", keyed, identity.Sender{Key: "k1", Created: at.Add(time.Second), Token: 1}, ""},
		{"its key, by another token", keyed, identity.Sender{Key: "k1", Created: at.Add(time.Second), Token: 2}, ""},
		{"no signature, its token", keyed, identity.Sender{Token: 1}, "not signed"},
		{"no signature, a person", keyed, identity.Sender{}, "not signed"},
		{"another key", keyed, identity.Sender{Key: "k2", Created: at.Add(time.Second), Token: 1}, "a different key"},
		{"sent again", keyed, identity.Sender{Key: "k1", Created: at, Token: 1}, "not later"},
		{"an earlier one", keyed, identity.Sender{Key: "k1", Created: at.Add(-time.Hour), Token: 1}, "not later"},
		{"no key, its token", identity.Speaker{Token: 1}, identity.Sender{Token: 1}, ""},
		{"no key, another token", identity.Speaker{Token: 1}, identity.Sender{Token: 2}, "a different token"},
		{"a first key, by another token", identity.Speaker{Token: 1}, identity.Sender{Key: "k1", Created: at, Token: 2},
			"a different token"},
		{"a first key, by its token", identity.Speaker{Token: 1}, identity.Sender{Key: "k1", Created: at, Token: 1},
			""},
		{"no key, a person", identity.Speaker{Token: 1}, identity.Sender{}, ""},
		{"a person's machine, by a token", identity.Speaker{}, identity.Sender{Token: 2},
			"A person imported this machine"},
		{"a person's machine, by a first key", identity.Speaker{}, identity.Sender{Token: 2, Key: "k1", Created: at},
			"A person imported this machine"},
		{"a person's machine, by a token for such", identity.Speaker{}, identity.Sender{Token: 2, Imported: true}, ""},
		{"a token's machine, by a token for persons'", identity.Speaker{Token: 1},
			identity.Sender{Token: 2, Imported: true}, "a different token"},
		{"from before", identity.Speaker{Token: identity.ByAnybody}, identity.Sender{Token: 2}, ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			if why := identity.Vouch(c.is, c.from); (why == "") != (c.why == "") || !strings.Contains(why, c.why) {
				t.Errorf("%s: %q, want %q", c.name, why, c.why)
			}
		})
	}
}

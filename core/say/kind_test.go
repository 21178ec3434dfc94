package say_test

import (
	"strings"
	"testing"

	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/say"
)

// A kind of need that a sentence forgets would be said as nothing.
func TestEveryKindOfNeedIsSaid(t *testing.T) {
	seen := map[string]string{}
	for _, s := range need.Samples() {
		t.Run(s.Key, func(t *testing.T) {
			for what, text := range map[string]string{
				"the need":     say.Need(s.Leaf),
				"its opposite": say.Need(&need.NotOf{Part: s.Leaf}),
				"its target":   say.Target(s.Leaf),
			} {
				t.Run(what, func(t *testing.T) {
					if strings.TrimSpace(text) == "" || strings.HasSuffix(strings.TrimSpace(text), ":") {
						t.Errorf("%s is said as %q", what, text)
					}
				})
			}
			is, not := say.Need(s.Leaf), say.Need(&need.NotOf{Part: s.Leaf})
			if is == not {
				t.Errorf("%q is its own opposite", is)
			}
			if other, twice := seen[is]; twice {
				t.Errorf("%s is said as %s is: %q", s.Key, other, is)
			}
			seen[is] = s.Key
		})
	}
}

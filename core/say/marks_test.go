package say_test

import (
	"testing"

	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
)

// T64: no disposition is told by colour alone: each has a mark of its own beside its word.
func TestT64EveryDispositionHasAMarkOfItsOwn(t *testing.T) {
	seen := map[string]string{}
	for _, d := range remedy.Dispositions() {
		m := say.Marks[d]
		if m == "" || seen[m] != "" {
			t.Errorf("%s has the mark %q, as has %q", d, m, seen[m])
		}
		seen[m] = d
	}
}

package fleet_test

import (
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/fleet"
)

// Each key of the table is read, answered and told of; values that it cannot have are
// refused, with what would be right.
func TestEveryKey(t *testing.T) {
	names := fleet.Keys()
	if !slices.IsSorted(names) || len(slices.Compact(slices.Clone(names))) != len(names) {
		t.Errorf("the keys are not in order, or one is there twice: %v", names)
	}
	sample := map[string]string{
		"decision": "hold", "ends": "90", "older": "14", "missing": "tpm.header", "rule_change": "1", "wave": "1",
		"certainty": "expected", "class": "pc", "cause": "needs-rights", "outcome": "failed", "route": "reinstall",
		"offer": "late", "support": "over", "visit": "2026-12-03",
		"order": "T-104", "part": "new laptop", "attested": "yes",
	}
	for _, yesOrNo := range []string{"duplicate", "hold", "judged", "retired", "unsupported"} {
		sample[yesOrNo] = "yes"
	}
	for _, disposition := range []string{"disposition", "next", "publisher"} {
		sample[disposition] = "refit"
	}
	open := []string{
		"alone", "fails", "fixed_by", "further", "installed",
		"key", "maker", "model", "site", "step", "tag", "unknown", "waived",
		"assigned", "order", "part",
	}
	x := fleet.NewIndex()
	for _, name := range names {
		value := sample[name]
		if value == "" {
			value = "x"
		}
		f, err := fleet.Parse(name + "=" + value)
		if err != nil {
			t.Errorf("%s=%s: %v", name, value, err)
			continue
		}
		if n := x.Select(f).Len(); n != 0 {
			t.Errorf("%s picks %d of no machines", name, n)
		}
		if !strings.Contains(fleet.Doc(), name) {
			t.Errorf("nobody is told of %s", name)
		}
		_, err = fleet.Parse(name + "=\u00a7")
		if refused := err != nil; refused == slices.Contains(open, name) {
			t.Errorf("%s=\u00a7: %v", name, err)
		}
		if err != nil {
			if !strings.Contains(err.Error(), name) ||
				strings.HasSuffix(strings.TrimSpace(err.Error()), ";") {
				t.Errorf("%s: %v", name, err)
			}
		}
	}
}

package need_test

import (
	"reflect"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/need"
)

// Every kind of need has its key in documents, is told from others, and is compared with its like.
func TestNoKindIsForgotten(t *testing.T) {
	keys := map[string]bool{}
	for i := range reflect.TypeFor[need.Document]().NumField() {
		tag, _, _ := strings.Cut(reflect.TypeFor[need.Document]().Field(i).Tag.Get("json"), ",")
		keys[tag] = true
	}
	unknown := fact.Read(&inventory.Document{})
	for _, s := range need.Samples() {
		t.Run(s.Key, func(t *testing.T) {
			if !keys[s.Key] {
				t.Error("a document has no such key")
			}
			if got := slices.Collect(s.Leaf.Leaves()); len(got) != 1 || got[0] != s.Leaf {
				t.Errorf("its leaves are %v", got)
			}
			if got := s.Leaf.Test(unknown.View()); got != need.Unknown {
				t.Errorf("of an unknown fact it is %s", got)
			}
			if got := need.Compare(s.Leaf, s.Leaf); got != need.Same {
				t.Errorf("beside itself it is %v", got)
			}
			if s.Tighter == nil {
				return
			}
			if got := need.Compare(s.Leaf, s.Tighter); got != need.Tighter {
				t.Errorf("one that asks more is %v", got)
			}
			if got := need.Compare(s.Tighter, s.Leaf); got != need.Looser {
				t.Errorf("one that asks less is %v", got)
			}
		})
	}
	for _, tag := range []string{"fact", "all", "any", "not", "in", "every", "some", "none", "-", ""} {
		delete(keys, tag)
	}
	for _, s := range need.Samples() {
		delete(keys, s.Key)
	}
	if len(keys) > 0 {
		t.Errorf("keys without a kind: %v", keys)
	}
}

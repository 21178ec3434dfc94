package work_test

import (
	"strings"
	"testing"

	"rolltop.example/rolltop/core/work"
)

func TestClose(t *testing.T) {
	said := map[string]bool{}
	for _, l := range work.Leavings {
		err := work.Close(said)
		if l.ID == work.Closed {
			if err != nil {
				t.Errorf("all is said, and the record stays open: %v", err)
			}
			continue
		}
		if err == nil || !strings.Contains(strings.ToLower(err.Error()), strings.ToLower(l.Title)) {
			t.Errorf("nothing is said of %s: %v", l.ID, err)
		}
		said[l.ID] = true
	}
	if work.LeavingOf("disk-wiped") == nil || work.LeavingOf("x") != nil {
		t.Error("they are not found by their ids")
	}
}

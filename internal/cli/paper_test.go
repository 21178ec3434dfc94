package cli

import (
	"bytes"
	"strings"
	"testing"

	"github.com/rivo/uniseg"
)

// Names of machines and sites may have letters that are two columns wide, or are put together of several signs.
func TestWidthIsOfWhatIsSeen(t *testing.T) {
	for _, tt := range []struct{ name, text, want string }{
		{"fits", "Gull Quay", "Gull Quay"},
		{"too long", "Eelgrass Landing", "Eelgrass…"},
		{"wide letters", "港口港口港口", "港口港口…"},
		{"an accent of its own", "Ele\u0301ve Pier", "Ele\u0301ve Pi…"},
		{"a sign of several", "👩‍🔧👩‍🔧👩‍🔧👩‍🔧👩‍🔧", "👩‍🔧👩‍🔧👩‍🔧👩‍🔧…"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			got := cut(tt.text, 9)
			if got != tt.want {
				t.Errorf("got %q, want %q", got, tt.want)
			}
			if n := uniseg.StringWidth(got); n > 9 {
				t.Errorf("it has %d columns", n)
			}
		})
	}
}

func TestColumnsStandBelowEachOther(t *testing.T) {
	var out bytes.Buffer
	p := &paper{out: &out, width: 60, terminal: true}
	p.table([]string{"Site", "Says"}, [][]string{{"港口", "here"}, {"Gull Quay", "here"}, {"E\u0301pi", "here"}})
	for line := range strings.Lines(out.String()) {
		before, _, _ := strings.Cut(line, "here")
		if strings.Contains(line, "here") && uniseg.StringWidth(before) != len("Gull Quay")+2 {
			t.Errorf("%q begins at column %d", line, uniseg.StringWidth(before))
		}
	}
}

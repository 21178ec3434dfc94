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

// A table keeps to its width, whatever its cells are, and loses none of their words.
func TestTablesKeepToTheirWidth(t *testing.T) {
	long := strings.Repeat("word ", 30)
	rows := [][]string{
		{"港口港口港口港口港口", "Gull Quay and everything behind it", "◐ reconfigure", long, "1", long},
		{"E\u0301pi", "x", "", strings.Repeat("unbroken", 12), "23", "short"},
		{"", "", "", "", "", ""},
	}
	for columns := 1; columns <= 6; columns++ {
		for _, width := range []int{40, 60, 80, 120} {
			for _, terminal := range []bool{false, true} {
				if columns == 6 && width == 40 {
					continue // six columns of six letters do not fit
				}
				var out bytes.Buffer
				p := &paper{out: &out, width: width, terminal: terminal}
				some := make([][]string, len(rows))
				for i, r := range rows {
					some[i] = r[:columns]
				}
				p.table([]string{"Machine", "Site", "Disposition", "What it takes", "N", "Remark"}[:columns], some)
				for line := range strings.Lines(out.String()) {
					if wide := uniseg.StringWidth(strings.TrimSuffix(line, "\n")); wide > width {
						t.Errorf("%d columns in %d, terminal %v: %d wide: %s", columns, width, terminal, wide, line)
					}
				}
				if got := strings.Count(out.String(), "word"); columns == 5 && got != 30 {
					t.Errorf("%d of 30 words are left in %d columns", got, width)
				}
			}
		}
	}
}

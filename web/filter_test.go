package web_test

import (
	"bytes"
	"encoding/json"
	"os"
	"os/exec"
	"reflect"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/fleet"
)

// answers runs calls of src/filter.ts, each a name with its arguments.
func answers(t *testing.T, calls [][]any) []any {
	t.Helper()
	var in bytes.Buffer
	for _, c := range calls {
		line, err := json.Marshal(map[string]any{"call": c[0], "with": c[1:]})
		if err != nil {
			t.Fatal(err)
		}
		in.Write(append(line, '\n'))
	}
	cmd := exec.Command("node", "test/filter.mjs")
	cmd.Stdin, cmd.Stderr = &in, os.Stderr
	out, err := cmd.Output()
	if err != nil {
		t.Fatal(err)
	}
	var got []any
	for line := range strings.Lines(string(out)) {
		var v any
		if err := json.Unmarshal([]byte(line), &v); err != nil {
			t.Fatal(err)
		}
		got = append(got, v)
	}
	if len(got) != len(calls) {
		t.Fatalf("%d answers to %d calls", len(got), len(calls))
	}
	return got
}

// The console writes filters as the service does, and what it writes is the same filter.
func TestFiltersOfTheConsole(t *testing.T) {
	src, err := os.ReadFile("../core/fleet/testdata/filters.json")
	if err != nil {
		t.Fatal(err)
	}
	var rows []struct{ Where, Is string }
	if err := json.Unmarshal(src, &rows); err != nil {
		t.Fatal(err)
	}
	var calls [][]any
	for _, r := range rows {
		calls = append(calls, []any{"again", r.Where})
	}
	for i, got := range answers(t, calls) {
		t.Run(rows[i].Where, func(t *testing.T) {
			if got != rows[i].Is {
				t.Errorf("the console writes %q, the service %q", got, rows[i].Is)
			}
			if _, err := fleet.Parse(got.(string)); err != nil {
				t.Errorf("the service refuses %q: %v", got, err)
			}
		})
	}
}

func TestPartsOfFilters(t *testing.T) {
	list := func(v ...any) []any { return append([]any{}, v...) }
	tests := []struct {
		name string
		call []any
		want any
	}{
		{"values", list("valuesOf", `class=pc site="Gull Quay",East`, "site"), list("Gull Quay", "East")},
		{"no values", list("valuesOf", `class=pc`, "site"), list()},
		{"values put in place", list("withValues", `site=East class=pc`, "site", list("Gull Quay")),
			`site="Gull Quay" class=pc`},
		{"values added", list("withValues", `tern`, "site", list("East", "West")), `tern site=East,West`},
		{"values dropped", list("withValues", `site=East tern`, "site", list()), `tern`},
		{"an amount stays", list("withValues", `memory.installed_bytes>=8GiB`, "site", list("East")),
			`memory.installed_bytes>=8GiB site=East`},
		{"words", list("wordsOf", `tern site=East "ticket printer"`), `tern "ticket printer"`},
		{"words put in place", list("withWords", `tern site=East`, "gannet 24"), `site=East gannet 24`},
		{"terms can be typed", list("withWords", `class=pc`, "site=East"), `class=pc site=East`},
		{"a filter can be typed", list("withWords", `class=pc`, "site=East or tern"), `class=pc (site=East or tern)`},
		{"a comparison is no word", list("wordsOf", `memory.installed_bytes<8GiB tern`), `tern`},
		{"a comparison stays", list("withValues", `memory.installed_bytes<8GiB`, "site", list("East")),
			`memory.installed_bytes<8GiB site=East`},
		{"of a combined filter", list("wordsOf", `tern or not site=East`), `tern or not site=East`},
		{"a combined filter is typed anew", list("withWords", `tern or gannet`, "tern"), `tern`},
		{"a combined filter is left alone", list("withValues", `tern or gannet`, "site", list()), `tern or gannet`},
		{"a combined filter is narrowed", list("withValues", `tern or gannet`, "site", list("East")),
			`(tern or gannet) site=East`},
	}
	var calls [][]any
	for _, tt := range tests {
		calls = append(calls, tt.call)
	}
	for i, got := range answers(t, calls) {
		t.Run(tests[i].name, func(t *testing.T) {
			if !reflect.DeepEqual(got, tests[i].want) {
				t.Errorf("got %#v, want %#v", got, tests[i].want)
			}
		})
	}
}

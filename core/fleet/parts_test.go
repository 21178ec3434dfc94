package fleet_test

import (
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/internal/expect"
)

func parsed(t *testing.T, text string) fleet.Filter {
	t.Helper()
	f, err := fleet.Parse(text)
	if err != nil {
		t.Fatalf("%s: %v", text, err)
	}
	return f
}

func TestPartsOfFilters(t *testing.T) {
	for _, tt := range []struct{ where, key, values, is string }{
		{`site=East class=pc`, "site", "Gull Quay", `site="Gull Quay" class=pc`},
		{`tern`, "site", "East|West", `tern site=East,West`},
		{`site=East tern`, "site", "", `tern`},
		{`memory.installed_bytes>=8GiB`, "site", "East", `memory.installed_bytes>=8GiB site=East`},
		{`site!=East`, "site", "West", `site!=East site=West`},
		{`tern or gannet`, "site", "", `tern or gannet`},
		{`tern or gannet`, "site", "East", `(tern or gannet) site=East`},
		{`not tern`, "site", "East", `not tern site=East`},
		{``, "site", "A, B|C*", `site="A, B","C*"`},
		{``, "site", "", ``},
	} {
		t.Run(tt.where, func(t *testing.T) {
			var values []string
			if tt.values != "" {
				values = strings.Split(tt.values, "|")
			}
			got, err := parsed(t, tt.where).WithValues(tt.key, values)
			if err != nil || got.String() != tt.is {
				t.Errorf("%s with %s=%s: %q %v; want %q", tt.where, tt.key, tt.values, got, err, tt.is)
			}
			parsed(t, got.String())
		})
	}
	if _, err := parsed(t, "").WithValues("sight", []string{"x"}); err == nil {
		t.Error("an unknown key is accepted")
	}
	for _, tt := range []struct{ where, words, is string }{
		{`tern site=East`, "gannet 24", `site=East gannet 24`},
		{`class=pc`, "site=East", `class=pc site=East`},
		{`class=pc`, "site=East or tern", `class=pc (site=East or tern)`},
		{`tern or gannet`, "tern", `tern`},
		{`tern class=pc`, "", `class=pc`},
		{`tern`, "", ``},
	} {
		t.Run(tt.where, func(t *testing.T) {
			got, err := parsed(t, tt.where).WithWords(tt.words)
			if err != nil || got.String() != tt.is {
				t.Errorf("%s with the words %s: %q %v; want %q", tt.where, tt.words, got, err, tt.is)
			}
		})
	}
	for where, words := range map[string]string{
		`tern site=East "ticket printer"`:    `tern "ticket printer"`,
		`memory.installed_bytes<8GiB tern`:   `tern`,
		`tern or not site=East`:              `tern or not site=East`,
		`class=pc`:                           ``,
		`"or" class=pc`:                      `"or"`,
		`(tern gannet) disposition!=refit *`: "",
	} {
		t.Run(where, func(t *testing.T) {
			f, err := fleet.Parse(where)
			if err == nil && words != "" {
				if f.Words() != words {
					t.Errorf("the words of %s are %q", where, f.Words())
				}
			}
		})
	}
	parts, simple := parsed(t, `class=pc site="Gull Quay",East* tern`).Parts()
	expect.That(t, "simple", simple)
	expect.Same(t, "len(parts)", len(parts), 3)
	expect.That(t, "both values", slices.Equal(parts[1].Values, []string{"Gull Quay", "East*"}))
	expect.Same(t, "parts[1].Op", parts[1].Op, "=")
	expect.Same(t, "parts[1].Text", parts[1].Text, `site="Gull Quay",East*`)
	expect.Same(t, "parts[2].Key", parts[2].Key, "")
	if parts, simple := parsed(t, "a or b").Parts(); simple || parts != nil {
		t.Errorf("%+v", parts)
	}
}

// What is offered at the end of a filter is a filter, or the beginning of one, and has what was typed.
func TestComplete(t *testing.T) {
	e := fleet.Existing{
		Requirements: []string{"tpm", "memory"}, Steps: []string{"tpm-on"},
		Sites: []string{"Gull Quay", "Tern Yard"}, Tags: []string{"kiosk"},
	}
	for text, want := range map[string]string{
		"":                            "disposition=",
		"dis":                         "disposition=",
		"class=pc si":                 "class=pc site=",
		"class=pc site=g":             `class=pc site="Gull Quay"`,
		`class=pc site="Gull`:         `class=pc site="Gull Quay"`,
		`site="Gull Quay",t`:          `site="Gull Quay","Tern Yard"`,
		"(not fails=":                 "(not fails=tpm",
		"not (tag=k":                  "not (tag=kiosk",
		"step=":                       "step=tpm-on",
		"disposition=refit,rep":       "disposition=refit,replace",
		"disposition!=re":             "disposition!=ready",
		"tpm.st":                      "tpm.state=",
		"tpm.state=not":               "tpm.state=not-seen",
		"memory.inst":                 "memory.installed_bytes=",
		"missing=tpm.h":               "missing=tpm.header",
		"firmware.uefi_capable=":      "firmware.uefi_capable=true",
		"tern or (class=pc cert":      "tern or (class=pc certainty=",
		"serial=X na":                 "serial=X name=",
		"memory.installed_bytes<8GiB": "",
		"model=":                      "",
	} {
		t.Run(text, func(t *testing.T) {
			got := fleet.Complete(text, e)
			found := want == "" && len(got) == 0
			for _, c := range got {
				found = found || c.Text == want
				if c.Says == "" {
					t.Errorf("%s: %s says nothing", text, c.Text)
				}
			}
			if !found {
				t.Errorf("%q is not offered %q: %+v", text, want, got)
			}
		})
	}
}

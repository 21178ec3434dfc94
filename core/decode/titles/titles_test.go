package titles_test

import (
	"strings"
	"testing"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/titles"
	"rolltop.example/rolltop/internal/expect"
)

func TestHas(t *testing.T) {
	k := titles.Ask(" Tidebook, hawser vpn ,")
	for title, want := range map[string]bool{
		"Tidebook":      true,
		"tidebook 4":    true,
		"Tidebooks":     false,
		"Hawser VPN":    true,
		"Hawser":        false,
		"":              false,
		"Tidebook (64)": true,
	} {
		t.Run(title, func(t *testing.T) {
			if k.Has(title) != want {
				t.Errorf("%q: %v", title, !want)
			}
		})
	}
	expect.That(t, `!titles.Ask("").Has("x")`, !titles.Ask("").Has("x"))
	expect.That(t, `titles.Ask("ALL").Has("x")`, titles.Ask("ALL").Has("x"))
	expect.That(t, `titles.Ask(" , ").None()`, titles.Ask(" , ").None())
	for _, k := range []titles.Keep{titles.Ask("all"), titles.Ask("a,b")} {
		got, asked := titles.Of(capture.Record{Outcome: capture.OK, Raw: []byte(k.Lines())})
		expect.That(t, "asked", asked)
		expect.Same(t, "got.All", got.All, k.All)
		expect.Same(t, "len(got.Named)", len(got.Named), len(k.Named))
	}
	if _, asked := titles.Of(capture.Record{}); asked {
		t.Error("nobody asked")
	}
}

const status = `Package: tidebook
Status: install ok installed
Maintainer: a person <person@tidewrack.example>
Architecture: amd64
Version: 1:4.1-2
Description: rosters
 Package: not-this
 .

Package: lampwright
Status: deinstall ok config-files
Version: 2

Package: hawser
Version: 9
Status: install ok installed
`

func TestDpkg(t *testing.T) {
	all := titles.Dpkg([]byte(status))
	expect.Same(t, "len(all)", len(all), 2)
	expect.Same(t, "all[0].Name", all[0].Name, "tidebook")
	expect.Same(t, `all[0].Version.Or("")`, all[0].Version.Or(""), "1:4.1-2")
	expect.Same(t, `all[0].Architecture.Or("")`, all[0].Architecture.Or(""), "amd64")
	expect.Same(t, "all[1].Name", all[1].Name, "hawser")
	expect.That(t, "all[1].Architecture.IsZero()", all[1].Architecture.IsZero())
	kept := titles.Trim([]byte(status), titles.Ask("tidebook"))
	if strings.Contains(string(kept), "person") || strings.Contains(string(kept), "hawser") {
		t.Errorf("kept more than was asked for:\n%s", kept)
	}
	if some := titles.Dpkg(kept); len(some) != 1 || some[0] != all[0] {
		t.Errorf("%+v", some)
	}
}

func FuzzDpkg(f *testing.F) {
	f.Add([]byte(status))
	f.Fuzz(func(t *testing.T, b []byte) {
		if kept := titles.Trim(b,
			titles.Ask("all")); len(titles.Dpkg(kept)) > len(titles.Dpkg(b))+strings.Count(string(b), "Package:") {
			t.Errorf("%q grew", b)
		}
		for _, s := range titles.Dpkg(b) {
			if s.Name == "" {
				t.Error("a package without a name")
			}
		}
	})
}

package titles_test

import (
	"strings"
	"testing"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/titles"
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
		if k.Has(title) != want {
			t.Errorf("%q: %v", title, !want)
		}
	}
	if titles.Ask("").Has("x") || !titles.Ask("ALL").Has("x") || !titles.Ask(" , ").None() {
		t.Error("none and all are mixed up")
	}
	for _, k := range []titles.Keep{titles.Ask("all"), titles.Ask("a,b")} {
		got, asked := titles.Of(capture.Record{Outcome: capture.OK, Raw: []byte(k.Lines())})
		if !asked || got.All != k.All || len(got.Named) != len(k.Named) {
			t.Errorf("%+v came back as %+v", k, got)
		}
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
	if len(all) != 2 || all[0].Name != "tidebook" || all[0].Version.Or("") != "1:4.1-2" ||
		all[0].Architecture.Or("") != "amd64" || all[1].Name != "hawser" || !all[1].Architecture.IsZero() {
		t.Errorf("%+v", all)
	}
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

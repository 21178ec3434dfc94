package release_test

import (
	"fmt"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/internal/expect"
)

func installed(platform, name, version string) *fact.Facts {
	f := fact.Read(&inventory.Document{})
	for id, v := range map[fact.ID]string{fact.OSPlatform: platform, fact.OSName: name, fact.OSVersion: version} {
		if v != "" {
			f.Set(id, fact.Of(id.Def().Kind, v), "")
		}
	}
	return f
}

func TestRunsOn(t *testing.T) {
	const upgrade = "upgrade: [{platform: windows, way: in-place}]\n"
	tests := []struct {
		more                    string
		platform, name, version string
		want                    release.Installed
	}{
		{"version: \"12.0\"\n", "windows", "Skerry 11", "11.999", release.NotInstalled},
		{"version: \"12.0\"\n", "windows", "Skerry 11", "12.0", release.ThisOne}, // the version decides
		{"version: \"12.0\"\n", "windows", "", "12.9.1", release.ThisOne},
		{"version: \"12.0\"\n", "windows", "Skerry 12", "13", release.LaterOne},
		{"version: \"12.0\"\n", "windows", "Skerry 12", "", release.ThisOne},
		{"version: \"12.4\"\n", "windows", "", "12.3", release.NotInstalled},
		{"version: \"12.4\"\n", "windows", "", "12.4", release.ThisOne},
		{"version: \"12.4\"\n", "windows", "", "13.0", release.LaterOne},
		{"", "windows", "skerry 12", "", release.ThisOne},
		{"", "windows", "Skerry 13", "", release.LaterOne},
		{"", "windows", "Skerry 12.1", "", release.LaterOne},
		{"", "windows", "Skerry 11.9", "", release.NotInstalled},
		{"", "windows", "Skerry", "", release.NotInstalled},
		{"", "windows", "Fathom 13", "", release.NotInstalled},
		{"", "windows", "Skerry Server 13", "", release.NotInstalled},
		{"", "windows", "Skerry 13b", "", release.NotInstalled},
		{"", "linux", "Skerry 13", "", release.NotInstalled}, // no way leads from there
		{"", "", "Skerry 13", "", release.NotInstalled},
	}
	for _, tt := range tests {
		t.Run(tt.more, func(t *testing.T) {
			rel, err := release.Read("r", []byte(head+tt.more+upgrade+one), nil)
			if err != nil {
				t.Fatal(err)
			}
			if got := rel.RunsOn(installed(tt.platform, tt.name, tt.version)); got != tt.want {
				t.Errorf("%s%q %q %q: %d, want %d", tt.more, tt.platform, tt.name, tt.version, got, tt.want)
			}
		})
	}
	for _, version := range []string{"v12", "twelve", ":"} {
		_, err := release.Read("r", []byte(head+"version: \""+version+"\"\n"+one), nil)
		if err == nil || !strings.Contains(err.Error(), "is not a version") {
			t.Errorf("version %q: %v", version, err)
		}
	}
	for _, version := range []string{"0.1", "9"} {
		if _, err := release.Read("r", []byte(head+"version: \""+version+"\"\n"+one), nil); err != nil {
			t.Errorf("version %q: %v", version, err)
		}
	}
}

// Every way that what is known leaves open counts, the shortest first, and none behind
// one that surely fits.
func TestPathsFrom(t *testing.T) {
	rel, err := release.Read("r", []byte(head+`upgrade:
  - {platform: windows, edition: [Quay], way: reinstall}
  - {platform: windows, at_least: "10.0", at_most: "10.9", way: interim, through: skerry-11}
  - {platform: windows, at_least: "11.0", way: in-place}
interim: [{id: skerry-11, name: Skerry 11}]
`+one), nil)
	if err != nil {
		t.Fatal(err)
	}
	for _, tt := range []struct{ platform, version, want string }{
		{"windows", "11.2", "in-place"},
		{"windows", "10.4", "interim"},
		{"windows", "", "in-place interim reinstall reinstall"},
		{"windows", "9", "reinstall reinstall"}, // as that edition's way, or as no way fits
		{"linux", "", "reinstall"},
	} {
		t.Run(tt.platform, func(t *testing.T) {
			var ways []string
			for _, p := range rel.PathsFrom(installed(tt.platform, "", tt.version)) {
				ways = append(ways, p.Way)
			}
			if got := strings.Join(ways, " "); got != tt.want {
				t.Errorf("%s %q: %s, want %s", tt.platform, tt.version, got, tt.want)
			}
		})
	}
	for id, want := range map[fact.ID]bool{
		fact.OSPlatform:      true,
		fact.OSVersion:       true,
		fact.OSEdition:       true,
		fact.OSArchitecture:  false,
		fact.OSLanguage:      false,
		fact.MemoryInstalled: false,
	} {
		if rel.RoutesBy(id) != want {
			t.Errorf("the way rests on %s: %v", id, !want)
		}
	}
}

// A way is for one version alone where its two bounds are the same.
func TestWayOfOneVersion(t *testing.T) {
	rel, err := release.Read("r", []byte(head+`upgrade:
  - {platform: windows, at_least: "11.2", at_most: "11.2", way: in-place}
`+one), nil)
	if err != nil {
		t.Fatal(err)
	}
	for version, want := range map[string]string{"11.1": "reinstall", "11.2": "in-place", "11.3": "reinstall"} {
		t.Run(version, func(t *testing.T) {
			if got := rel.PathsFrom(installed("windows", "", version))[0].Way; got != want {
				t.Errorf("%s: %s, want %s", version, got, want)
			}
		})
	}
}

// Bounds of one fact contradict each other where no value meets all of them; the
// narrowest of each side are named.
func TestContradictions(t *testing.T) {
	for _, tt := range []struct{ needs, want string }{
		{"at_least: 4}|at_most: 4", ""},
		{"at_most: 4}|at_least: 4", ""},
		{"at_least: 5}|at_most: 4", "r0 and r1 contradict each other on processor.cores: at least 5 and at most 4"},
		{"at_least: 2}|at_least: 8}|at_most: 6", "r1 and r2 contradict each other on processor.cores: at least 8 and"},
		{"at_least: 8}|at_least: 2}|at_most: 6", "r0 and r2 contradict each other on processor.cores: at least 8 and"},
		{"at_most: 9}|at_most: 3}|at_least: 6", "r2 and r1 contradict each other on processor.cores: at least 6 and"},
		{"at_most: 3}|at_most: 9}|at_least: 6", "r2 and r0 contradict each other on processor.cores: at least 6 and"},
		{"at_most: 3}|at_most: 3}|at_least: 6", "r2 and r0 contradict each other on processor.cores: at least 6 and"},
		{"at_least: 6}|at_least: 6}|at_most: 3", "r0 and r2 contradict each other on processor.cores: at least 6 and"},
		{"one_of: [2, 4]}|one_of: [4, 8]", ""},
		{"one_of: [2, 4]}|one_of: [8, 16]", "r0 and r1 contradict each other on processor.cores: no value meets both"},
		{"one_of: [2, 4]}|one_of: [4, 8]}|one_of: [8, 2]", "r1 and r2 contradict each other on processor.cores"},
	} {
		t.Run(tt.needs, func(t *testing.T) {
			src := head + "requirements:\n"
			for i, n := range strings.Split(tt.needs, "}|") {
				src += fmt.Sprintf("  - {id: r%d, title: T, level: must, consequence: unsupported, reason: R, "+
					"need: {fact: processor.cores, %s}}\n", i, n)
			}
			_, err := release.Read("r", []byte(src), nil)
			switch {
			case tt.want == "" && err != nil:
				t.Errorf("%s: %v", tt.needs, err)
			case tt.want != "" && (err == nil || !strings.Contains(err.Error(), tt.want)):
				t.Errorf("%s: %v, want %s", tt.needs, err, tt.want)
			case tt.want != "" && strings.Count(err.Error(), "contradict") != 1:
				t.Errorf("%s: said more than once: %v", tt.needs, err)
			}
		})
	}
}

// An id has lower-case letters, digits and hyphens, 64 at most, and begins with no hyphen.
func TestIDs(t *testing.T) {
	for id, want := range map[string]bool{
		"a": true, "z": true, "0": true, "9": true, "a-b-": true, strings.Repeat("a", 64): true,
		"": false, "-a": false, "A": false, "a.b": false, "a/b": false, "a:b": false, "a`b": false, "a{b": false,
		"ä": false, strings.Repeat("a", 65): false,
	} {
		t.Run(id, func(t *testing.T) {
			if release.ValidID(id) != want {
				t.Errorf("%q can be an id: %v", id, !want)
			}
		})
	}
}

// A list names its file beside the document: letters, digits, hyphens, underscores and points.
func TestNamesOfListFiles(t *testing.T) {
	for name, want := range map[string]bool{
		"0.csv": true, "9.csv": true, "a.csv": true, "z.csv": true, "A.csv": true, "Z.csv": true, "a-b_c.d.csv": true,
		strings.Repeat("a", 96) + ".csv": true, strings.Repeat("a", 97) + ".csv": false,
		".csv": false, ".a.csv": false, "a.tsv": false, "a/b.csv": false, "a:b.csv": false, "a@b.csv": false,
		"a[b.csv": false, "a`b.csv": false, "a{b.csv": false, "a b.csv": false, "ä.csv": false,
	} {
		t.Run(name, func(t *testing.T) {
			if release.ValidFile(name) != want {
				t.Errorf("%q can be the name of a file: %v", name, !want)
			}
		})
	}
}

// The way rests on a fact where one way, or one value of it, does.
func TestWaysRestOnFacts(t *testing.T) {
	for key, id := range map[string]fact.ID{
		"architecture: [x86-64]": fact.OSArchitecture, "edition: [Office]": fact.OSEdition,
		"language: [en]": fact.OSLanguage, `at_least: "11"`: fact.OSVersion, `at_most: "11"`: fact.OSVersion,
	} {
		t.Run(key, func(t *testing.T) {
			src := head + "upgrade: [{platform: windows, way: in-place, " + key + "}]\n" + one
			rel, err := release.Read("r", []byte(src), nil)
			if err != nil {
				t.Fatal(err)
			}
			for _, other := range []fact.ID{fact.OSArchitecture, fact.OSEdition, fact.OSLanguage, fact.OSVersion} {
				expect.Same(t, key+", "+other.String(), rel.RoutesBy(other), other == id)
			}
		})
	}
}

// A way over an intermediate release is one only where the machine gets to that release in
// place, or over another one.
func TestWayToAnIntermediateRelease(t *testing.T) {
	for _, tt := range []struct{ first, version, want string }{
		{`{platform: windows, at_least: "10.0", way: in-place}`, "10.4", "interim"},
		{`{platform: windows, at_least: "10.0", way: in-place}`, "9.1", "reinstall"},
		{`{platform: windows, way: image}`, "10.4", "reinstall"},
		{`{platform: linux, way: in-place}`, "10.4", "reinstall"},
	} {
		t.Run(tt.first, func(t *testing.T) {
			rel, err := release.Read("r", []byte(head+`upgrade: [{platform: windows, way: interim, through: between}]
interim: [{id: between, name: Skerry 11, upgrade: [`+tt.first+`]}]
`+one), nil)
			if err != nil {
				t.Fatal(err)
			}
			got := rel.PathsFrom(installed("windows", "", tt.version))[0].Way
			expect.Same(t, tt.first+" from "+tt.version, got, tt.want)
		})
	}
}

// Of two ways over intermediate releases, the one with fewer of them is taken, wherever it
// stands in the document.
func TestTheShorterWayIsTaken(t *testing.T) {
	const far, near = "{platform: windows, way: interim, through: b}", "{platform: windows, way: interim, through: c}"
	for _, ways := range []string{far + ", " + near, near + ", " + far} {
		t.Run(ways, func(t *testing.T) {
			rel, err := release.Read("r", []byte(head+"upgrade: ["+ways+`]
interim:
  - {id: a, name: Skerry 9}
  - {id: b, name: Skerry 10, upgrade: [{platform: windows, way: interim, through: a}]}
  - {id: c, name: Skerry 11}
`+one), nil)
			if err != nil {
				t.Fatal(err)
			}
			got := rel.PathFrom(installed("windows", "", "8.0"))
			expect.Same(t, "got.Way", got.Way, release.ByInterim)
			expect.Same(t, "got.Through()", got.Through(), "Skerry 11")
		})
	}
}

// A limit on one side alone is a limit.
func TestRoutesByOneLimit(t *testing.T) {
	for _, limit := range []string{"at_least: \"11\"", "at_most: \"11\"", ""} {
		rel, err := release.Read("r", []byte(head+"upgrade: [{platform: windows, "+limit+", way: in-place}]\n"+one),
			nil)
		if limit == "" {
			rel, err = release.Read("r", []byte(head+"upgrade: [{platform: windows, way: in-place}]\n"+one), nil)
		}
		if err != nil {
			t.Fatal(err)
		}
		if rel.RoutesBy(fact.OSVersion) != (limit != "") {
			t.Errorf("%q: the version decides: %v", limit, rel.RoutesBy(fact.OSVersion))
		}
	}
}

// Two documents differ in everything where something beside their requirements differs;
// the requirements of intermediate releases are then not known to be alike.
func TestSameBut(t *testing.T) {
	const interim = "upgrade: [{platform: windows, way: interim, through: between}]\ninterim: [{id: between, name: " +
		"Skerry 11, requirements: [{id: way, title: W, level: must, consequence: installer-refuses, reason: R., " +
		"need: {fact: processor.cores, at_least: 2}}]}]\n"
	read := func(src string) *release.Release {
		rel, err := release.Read("r", []byte(head+src), nil)
		if err != nil {
			t.Fatal(err)
		}
		return rel
	}
	is := read(interim + one)
	for _, tt := range []struct {
		name, other       string
		cores, way, whole bool
	}{
		{"the same", interim + one, true, true, true},
		{"another limit", interim + strings.Replace(one, "at_least: 2", "at_least: 3", 1), false, true, true},
		{"another way", strings.Replace(interim, "windows", "linux", 1) + one, true, false, false},
	} {
		t.Run(tt.name, func(t *testing.T) {
			same, all := is.SameBut(read(tt.other))
			expect.Same(t, `same["cores"]`, same["cores"], tt.cores)
			expect.Same(t, `same["way"]`, same["way"], tt.way)
			expect.Same(t, "all", all, tt.whole)
		})
	}
}

// A release that names no package has none for a machine, and an empty text is a document
// without files.
func TestWithoutPackages(t *testing.T) {
	rel, err := release.Read("skerry-12.yaml", []byte(head+one), nil)
	if err != nil {
		t.Fatal(err)
	}
	if d := rel.Deliver(installed("windows", "Skerry 11", "11.0"), "in-place"); d.PackageTruth != need.False ||
		d.EditionTruth != need.True {
		t.Errorf("%+v", d)
	}
	b, err := release.Unpack("empty", nil)
	expect.NoError(t, err)
	expect.Same(t, "len(b.Document)", len(b.Document), 0)
	expect.Same(t, "len(b.Files)", len(b.Files), 0)
}

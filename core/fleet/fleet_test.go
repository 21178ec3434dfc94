package fleet_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/internal/expect"
)

var skerry = &release.Release{
	Document: &release.Document{
		ID:         "skerry-12",
		Name:       "Skerry 12",
		InstallsOn: "pc",
		Support: []release.SupportDoc{
			{Release: "Skerry 11", Ends: time.Date(2027, 4, 13, 0, 0, 0, 0, time.UTC)},
			{Release: "Skerry 10", Ends: time.Date(2026, 11, 1, 0, 0, 0, 0, time.UTC)},
		},
	},
	Requirements: []release.Requirement{
		{ID: "memory", Title: "Memory", Level: release.Must}, {ID: "tpm", Title: "TPM", Level: release.Must},
		{ID: "advice", Title: "Advice", Level: release.Should},
	},
}

func rows() []fleet.Row {
	row := func(name, site, outcomes string, d remedy.Disposition) fleet.Row {
		r := fleet.Row{
			Key:          strings.ToLower(name),
			Name:         name,
			Site:         site,
			Class:        "pc",
			Manufacturer: "Ostrel",
			Model:        "Slipway 14",
			Installed:    "Skerry 11",
			TakenAt:      time.Date(2026, 11, 1, 0, 0, 0, 0, time.UTC),
			Judged:       true,
			Release:      skerry,
			Disposition:  d,
			Outcomes:     outcomes,
			Certain:      d != remedy.Undetermined,
		}
		for i, o := range outcomes[:2] {
			if o == 'f' {
				r.Fails++
				r.Sole = skerry.Requirements[i].ID
			}
		}
		if r.Fails != 1 {
			r.Sole = ""
		}
		return r
	}
	list := []fleet.Row{
		row("GULL-001", "Gull Quay", "ppf", remedy.Ready),
		row("GULL-002", "Gull Quay", "fpp", remedy.Refit),
		row("GULL-003", "Gull Quay", "ffp", remedy.Refit),
		row("HOLM-001", "Holm Ferry", "pfp", remedy.Reconfigure),
		row("HOLM-002", "Holm Ferry", "pup", remedy.Undetermined),
	}
	list = append(list, fleet.Row{
		Key:       "m",
		Name:      "HOLM-M01",
		Site:      "Holm Ferry",
		Class:     "mac",
		Model:     "Foldbook 13",
		Installed: "Fathom 8",
	})
	list[3].Installed = "Skerry 10"
	return list
}

// index holds the rows, with the facts of some.
func index() *fleet.Index {
	x := fleet.NewIndex()
	for i, r := range rows() {
		d := &inventory.Document{}
		d.OS.Platform = inventory.Some("windows")
		if r.Class == "mac" {
			d.OS.Platform = inventory.Some("macos")
		}
		d.Memory.Installed = inventory.Some(int64(i+1) << 32)
		d.OS.Version = inventory.Some([]string{"11.2", "11.10", "10.4"}[i%3])
		if i%2 == 0 {
			d.Storage.OtherSystems = []string{"Lodestar Linux"}
		} else {
			d.TPM.State = inventory.Some("not-seen")
		}
		x.Put(int64(i+10), r, fact.Read(d))
	}
	x.Sort()
	return x
}

// picks are the names of the machines that a filter picks.
func picks(t *testing.T, x *fleet.Index, where string) []string {
	t.Helper()
	f, err := fleet.Parse(where)
	if err != nil {
		t.Errorf("%s: %v", where, err)
		return nil
	}
	s := x.Select(f.At(time.Date(2026, 11, 23, 0, 0, 0, 0, time.UTC)))
	var names []string
	for _, r := range s.Page(fleet.Order{}, 0, s.Len()) {
		names = append(names, r.Name)
	}
	return names
}

func TestFilter(t *testing.T) {
	tests := []struct{ where, want string }{
		{"", "GULL-001 GULL-002 GULL-003 HOLM-001 HOLM-002 HOLM-M01"},
		{"disposition=refit", "GULL-002 GULL-003"},
		{"disposition=refit,reconfigure site=\"Holm Ferry\"", "HOLM-001"},
		{"site='Holm Ferry'", ""},
		{`site="gull quay" fails=tpm`, "GULL-003"},
		{"fails=memory", "GULL-002 GULL-003"},
		{"alone=memory", "GULL-002"},
		{"unknown=tpm", "HOLM-002"},
		{"fails=nothing", ""},
		{"class=mac", "HOLM-M01"},
		{"judged=no", "HOLM-M01"},
		{"certainty=expected", "HOLM-002"},
		{"slipway holm", "HOLM-001 HOLM-002"},
		{`"gull quay"`, "GULL-001 GULL-002 GULL-003"},
		{`installed="Skerry 10"`, "HOLM-001"},
		{"memory.installed_bytes<=8GiB", "GULL-001 GULL-002"},
		{`memory.installed_bytes>="16 GiB" disposition=reconfigure`, "HOLM-001"},
		{"memory.installed_bytes=4GiB,8GiB", "GULL-001 GULL-002"},
		{"os.version>=11.3", "GULL-002 HOLM-002"},
		{"tpm.state=not-seen", "GULL-002 HOLM-001 HOLM-M01"},
		{"missing=tpm.state", "GULL-001 GULL-003 HOLM-002"}, // a Mac has none to miss
		{`storage.other_systems="lodestar linux"`, "GULL-001 GULL-003 HOLM-002"},
		{"firmware.boot_mode=uefi", ""},
		{"older=14 class=mac", "HOLM-M01"},
		{"older=800 class=pc", ""},
	}
	x := index()
	for _, tt := range tests {
		t.Run(tt.where, func(t *testing.T) {
			if got := strings.Join(picks(t, x, tt.where), " "); got != tt.want {
				t.Errorf("%s picks %s, want %s", tt.where, got, tt.want)
			}
		})
	}
}

// Machines that a set of remedies frees, and those that are found by what people do with
// them.
func TestFilterByWork(t *testing.T) {
	x := fleet.NewIndex()
	for i, r := range rows() {
		r.Plan = []string{"", "backup add-memory*", "backup add-memory* tpm-on*", "tpm-on*?", "read-again", ""}[i]
		x.Put(int64(i+10), r, nil)
	}
	x.Sort()
	for where, want := range map[string]string{
		"fixed_by=add-memory":                    "GULL-002",
		"fixed_by=tpm-on,add-memory":             "GULL-002 GULL-003 HOLM-001",
		"fixed_by=tpm-on":                        "HOLM-001",
		"fixed_by=tpm-on,add-memory step=tpm-on": "GULL-003 HOLM-001",
		"fixed_by=read-again":                    "",
		"step=read-again":                        "HOLM-002",
	} {
		t.Run(where, func(t *testing.T) {
			if got := strings.Join(picks(t, x, where), " "); got != want {
				t.Errorf("%s picks %s, want %s", where, got, want)
			}
		})
	}
	f, err := fleet.Parse(`wave=3 outcome=failed,back assigned="technician, east" rule_change=7 device.serial=TW1`)
	if err != nil {
		t.Fatal(err)
	}
	var external []string
	for _, s := range f.External() {
		external = append(external, s.What+"="+s.Value)
		f = f.Found(s.Key, map[string][]int64{
			"wave":          {11, 12, 13},
			"outcome":       {12},
			"assigned":      {12, 14},
			"rule_change":   {12, 15},
			"device.serial": {12},
		}[s.What])
		if s.Naming() != (s.What == "device.serial") {
			t.Errorf("%+v names one machine: %v", s, s.Naming())
		}
	}
	if got := strings.Join(external,
		" "); got != "wave=3 outcome=failed outcome=back assigned=technician, east rule_change=7 device.serial=TW1" {
		t.Errorf("sought are %s", got)
	}
	if got := x.Select(f); got.Len() != 1 || got.Page(fleet.Order{}, 0, 1)[0].Name != "GULL-003" {
		t.Errorf("%d machines are picked", got.Len())
	}
}

func TestBadFilters(t *testing.T) {
	tests := []struct{ where, want string }{
		{"dispostion=ready", `did you mean "disposition"?`}, {"disposition=redy", `did you mean "ready"?`},
		{"fabric=red", "use alone, assigned, attested, cause"},
		{`site="Gull`, "an unclosed quote"}, {"site=", "has no value"},
		{"class=tablet", "use pc, mac"},
		{"graphics.driver_model<2.0", "is a fact of each graphics adapter; machines are picked and sorted by facts"},
		{"missing=displays.name", "such as displays (how many there are)"},
		{"memory.instaled_bytes=4GiB", `did you mean "memory.installed_bytes"?`},
		{"memory.installed_bytes>=much", "not a valid value; memory is written with"},
		{"tpm.state>=off", "is not a number and cannot be compared with >=; write tpm.state="},
		{"tpm.state=of", `did you mean "off"?`}, {"missing=tpm.sate", `did you mean "tpm.state"?`},
		{
			"disposition>=ready",
			"is not a number",
		}, {"older=soon", "write older=14"}, {"graphics.name=x", "is a fact of each graphics adapter"},
		{"wave=pilot", "rolltop waves lists the waves"}, {"rule_change=0", "rolltop releases changes lists"},
		{"outcome=gone", "use waiting, handed-off, arrived, failed, back"},
	}
	for _, tt := range tests {
		t.Run(tt.where, func(t *testing.T) {
			if _, err := fleet.Parse(tt.where); err == nil || !strings.Contains(err.Error(), tt.want) {
				t.Errorf("%s: %v, want %s", tt.where, err, tt.want)
			}
		})
	}
}

func FuzzFilter(f *testing.F) {
	for _, s := range []string{
		"disposition=ready", `site="Gull Quay",x fails=tpm word`, `a"b c"d`, "=", `""`, "x==y",
		"memory.installed_bytes>=8GiB", "missing=tpm.state",
	} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, where string) {
		fleet.Complete(where, fleet.Existing{Sites: []string{"Gull Quay"}})
		one, err := fleet.Parse(where)
		if err != nil {
			return
		}
		if more, err := one.WithValues("site", []string{where}); err == nil {
			if again, err := fleet.Parse(more.String()); err != nil || again.String() != more.String() {
				t.Fatalf("%q with a site is written as %q, %v", where, more.String(), err)
			}
		}
		two, err := fleet.Parse(one.String())
		if err != nil || two.String() != one.String() {
			t.Fatalf("%q is written as %q and read as %q, %v", where, one.String(), two.String(), err)
		}
		x := index()
		if a, b := x.Select(one), x.Select(two); !slices.Equal(a.Page(fleet.Order{}, 0, 9),
			b.Page(fleet.Order{}, 0, 9)) {
			t.Fatalf("%q and %q pick differently", where, one.String())
		}
	})
}

// Every count can be written as a filter that lists exactly its machines.
func TestEveryCountLeadsToItsMachines(t *testing.T) {
	x := index()
	tally := x.Select(fleet.Filter{}).Count()
	count := func(where string) int {
		f, err := fleet.Parse(where)
		if err != nil {
			t.Fatal(err)
		}
		return x.Select(f).Len()
	}
	for d, n := range tally.By {
		if got := count(fleet.Term("disposition", remedy.Disposition(d).String())); got != n {
			t.Errorf("%s: counted %d, listed %d", remedy.Disposition(d), n, got)
		}
	}
	for _, p := range tally.Sites {
		if got := count(fleet.Term("site", p.Name)); got != p.Total {
			t.Errorf("%s: counted %d, listed %d", p.Name, p.Total, got)
		}
	}
	for _, o := range tally.Obstacles {
		id := o.Requirement.ID
		a, b, c := count("fails="+id), count("alone="+id), count("unknown="+id)
		expect.Same(t, id+": machines that fail it", a, o.Fails)
		expect.Same(t, id+": machines that fail it alone", b, o.Alone)
		expect.Same(t, id+": machines of which it is unknown", c, o.Unknown)
	}
	expect.Same(t, "tally.Total", tally.Total, 6)
	expect.Same(t, "tally.Unjudged", tally.Unjudged, 1)
	expect.Same(t, "len(tally.Obstacles)", len(tally.Obstacles), 2)
	if tally.Obstacles[0].Requirement.ID != "memory" && tally.Obstacles[0].Fails < tally.Obstacles[1].Fails {
		t.Error("the most failing is not first")
	}
}

func TestSort(t *testing.T) {
	tests := []struct{ order, first, last string }{
		{"name", "GULL-001", "HOLM-M01"}, {"-name", "HOLM-M01", "GULL-001"}, {"-fails", "GULL-003", "HOLM-M01"},
		{"disposition", "GULL-001", "HOLM-M01"}, {"installed", "HOLM-M01", "HOLM-002"},
	}
	for _, tt := range tests {
		t.Run(tt.order, func(t *testing.T) {
			list := index().Select(fleet.Filter{}).Page(order1(t, tt.order), 0, 99)
			if list[0].Name != tt.first || list[len(list)-1].Name != tt.last {
				t.Errorf(
					"%s: %s … %s, want %s … %s",
					tt.order,
					list[0].Name,
					list[len(list)-1].Name,
					tt.first,
					tt.last,
				)
			}
		})
	}
}

func TestWords(t *testing.T) {
	all := index().Select(fleet.Filter{})
	tally := all.Count()
	targets := map[string]*release.Release{"pc": skerry}
	if got, want := tally.Headline(targets), "0 of 5 PCs run Skerry 12; 1 more can take it now. One more machine "+
		"needs only settings or software."; got != want {
		t.Errorf("%s", got)
	}
	empty := fleet.NewIndex().Select(fleet.Filter{}).Count()
	if got := empty.Headline(targets); got != "No machine has been inventoried yet." {
		t.Error(got)
	}
	sup := all.Supported(time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC))
	var got []string
	for _, s := range sup {
		got = append(got, s.Says())
	}
	want := "Skerry 10 went out of support on 1 November 2026; one machine runs it. Skerry 11 is supported until 13 " +
		"April 2027, 141 days from now; four machines run it."
	if strings.Join(got, " ") != want {
		t.Errorf("%s", strings.Join(got, " "))
	}
}

// Support ends by edition: each group that is counted is the one that its filter picks, and a machine
// whose edition is unknown has the day of all others.
func TestSupportByEdition(t *testing.T) {
	rel, err := release.Read("r", []byte(`format: rolltop-release/1
id: skerry-12
name: Skerry 12
installs_on: pc
revision: 1
published: 2026-06-02
source: x
requirements:
  - {id: a, title: A, level: must, consequence: unsupported, reason: R., need: {fact: processor.cores, at_least: 2}}
support:
  - {release: Skerry 11, ends: 2027-04-13}
  - {release: Skerry 11, edition: Counter, ends: 2026-12-31}
  - {release: Skerry 11, edition: Pier, not_decided: ends}
  - {release: Skerry 10, not_decided: ends}
`), nil)
	expect.NoError(t, err)
	x := fleet.NewIndex()
	for i, m := range [][2]string{
		{"Skerry 11", "Office"}, {"Skerry 11", "Counter"}, {"Skerry 11", "counter"}, {"Skerry 11", ""},
		{"Skerry 11", "Pier"}, {"Skerry 10", "Office"}, {"Skerry 12", "Office"},
	} {
		f := fact.Read(&inventory.Document{})
		if m[1] != "" {
			f.Set(fact.OSEdition, fact.Of(fact.Text, m[1]), "")
		}
		x.Put(int64(i+1), fleet.Row{Key: m[1], Class: "pc", Installed: m[0], Release: rel}, f)
	}
	x.Sort()
	now := time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC)
	var said []string
	for _, s := range x.Select(fleet.Filter{}).Supported(now) {
		said = append(said, s.Says())
		f, err := fleet.Parse(s.Where())
		expect.NoError(t, err)
		expect.Same(t, s.Where(), x.Select(f).Len(), s.Machines)
	}
	expect.Same(t, "what is said", strings.Join(said, " "), "Skerry 11 Counter is supported until 31 December 2026, "+
		"38 days from now; two machines run it. Skerry 11 is supported until 13 April 2027, 141 days from now; two "+
		"machines run it.")
	for days, want := range map[string]int{"30": 0, "45": 2, "200": 4} {
		t.Run(days, func(t *testing.T) {
			f, err := fleet.Parse("ends=" + days)
			expect.NoError(t, err)
			f = f.At(now)
			expect.Same(t, "machines whose support ends in "+days+" days", x.Select(f).Len(), want)
		})
	}
}

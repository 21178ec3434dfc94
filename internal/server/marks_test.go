package server_test

import (
	"fmt"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/server"
	"rolltop.example/rolltop/internal/servertest"
)

func total(t *testing.T, c *client.Client, where string) int {
	t.Helper()
	l, err := c.MachineList(ctx, client.List{Where: where, Size: 1})
	if err != nil {
		t.Fatalf("%s: %v", where, err)
	}
	return l.Total
}

// refused wants an error that says something.
func refused(t *testing.T, what string, err error, want string) {
	t.Helper()
	if err == nil || !strings.Contains(err.Error(), want) {
		t.Errorf("%s: %v, want %q", what, err, want)
	}
}

func TestMarks(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	elsewhere, no, yes := "Outer Light", false, true
	at := total(t, s.Client, `site="Gull Quay"`)
	m, err := s.Client.Change(ctx, api.MachineChanges{Where: `site="Gull Quay"`, Tag: []string{"season", "counter"}})
	expect.NoError(t, err)
	expect.Same(t, "m.Picked", m.Picked, at)
	expect.Same(t, "m.Changed", m.Changed, at)
	if m, err := s.Client.Change(ctx, api.MachineChanges{Where: "tag=season", Tag: []string{"season"}}); err != nil ||
		m.Changed != 0 {
		t.Errorf("a tag again: %+v %v", m, err)
	}
	if n := total(t, s.Client, "tag=season"); n != at {
		t.Errorf("%d are tagged", n)
	}
	if m, err := s.Client.Change(ctx,
		api.MachineChanges{Keys: []string{"gull-001", "gull-002"}, Untag: []string{"season"},
			Site: &elsewhere}); err != nil ||
		m.Changed != 2 {
		t.Errorf("%+v %v", m, err)
	}
	if n := total(t, s.Client, `tag=counter site="Outer Light"`); n != 2 {
		t.Errorf("%d were moved", n)
	}
	// A retired machine is out of every list that does not ask for it, and comes back
	// with its next inventory.
	all := total(t, s.Client, "")
	if _, err := s.Client.Change(ctx, api.MachineChanges{Keys: []string{"gull-001"}, Retire: &yes}); err != nil {
		t.Fatal(err)
	}
	if n := total(t, s.Client, ""); n != all-1 || total(t, s.Client, "retired=yes") != 1 {
		t.Errorf("%d of %d are left", n, all)
	}
	inv, err := s.Client.Inventory(ctx, "gull-001", 0)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.Client.Submit(ctx, inv); err != nil || total(t, s.Client, "retired=yes") != 0 {
		t.Errorf("it did not come back: %v", err)
	}
	tags, err := s.Client.Tags(ctx)
	expect.NoError(t, err)
	expect.Same(t, "len(tags.Tags)", len(tags.Tags), 2)
	expect.Same(t, "tags.Tags[1].Count", tags.Tags[1].Count, at-2)
	expect.Same(t, "total(t, s.Client, tags.Tags[1].Where)", total(t, s.Client, tags.Tags[1].Where), at-2)
	for want, m := range map[string]api.MachineChanges{
		"is not a tag":                 {Where: "gull", Tag: []string{"a b"}},
		"the change is missing":        {Where: "gull"},
		"the machines are missing":     {Tag: []string{"x"}},
		`there is no machine "nobody"`: {Keys: []string{"gull-001", "nobody"}, Retire: &no},
		"unknown key":                  {Where: "plcae=x", Tag: []string{"x"}},
	} {
		t.Run(want, func(t *testing.T) {
			_, err := s.Client.Change(ctx, m)
			refused(t, fmt.Sprintf("%+v", m), err, want)
		})
	}
	audit, err := s.Client.Audit(ctx, "", "", "", 10)
	if err != nil || !strings.Contains(audit.Entries[len(audit.Entries)-1].Becomes+audit.Entries[0].Becomes,
		"out of use on one machine: gull-001") {
		t.Errorf("%+v %v", audit, err)
	}
}

// From page to page, in every order, each machine comes once; the filter and columns
// that were saved come back.
func TestPagesAndSavedFilters(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	for _, sort := range []string{"name", "-taken", "site", "memory.installed_bytes", "-needs.tpm"} {
		seen, after, from := map[string]bool{}, "", 0
		for {
			l, err := s.Client.MachineList(ctx,
				client.List{Sort: sort, Cursor: after, Size: 37, Facts: []string{"memory.installed_bytes"}})
			if err != nil {
				t.Fatal(err)
			}
			if l.From != from {
				t.Errorf("%s: from %d, want %d", sort, l.From, from)
			}
			for _, d := range l.Machines {
				seen[d.Key] = true
				if d.Facts["memory.installed_bytes"] == "" && d.Disposition == "ready" {
					t.Errorf("%s has no column", d.Name)
				}
			}
			if from += len(l.Machines); l.Next == "" {
				break
			}
			after = l.Next
		}
		if len(seen) != 284 || from != 284 {
			t.Errorf("%s: %d machines on the pages, %d rows", sort, len(seen), from)
		}
	}
	_, err := s.Client.MachineList(ctx, client.List{Cursor: "%%%"})
	refused(t, "a page of nowhere", err, "is not the cursor of a page")
	f, err := s.Client.SetFilter(ctx, "to refit",
		api.SetFilter{Filter: "disposition=refit   name='x'", Sort: "-fails", Facts: []string{"tpm.state"}})
	expect.NoError(t, err)
	expect.Same(t, "f.Filter", f.Filter, "disposition=refit device.name='x'")
	expect.That(t, `f.By != ""`, f.By != "")
	_, err = s.Client.SetFilter(ctx, "x", api.SetFilter{Filter: "dispositon=refit"})
	refused(t, "a mistake", err, "disposition")
	_, err = s.Client.SetFilter(ctx, "x", api.SetFilter{Sort: "nam"})
	refused(t, "no order", err, "cannot be sorted")
	_, err = s.Client.SetFilter(ctx, "x", api.SetFilter{Facts: []string{"tpm.stat"}})
	refused(t, "no fact", err, "tpm.state")
	l, err := s.Client.Filters(ctx)
	expect.NoError(t, err)
	expect.Same(t, "len(l.Filters)", len(l.Filters), 1)
	expect.Same(t, "l.Filters[0].Facts[0]", l.Filters[0].Facts[0], "tpm.state")
	if err := s.Client.RemoveFilter(ctx, "to refit"); err != nil {
		t.Error(err)
	}
	refused(t, "twice", s.Client.RemoveFilter(ctx, "to refit"), "there is no saved filter")
}

// What is ready now and not for what follows is counted for each target, and leads to
// its machines.
func TestNextRelease(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	f, err := s.Client.Fleet(ctx, "")
	if err != nil || len(f.Next) == 0 {
		t.Fatalf("%+v %v", f.Next, err)
	}
	for _, n := range f.Next {
		got := total(t, s.Client, n.Newly.Where)
		expect.Same(t, n.Release+": got", got, n.Newly.Count)
		expect.That(t, n.Release+": got != 0", got != 0)
		expect.Contains(t, n.Newly.Where, "class=")
	}
}

// Every count over the grid is that of its list, advice among them; cells say what is
// missing where it can be counted.
func TestMatrix(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	g, err := s.Client.Matrix(ctx, client.List{Sort: "needs.memory", Size: 1000}, "pc")
	expect.NoError(t, err)
	expect.Same(t, "g.Total", g.Total, 251)
	expect.Same(t, "len(g.Rows)", len(g.Rows), 251)
	advice, short := 0, 0
	for i, q := range g.Requirements {
		fails := 0
		for _, r := range g.Rows {
			if len(r.Cells) != len(g.Requirements) {
				t.Fatalf("%s has %d cells", r.Name, len(r.Cells))
			}
			if r.Cells[i].Outcome == "fail" {
				fails++
				if r.Cells[i].Short != "" {
					short++
				}
			}
		}
		if n := total(t, s.Client, q.WhereFails); q.Fails != fails || n != fails {
			t.Errorf("%s: %d over the column, %d cells, %d in the list", q.Requirement, q.Fails, fails, n)
		}
		if q.Level == "should" {
			advice += fails
		}
	}
	if advice == 0 || short == 0 {
		t.Errorf("%d against advice, %d short", advice, short)
	}
}

// Whoever is limited to sites sees their machines and nothing of the others, by
// whatever way they ask.
func TestLimitedToSites(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	m, err := s.Client.AddToken(ctx, api.NewToken{Name: "gull", Scope: "work", Sites: []string{"Gull Quay"}})
	if err != nil {
		t.Fatal(err)
	}
	c := s.As(t, m.Secret)
	mine := total(t, s.Client, `site="Gull Quay"`)
	expect.Same(t, "the machines that it sees", total(t, c, ""), mine)
	_, err = c.MachineList(ctx, client.List{Where: `site="Holm Ferry"`})
	refused(t, "another's site", err, `there is no site "Holm Ferry"; use Gull Quay`)
	f, err := c.Fleet(ctx, "")
	expect.NoError(t, err)
	expect.Same(t, "f.Total", f.Total, mine)
	expect.Same(t, "len(f.Sites)", len(f.Sites), 1)
	expect.Lacks(t, f.Where, "Gull")
	g, err := c.Matrix(ctx, client.List{Size: 1000}, "pc")
	expect.NoError(t, err)
	expect.That(t, "g.Total <= mine", g.Total <= mine)
	expect.That(t, "g.Total != 0", g.Total != 0)
	var b strings.Builder
	err = c.Export(ctx, "", "csv", nil, &b)
	expect.NoError(t, err)
	expect.Same(t, "strings.Count(b.String(), \"\\n\")", strings.Count(b.String(), "\n"), mine+1)
	expect.Lacks(t, b.String(), "HOLM")
	if d, err := c.Machine(ctx, "gull-001"); err != nil || d.SameModel != nil {
		t.Errorf("%v %+v", err, d.SameModel)
	}
	// Every operation on a machine of another place: there is no such machine.
	for op := range operations(t, s.URL) {
		method, path, _ := strings.Cut(op, " ")
		if !strings.HasPrefix(path, "/machines/{key}") || scopes[op] == "manage" {
			continue
		}
		path = strings.NewReplacer("{key}", "holm-001", "{fact}", "tpm.state", "{kind}", "step", "{item}",
			"tpm-on").Replace(path)
		if status, _, body := call(t, method, s.URL+"/api/v1"+path, m.Secret, "application/json",
			`{"value":"off","state":"done"}`); status != 404 || !strings.Contains(body, "there is no machine") {
			t.Errorf("%s: %d %s", op, status, body)
		}
	}
	for path, want := range map[string]int{
		"/api/v1/compare?a=gull-001&b=holm-001": 404,
		"/api/v1/compare?a=gull-001&b=gull-002": 200,
		"/metrics":                              403,
	} {
		t.Run(path, func(t *testing.T) {
			if status, _, _ := call(t, "GET", s.URL+path, m.Secret, "", ""); status != want {
				t.Errorf("%s: %d, want %d", path, status, want)
			}
		})
	}
	_, err = c.AddModelFact(ctx,
		api.AddModelFact{Maker: "Ostrel", Model: "Slipway 14", Fact: "tpm.header", Value: "false"})
	refused(t, "a fact of all machines of a model", err, "limited to Gull Quay")
	away := "Holm Ferry"
	_, err = c.Change(ctx, api.MachineChanges{Keys: []string{"gull-001"}, Site: &away})
	refused(t, "giving a machine away", err, "would lose")
	_, err = c.Change(ctx, api.MachineChanges{Keys: []string{"holm-001"}, Tag: []string{"x"}})
	refused(t, "marking another's", err, "there is no machine")
	// People are limited as tokens are; an administrator cannot be.
	_, err = s.Client.SetUser(ctx, "master", api.SetUser{Role: "administrator", Sites: []string{"Gull Quay"}})
	refused(t, "a limited administrator", err, "cannot be limited")
	if _, err := s.Client.SetUser(ctx, "clerk",
		api.SetUser{Role: "viewer", Sites: []string{"Gull Quay"}, Password: "harbour-lights-2"}); err != nil {
		t.Fatal(err)
	}
	anon := s.As(t, "")
	own, err := anon.SignIn(ctx, "clerk", "harbour-lights-2", api.NewOwnToken{Name: "laptop"})
	if err != nil || total(t, s.As(t, own.Secret), "") != mine {
		t.Errorf("%+v %v", own, err)
	}
}

// A serial number finds its machine, typed alone or as a filter, for who may see it.
func TestFoundBySerial(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	body, err := s.Client.Inventory(ctx, "gull-007", 0)
	if err != nil {
		t.Fatal(err)
	}
	d, err := inventory.Read("x", body)
	if err != nil {
		t.Fatal(err)
	}
	serial, uuid := d.Device.Serial.Or(""), d.Device.UUID.Or("")
	for _, where := range []string{
		serial, strings.ToLower(serial), "device.serial=" + serial, "device.uuid=" + uuid, "device.serial=" + serial +
			",nothing", "device.name=gull-007", serial + " disposition=ready,reconfigure,refit,replace,undetermined",
	} {
		l, err := s.Client.MachineList(ctx, client.List{Where: where})
		expect.NoError(t, err)
		expect.Same(t, where+": l.Total", l.Total, 1)
		expect.Same(t, where+": l.Machines[0].Key", l.Machines[0].Key, "gull-007")
	}
	if total(t, s.Client, "device.serial=nothing") != 0 ||
		total(t, s.Client, "device.serial="+serial+" disposition=refit,replace,ready,reconfigure name=nowhere") != 0 {
		t.Error("a serial number that nobody has finds machines")
	}
	viewer := s.As(t, s.NewToken(t, "viewer", server.ScopeRead))
	if n := total(t, viewer, serial); n != 0 {
		t.Errorf("a viewer finds %d machines by a serial number", n)
	}
	_, err = viewer.MachineList(ctx, client.List{Where: "device.serial=" + serial})
	refused(t, "a viewer's filter", err, "your role cannot see")
}

// Viewers see no serial numbers and no installed titles, until an administrator says
// otherwise.
func TestWhatViewersSee(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	viewer := s.NewToken(t, "viewer", server.ScopeRead)
	c := s.As(t, viewer)
	body, err := s.Client.Inventory(ctx, "gull-007", 0)
	if err != nil {
		t.Fatal(err)
	}
	whole, err := inventory.Read("x", body)
	if err != nil || whole.Device.Serial.Or("") == "" {
		t.Fatalf("%v", err)
	}
	secrets := []string{whole.Device.Serial.Or(""), whole.Device.UUID.Or("?")}
	for _, path := range []string{
		"/machines/gull-007", "/machines/gull-007/inventory", "/compare?a=gull-007&b=gull-001",
		"/machines/gull-007/report",
	} {
		_, _, all := call(t, "GET", s.URL+"/api/v1"+path, s.Token, "", "")
		_, _, got := call(t, "GET", s.URL+"/api/v1"+path, viewer, "", "")
		for _, secret := range secrets {
			if strings.Contains(got, secret) {
				t.Errorf("%s shows %s to a viewer", path, secret)
			}
		}
		if !strings.Contains(all, secrets[0]) && path == "/machines/gull-007" {
			t.Errorf("%s does not show %s to an administrator", path, secrets[0])
		}
	}
	_, err = c.MachineList(ctx, client.List{Facts: []string{"device.serial"}})
	refused(t, "a column", err, "your role cannot see")
	refused(t, "an export", c.Export(ctx, "", "csv", []string{"device.uuid"}, new(strings.Builder)),
		"your role cannot see")
	set, err := s.Client.Settings(ctx)
	expect.NoError(t, err)
	expect.Same(t, "set.StaleDays", set.StaleDays, 30)
	expect.Same(t, "set.HistoryMonths", set.HistoryMonths, 13)
	set.ViewersSeeAll = true
	if _, err := s.Client.SetSettings(ctx, set); err != nil {
		t.Fatal(err)
	}
	if _, _, got := call(t, "GET", s.URL+"/api/v1/machines/gull-007", viewer, "", ""); !strings.Contains(got,
		secrets[0]) {
		t.Error("the setting has no effect")
	}
}

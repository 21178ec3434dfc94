package server_test

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"io"
	"net/http"
	"regexp"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
	"rolltop.example/rolltop/internal/standin"
)

var ctx = context.Background()

// call makes a plain HTTP request and returns the status, the content type and
// the body.
func call(t *testing.T, method, url, token, contentType, body string) (int, http.Header, string) {
	t.Helper()
	req, err := http.NewRequest(method, url, strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	if token != "" {
		req.Header.Set("Authorization", "Bearer "+token)
	}
	if contentType != "" {
		req.Header.Set("Content-Type", contentType)
	}
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	if res.Header.Get("Content-Type") == "text/event-stream" {
		return res.StatusCode, res.Header, "" // it does not end
	}
	b, err := io.ReadAll(res.Body)
	if err != nil {
		t.Fatal(err)
	}
	return res.StatusCode, res.Header, string(b)
}

func machine(t *testing.T, change func(*inventory.Document)) []byte {
	t.Helper()
	org, err := standin.Load()
	if err != nil {
		t.Fatal(err)
	}
	fleet, err := org.Fleet(time.Now())
	if err != nil {
		t.Fatal(err)
	}
	for _, d := range fleet {
		if d.Storage.System.Encryption.State.Or("") == "on" && d.TPM.State.Or("") == "ready" {
			if d.OS.Platform.Or("") == "windows" {
				change(d)
				b, err := json.Marshal(d)
				if err != nil {
					t.Fatal(err)
				}
				return b
			}
		}
	}
	t.Fatal("the fleet has no such machine")
	return nil
}

func TestSubmitListShow(t *testing.T) {
	t.Parallel()
	s := servertest.Start(t, nil)
	body := machine(t, func(d *inventory.Document) { d.Device.Name = inventory.Some("GULL-900") })
	// Without a target a machine is kept and not checked.
	got, err := s.Client.Submit(ctx, body)
	expect.NoError(t, err)
	expect.That(t, "got.Created", got.Created)
	expect.Same(t, "got.Disposition", got.Disposition, "")
	expect.Same(t, "got.Machine", got.Machine, "gull-900")
	d, err := s.Client.Machine(ctx, "gull-900")
	expect.NoError(t, err)
	expect.That(t, "d.Check == nil", d.Check == nil)
	expect.Contains(t, d.NoCheck, "No target release")
	for _, src := range standin.Releases() {
		if r, err := s.Client.AddRelease(ctx, src); err != nil || !r.Added {
			t.Fatalf("%+v %v", r, err)
		}
	}
	// Choosing a target judges what is there.
	set, err := s.Client.SetTargets(ctx, api.TargetSet{PC: "skerry-12"})
	expect.NoError(t, err)
	expect.Same(t, "set.PC", set.PC, "skerry-12")
	expect.Same(t, "set.Mac", set.Mac, "")
	list, err := s.Client.Machines(ctx, "disposition=ready", "name", 1, 10)
	expect.NoError(t, err)
	expect.Same(t, "list.Total", list.Total, 1)
	expect.Same(t, "list.Machines[0].Disposition", list.Machines[0].Disposition, "ready")
	// The same machine again, worse: its verdict follows at once.
	got, err = s.Client.Submit(ctx, machine(t, func(d *inventory.Document) {
		d.Device.Name, d.TPM.State = inventory.Some("GULL-900"), inventory.Some("off")
	}))
	expect.NoError(t, err)
	expect.That(t, "!got.Created", !got.Created)
	expect.That(t, "got.Changed", got.Changed)
	expect.Same(t, "got.Disposition", got.Disposition, "reconfigure")
	d, err = s.Client.Machine(ctx, "gull-900")
	expect.NoError(t, err)
	expect.That(t, "d.Check != nil", d.Check != nil)
	expect.Same(t, "d.Check.Disposition", d.Check.Disposition, "reconfigure")
	expect.Same(t, "len(d.History)", len(d.History), 2)
	expect.That(t, "len(d.Facts) >= 6", len(d.Facts) >= 6)
	doc, err := s.Client.Inventory(ctx, "gull-900", d.History[1].ID)
	if err != nil {
		t.Fatal(err)
	}
	if inv, err := inventory.Read("history", doc); err != nil || inv.TPM.State.Or("") != "ready" {
		t.Errorf("the earlier inventory: %v", err)
	}
	// A Mac is not counted against a release for PCs.
	f, err := s.Client.Fleet(ctx, "")
	expect.NoError(t, err)
	expect.Same(t, "f.Total", f.Total, 1)
	expect.That(t, `strings.HasPrefix(f.Headline, "0 of 1 PCs run Skerry 12; ")`,
		strings.HasPrefix(f.Headline, "0 of 1 PCs run Skerry 12; "))
}

func TestDemoFleet(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	f, err := s.Client.Fleet(ctx, "")
	if err != nil {
		t.Fatal(err)
	}
	// The mix that the demo promises, with room for a machine or two.
	for i, want := range []float64{4, 39, 25, 11, 6, 8, 7} {
		c := f.Dispositions[i]
		if share := 100 * float64(c.Count) / float64(f.Total); share < want-4 || share > want+4 {
			t.Errorf("%s: %.0f %%, want about %.0f", c.Name, share, want)
		}
	}
	// Every count on the page opens a list of just that many machines.
	check := func(what, where string, count int) {
		t.Helper()
		l, err := s.Client.Machines(ctx, where, "name", 1, 1)
		if err != nil || l.Total != count {
			t.Errorf("%s: %d counted, %d listed under %s (%v)", what, count, l.Total, where, err)
		}
	}
	for _, c := range f.Dispositions {
		check(c.Name, c.Where, c.Count)
	}
	for _, o := range f.Obstacles {
		check(o.Title, o.Where, o.Fails)
		check(o.Title+" alone", o.WhereAlone, o.Alone)
		check(o.Title+" unknown", o.WhereUnsure, o.Unknown)
	}
	for _, p := range f.Sites {
		check(p.Site, p.Where, p.Total)
		for _, c := range p.Dispositions {
			check(p.Site+" "+c.Name, c.Where, c.Count)
		}
	}
	for _, sup := range f.Support {
		check(sup.Release, sup.Where, sup.Machines)
	}
	// Each machine opens, and its page agrees with the list.
	l, err := s.Client.Machines(ctx, "", "name", 1, 1000)
	if err != nil || len(l.Machines) != 284 {
		t.Fatalf("%d machines, %v", len(l.Machines), err)
	}
	for _, row := range l.Machines {
		d, err := s.Client.Machine(ctx, row.Key)
		expect.NoError(t, err)
		expect.That(t, row.Key+": d.Check != nil", d.Check != nil)
		expect.Same(t, row.Key+": d.Check.Disposition", d.Check.Disposition, row.Disposition)
		expect.Same(t, row.Key+": d.Check.Answer", d.Check.Answer, row.Answer)
		expect.That(t, row.Key+": d.Site != \"\"", d.Site != "")
	}
}

func TestPagesAndOrder(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	seen := map[string]bool{}
	for page := 1; page <= 3; page++ {
		l, err := s.Client.Machines(ctx, "class=pc", "-fails", page, 100)
		if err != nil || l.Total != 251 {
			t.Fatal(l.Total, err)
		}
		for _, d := range l.Machines {
			seen[d.Key] = true
		}
	}
	if len(seen) != 251 {
		t.Errorf("three pages show %d of 251 machines", len(seen))
	}
	if l, err := s.Client.Machines(ctx, "", "name", 99, 100); err != nil || len(l.Machines) != 0 {
		t.Errorf("a page beyond the end: %d machines, %v", len(l.Machines), err)
	}
}

func TestRefusals(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	const problem = "application/problem+json"
	good := string(machine(t, func(*inventory.Document) {}))
	huge := `{"format":"` + strings.Repeat("x", 9<<20) + `"}`
	wrong := string(standin.SkerryWith("fact: tpm.state", "fact: tpm.sate"))
	changed := string(standin.SkerryWith("entered_by: desktop support", "entered_by: another"))
	tests := []struct {
		name, method, path, token, contentType, body string
		status                                       int
		want                                         string
	}{
		{"no token", "GET", "/api/v1/machines", "", "", "", 401, "pass a valid token"},
		{"wrong token", "GET", "/api/v1/machines", "rlt_nope", "", "", 401, "pass a valid token"},
		{"unknown address", "GET", "/api/v1/nothing", s.Token, "", "", 404, "the API does not have this address"},
		{"an address below no version", "GET", "/api/machines", s.Token, "", "", 404, "see /api/v1/openapi.json"},
		{"unknown method", "DELETE", "/api/v1/machines", s.Token, "", "", 405, "does not accept DELETE; use GET"},
		{
			"unknown machine",
			"GET",
			"/api/v1/machines/gull-999",
			s.Token,
			"",
			"",
			404,
			`there is no machine \"gull-999\"`,
		},
		{"unknown inventory", "GET", "/api/v1/machines/gull-001/inventory?id=99999", s.Token, "", "", 404,
			"has no inventory 99999"},
		{"unknown release", "GET", "/api/v1/releases/skerry-14", s.Token, "", "", 404,
			`there is no release \"skerry-14\"`},
		{"filter", "GET", "/api/v1/machines?where=dispositon%3Dready", s.Token, "", "", 422,
			`did you mean \"disposition\"?`},
		{"order", "GET", "/api/v1/machines?sort=colour", s.Token, "", "", 422, "cannot be sorted by"},
		{"page", "GET", "/api/v1/machines?page=0", s.Token, "", "", 422, "page: must be at least 1"},
		{"no content type", "POST", "/api/v1/inventories", s.Token, "", good, 415,
			"send application/json or application/yaml"},
		{"wrong content type", "POST", "/api/v1/inventories", s.Token, "text/plain", good, 415,
			"send application/json or application/yaml"},
		{"not JSON", "POST", "/api/v1/inventories", s.Token, "application/json", `{"format" nope`, 422,
			"this is not valid JSON"},
		{"another version", "POST", "/api/v1/inventories", s.Token, "application/json",
			strings.Replace(good, "inventory/1", "inventory/7", 1), 422, `unknown version \"7\" of this format`},
		{"unknown key", "POST", "/api/v1/inventories", s.Token, "application/json",
			strings.Replace(good, `"device":{`, `"device":{"nmae":"x",`, 1), 422, `did you mean \"name\"?`},
		{"negative", "POST", "/api/v1/inventories", s.Token, "application/json",
			strings.Replace(good, `"installed_bytes":`, `"installed_bytes":-`, 1), 422, "is out of range"},
		{"too many rows", "POST", "/api/v1/inventories", s.Token, "application/json",
			strings.Replace(good, `"os":{`,
				`"drivers":[`+strings.Repeat(`{"device":"x"},`, 4000)+`{"device":"x"}],"os":{`, 1), 422,
			"the list has 4001 rows"},
		{"too large", "POST", "/api/v1/inventories", s.Token, "application/json", huge, 413, ""},
		{"release with mistakes", "POST", "/api/v1/releases", s.Token, "application/yaml", wrong, 422,
			`did you mean \"tpm.state\"?`},
		{"revision with other content", "POST", "/api/v1/releases", s.Token, "application/yaml", changed, 409,
			"increase the revision"},
		{"target that is not there", "PUT", "/api/v1/targets", s.Token, "application/json", `{"pc":"skerry-14"}`, 404,
			"there is no release"},
		{"target of the wrong class", "PUT", "/api/v1/targets", s.Token, "application/json", `{"mac":"skerry-12"}`, 422,
			"cannot be the target of"},
		{"key in another case", "PUT", "/api/v1/targets", s.Token, "application/json", `{"PC":"skerry-12"}`, 422,
			`unknown key \"PC\"`},
		{"scope", "POST", "/api/v1/tokens", s.Token, "application/json", `{"name":"x","scope":"all"}`, 422,
			"scope: must be one of"},
		{"sites", "PUT", "/api/v1/sites", s.Token, "application/json",
			`{"sites":[{"prefix":"A","name":"x"},{"prefix":"A","name":"y"}]}`, 422, "appears twice"},
	}
	before, _ := s.Client.Fleet(ctx, "")
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			status, header, body := call(t, tt.method, s.URL+tt.path, tt.token, tt.contentType, tt.body)
			expect.Same(t, "status", status, tt.status)
			expect.Contains(t, body, tt.want)
			expect.Same(t, `header.Get("Content-Type")`, header.Get("Content-Type"), problem)
			if len(body) > 4000 {
				t.Errorf("the answer has %d bytes", len(body))
			}
		})
	}
	after, _ := s.Client.Fleet(ctx, "")
	b, _ := json.Marshal(before)
	a, _ := json.Marshal(after)
	if !bytes.Equal(a, b) {
		t.Errorf("what was refused changed the fleet:\n%s\n%s", b, a)
	}
}

func TestMistakesCarryTheirPlaces(t *testing.T) {
	t.Parallel()
	s := servertest.Start(t, nil)
	_, err := s.Client.Submit(ctx,
		[]byte("{\n\"format\": \"rolltop-inventory/1\",\n\"taken_at\": \"2026-11-22\",\n\"os\": {\"platform\": "+
			"\"lynux\"}\n}"))
	var p *api.Problem
	expect.That(t, "errors.As(err, &p)", errors.As(err, &p))
	expect.Same(t, "len(p.Errors)", len(p.Errors), 1)
	expect.Same(t, "p.Errors[0].Line", p.Errors[0].Line, 4)
	expect.Same(t, "p.Errors[0].Path", p.Errors[0].Path, "os.platform")
}

// A draft never judges the fleet; a new final revision of the target does.
func TestRevisionsOfTheTarget(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	before, _ := s.Client.Fleet(ctx, "class=pc")
	if _, err := s.Client.AddRelease(ctx,
		standin.SkerryWith("revision: 5", "revision: 6\ndraft: true", "at_least: 6 GiB",
			"at_least: 12 GiB")); err != nil {
		t.Fatal(err)
	}
	if after, _ := s.Client.Fleet(ctx, "class=pc"); after.Dispositions[1].Count != before.Dispositions[1].Count {
		t.Error("a draft judged the fleet")
	}
	if _, err := s.Client.AddRelease(ctx,
		standin.SkerryWith("revision: 5", "revision: 7", "at_least: 6 GiB", "at_least: 12 GiB")); err != nil {
		t.Fatal(err)
	}
	if after, _ := s.Client.Fleet(ctx, "class=pc"); after.Targets[0].Release.Revision != 5 {
		t.Error("a revision that was added judged the fleet before it was put in force")
	}
	if _, err := s.Client.Activate(ctx, "skerry-12", api.Activate{Revision: 7}); err != nil {
		t.Fatal(err)
	}
	after, _ := s.Client.Fleet(ctx, "class=pc")
	if after.Dispositions[1].Count >= before.Dispositions[1].Count || after.Targets[0].Release.Revision != 7 {
		t.Errorf("%d ready by revision %d, %d before", after.Dispositions[1].Count, after.Targets[0].Release.Revision,
			before.Dispositions[1].Count)
	}
}

func TestRelease(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	r, err := s.Client.Release(ctx, "skerry-12")
	expect.NoError(t, err)
	expect.That(t, "r.Target", r.Target)
	expect.Same(t, "len(r.Requirements)", len(r.Requirements), 24)
	expect.Same(t, "len(r.Sections)", len(r.Sections), 11)
	expect.Same(t, "pages that are kept", len(r.Pages), 1)
	expect.Same(t, "len(r.Revisions)", len(r.Revisions), 2)
	for _, q := range r.Requirements {
		if q.Says == "" || q.Reason == "" {
			t.Errorf("%s says nothing", q.ID)
		}
	}
	doc, err := s.Client.ReleaseDocument(ctx, "skerry-12", 0)
	if err != nil || !bytes.Equal(doc, standin.Releases()["skerry-12.yaml"]) {
		t.Errorf("the document is not as it was given: %v", err)
	}
}

func TestConsoleFiles(t *testing.T) {
	t.Parallel()
	files := fstest.MapFS{"index.html": {Data: []byte("<!doctype html>console")}, "assets/a.js": {Data: []byte("1")}}
	s := servertest.Start(t, files)
	tests := []struct {
		method, path string
		status       int
		body, header string
	}{
		{"GET", "/", 200, "console", "no-cache"}, {"GET", "/machines/gull-001?x=y", 200, "console", "no-cache"},
		{"GET", "/assets/a.js", 200, "1", "immutable"},
		{"GET", "/assets/b.js", 404, "", ""}, {"POST", "/machines", 405, "", ""},
		{"GET", "/../../etc/passwd", 200, "console", ""}, {"GET", "/healthz", 200, "ok", ""},
	}
	for _, tt := range tests {
		t.Run(tt.method, func(t *testing.T) {
			status, header, body := call(t, tt.method, s.URL+tt.path, "", "", "")
			expect.Same(t, "status", status, tt.status)
			expect.Contains(t, body, tt.body)
			expect.Contains(t, header.Get("Cache-Control"), tt.header)
			if csp := header.Get("Content-Security-Policy"); !strings.Contains(csp, "default-src 'self'") ||
				strings.Contains(csp, "unsafe") {
				t.Errorf("%s: policy %q", tt.path, csp)
			}
		})
	}
	bare := servertest.Start(t, fstest.MapFS{})
	if status, _, body := call(t, "GET", bare.URL+"/", "", "", ""); status != 404 ||
		!strings.Contains(body, "make build") {
		t.Errorf("without a console: %d %s", status, body)
	}
}

func TestClientErrors(t *testing.T) {
	for _, address := range []string{"", "localhost", "ftp://x", "http://"} {
		if _, err := client.New(address, ""); err == nil || !strings.Contains(err.Error(), "http://host:port") {
			t.Errorf("%q: %v", address, err)
		}
	}
	if _, err := client.New("http://x", "a b"); err == nil {
		t.Error("a token with a blank was taken")
	}
	c, err := client.New("http://127.0.0.1:1", "")
	if err != nil {
		t.Fatal(err)
	}
	_, err = c.Fleet(ctx, "")
	var u *client.Unreachable
	if !errors.As(err, &u) || !strings.Contains(err.Error(), "check that it runs") {
		t.Errorf("got %v", err)
	}
}

func BenchmarkSubmit(b *testing.B) {
	s := servertest.Start(b, nil)
	ctx := context.Background()
	org, _ := standin.Load()
	fleet, _ := org.Fleet(time.Now())
	var bodies [][]byte
	for _, d := range fleet {
		body, _ := json.Marshal(d)
		bodies = append(bodies, body)
	}
	b.ResetTimer()
	for i := 0; b.Loop(); i++ {
		if _, err := s.Client.Submit(ctx, bodies[i%len(bodies)]); err != nil {
			b.Fatal(err)
		}
	}
}

// Lists and counts show every write at once, whatever wrote, and say what a
// machine's page says.
func TestListsFollowEveryWrite(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	agree := func(after string) {
		t.Helper()
		l, err := s.Client.Machines(ctx, "", "name", 1, 1000)
		if err != nil {
			t.Fatal(err)
		}
		by := map[string]int{}
		for _, row := range l.Machines {
			by[row.Disposition]++
		}
		f, err := s.Client.Fleet(ctx, "")
		if err != nil || f.Total != l.Total {
			t.Fatalf("%v: %d and %d machines", err, f.Total, l.Total)
		}
		for _, c := range f.Dispositions {
			if by[c.Name] != c.Count {
				t.Errorf("after %s: %d are listed as %s, and %d counted", after, by[c.Name], c.Name, c.Count)
			}
		}
		for i := 0; i < len(l.Machines); i += 23 {
			d, err := s.Client.Machine(ctx, l.Machines[i].Key)
			expect.NoError(t, err)
			expect.Same(t, "d.Disposition", d.Disposition, l.Machines[i].Disposition)
			expect.Same(t, "d.Site", d.Site, l.Machines[i].Site)
		}
	}
	count := func(where string) int {
		t.Helper()
		l, err := s.Client.Machines(ctx, where, "name", 1, 1)
		if err != nil {
			t.Fatal(err)
		}
		return l.Total
	}
	agree("the start")
	before := count("memory.installed_bytes>=64GiB")
	if _, err := s.Client.SetFact(ctx, "holm-011", "tpm.header", api.SetFact{Value: "true"}); err != nil ||
		count("tpm.header=true holm-011") != 1 {
		t.Errorf("a fact by hand is not found: %v", err)
	}
	if _, err := s.Client.RemoveFact(ctx, "holm-011", "tpm.header"); err != nil ||
		count("tpm.header=true holm-011") != 0 {
		t.Errorf("a fact that was taken back is found: %v", err)
	}
	src, err := s.Client.Inventory(ctx, "holm-011", 0)
	if err != nil {
		t.Fatal(err)
	}
	other := regexp.MustCompile(`"installed_bytes":\d+`).ReplaceAllString(string(src), `"installed_bytes":137438953472`)
	other = regexp.MustCompile(`"taken_at":"[^"]*"`).ReplaceAllString(other,
		`"taken_at":"`+time.Now().UTC().Format(time.RFC3339)+`"`)
	if _, err := s.Client.Submit(ctx, []byte(other)); err != nil || count("memory.installed_bytes>=64GiB") != before+1 {
		t.Errorf("an inventory is not found: %v", err)
	}
	agree("an inventory")
	err = s.Client.SetSites(ctx,
		api.SiteList{Sites: []api.Site{{Prefix: "GULL", Name: "The Old Quay"}}})
	expect.NoError(t, err)
	expect.That(t, "count(`site=\"The Old Quay\"`) != 0", count(`site="The Old Quay"`) != 0)
	_, err = s.Client.MachineList(ctx, client.List{Where: `site="Gull Quay"`})
	expect.Error(t, err, "there is no site")
	agree("other sites")
	if _, err := s.Client.SetTargets(ctx, api.TargetSet{PC: "skerry-13", Testing: true}); err != nil {
		t.Fatal(err)
	}
	agree("another target")
	if _, err := s.Client.Machines(ctx, "memory.installed_bytes>=lots", "name", 1, 1); err == nil ||
		!strings.Contains(err.Error(), "memory is written with MiB, GiB or TiB") {
		t.Errorf("a filter with a mistake: %v", err)
	}
}

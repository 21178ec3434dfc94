package server_test

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/watch"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/build"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/server"
	"rolltop.example/rolltop/internal/servertest"
	"rolltop.example/rolltop/internal/standin"
	"rolltop.example/rolltop/internal/store"
)

func item(d *assess.Document, name string) *assess.Tick {
	for _, p := range d.Preparation {
		if "prepare/"+p.ID == name {
			return p.Ticked
		}
	}
	for _, s := range d.Plan {
		if "step/"+s.Step == name {
			return s.Ticked
		}
	}
	return nil
}

func TestTicksAreKeptWithTheirName(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	d, err := s.Client.SetTick(ctx, "gull-101", "prepare", "backup",
		api.SayTick{State: "done", Note: "whole disk, on the share"})
	if err != nil {
		t.Fatal(err)
	}
	got := item(d.Check, "prepare/backup")
	expect.That(t, "got != nil", got != nil)
	expect.Same(t, "got.By", got.By, "everything")
	expect.Same(t, "got.Note", got.Note, "whole disk, on the share")
	expect.That(t, "time.Since(got.At) <= time.Minute", time.Since(got.At) <= time.Minute)
	if d, err = s.Client.SetTick(ctx, "gull-101", "step", "convert-disk", api.SayTick{State: "done"}); err != nil {
		t.Fatal(err)
	}
	disposition := d.Disposition
	got = item(d.Check, "step/convert-disk")
	expect.That(t, "got != nil", got != nil)
	expect.That(t, "!got.Stale", !got.Stale)
	expect.Same(t, "disposition", disposition, "reconfigure")
	// A later inventory that still has the old style shows that it had no effect.
	src, err := s.Client.Inventory(ctx, "gull-101", 0)
	if err != nil {
		t.Fatal(err)
	}
	var inv map[string]any
	if err := json.Unmarshal(src, &inv); err != nil {
		t.Fatal(err)
	}
	inv["taken_at"] = time.Now().Add(2 * time.Second).UTC().Format(time.RFC3339)
	inv["memory"].(map[string]any)["visible_bytes"] = 7 << 30
	later, _ := json.Marshal(inv)
	if _, err := s.Client.Submit(ctx, later); err != nil {
		t.Fatal(err)
	}
	if d, err = s.Client.Machine(ctx, "gull-101"); err != nil {
		t.Fatal(err)
	}
	if got := item(d.Check, "step/convert-disk"); got == nil || !got.Stale {
		t.Errorf("without effect: %+v", got)
	}
	report, err := s.Client.Report(ctx, "gull-101", nil)
	expect.NoError(t, err)
	expect.Contains(t, string(report), "The latest inventory does not show it.")
	expect.Contains(t, string(report), "whole disk, on the share")
	// A refusal takes a reason, and replaces what was said.
	if d, err = s.Client.SetTick(ctx, "gull-101", "prepare", "backup",
		api.SayTick{State: "refused", Note: "nothing is kept on it"}); err != nil {
		t.Fatal(err)
	}
	if got := item(d.Check, "prepare/backup"); got == nil || got.State != "refused" {
		t.Errorf("refused: %+v", got)
	}
	if d, err = s.Client.RemoveTick(ctx, "gull-101", "prepare", "backup"); err != nil ||
		item(d.Check, "prepare/backup") != nil {
		t.Errorf("taken back: %v", err)
	}
	for _, tt := range []struct {
		method, path, body string
		status             int
		says               string
	}{
		{"PUT", "gull-101/ticks/prepare/backup", `{"state":"refused","note":" "}`, 422, "needs a reason in note"},
		{"PUT", "gull-101/ticks/prepare/backup", `{"state":"perhaps"}`, 422, "state"},
		{"PUT", "gull-101/ticks/step/convert-dsk", `{"state":"done"}`, 404, `did you mean \"step/convert-disk\"`},
		{"PUT", "gull-101/ticks/wish/backup", `{"state":"done"}`, 422, "kind"},
		{"PUT", "nobody/ticks/prepare/backup", `{"state":"done"}`, 404, "no machine"},
		{"DELETE", "gull-101/ticks/prepare/backup", "", 404, "nothing is recorded for prepare/backup"},
	} {
		t.Run(tt.method, func(t *testing.T) {
			if status, _, body := call(t, tt.method, s.URL+"/api/v1/machines/"+tt.path, s.Token, "application/json",
				tt.body); status != tt.status || !strings.Contains(body, tt.says) {
				t.Errorf("%s %s: %d %s", tt.method, tt.path, status, body)
			}
		})
	}
}

// The page of a visit is open to whoever has its link, until it expires, and
// shows nothing that names the machine but its host name.
func TestVisitLink(t *testing.T) {
	t.Parallel()
	var ahead atomic.Int64
	s := servertest.StartAt(t, nil, func() time.Time { return time.Now().Add(time.Duration(ahead.Load())) })
	if _, err := standin.Fill(context.Background(), s, time.Now()); err != nil {
		t.Fatal(err)
	}
	link, err := s.Client.VisitLink(ctx, "gull-101", 2)
	expect.NoError(t, err)
	expect.Same(t, "link.Address", link.Address, s.URL+link.Path)
	expect.That(t, `strings.HasPrefix(link.Picture, "data:image/png;base64,")`,
		strings.HasPrefix(link.Picture, "data:image/png;base64,"))
	expect.Same(t, "time.Until(link.Expires).Round(time.Hour)",
		time.Until(link.Expires).Round(time.Hour), 2*time.Hour)
	get := func() (int, http.Header, string) { return call(t, "GET", link.Address, "", "", "") }
	status, header, page := get()
	expect.Same(t, "status", status, 200)
	expect.Same(t, `header.Get("Cache-Control")`, header.Get("Cache-Control"), "no-store")
	expect.Same(t, `header.Get("X-Robots-Tag")`, header.Get("X-Robots-Tag"), "noindex")
	expect.That(t, `strings.HasPrefix(header.Get("Content-Security-Policy"), "default-src 'none'")`,
		strings.HasPrefix(header.Get("Content-Security-Policy"), "default-src 'none'"))
	for _, want := range []string{
		"GULL-101", "Key: <b>F2</b>", "Start › Start with: UEFI systems only.", "Photograph each page",
		"Do not load default settings", "To undo:", "width=device-width",
	} {
		if !strings.Contains(page, want) {
			t.Errorf("the page lacks %q", want)
		}
	}
	src, err := s.Client.Inventory(ctx, "gull-101", 0)
	if err != nil {
		t.Fatal(err)
	}
	var inv struct{ Device struct{ Serial, UUID string } }
	err = json.Unmarshal(src, &inv)
	expect.NoError(t, err)
	expect.That(t, `inv.Device.Serial != ""`, inv.Device.Serial != "")
	expect.That(t, `inv.Device.UUID != ""`, inv.Device.UUID != "")
	if strings.Contains(page, inv.Device.Serial) || strings.Contains(strings.ToLower(page), inv.Device.UUID) {
		t.Error("the page shows a serial number or a UUID")
	}
	ahead.Store(int64(2*time.Hour + time.Minute))
	status, _, page = get()
	expect.Same(t, "status", status, http.StatusGone)
	expect.Contains(t, page, "This link has expired")
	expect.Lacks(t, page, "GULL-101")
	if status, _, page := call(t, "GET", s.URL+"/v/nothing", "", "", ""); status != 404 ||
		!strings.Contains(page, "There is no such link") {
		t.Errorf("a guess: %d", status)
	}
	again, err := s.Client.VisitLink(ctx, "gull-101", 0)
	if err != nil {
		t.Fatal(err)
	}
	if err := s.Client.EndVisitLinks(ctx, "gull-101"); err != nil {
		t.Fatal(err)
	}
	if status, _, _ := call(t, "GET", again.Address, "", "", ""); status != http.StatusGone {
		t.Errorf("after it was ended: %d", status)
	}
	for _, tt := range []struct {
		query, says string
		status      int
	}{
		{"hours=1000", "hours", 422}, {"origin=javascript:alert(1)", "invalid origin", 422},
		{"origin=https://x.example/path", "without a path", 422},
	} {
		t.Run(tt.query, func(t *testing.T) {
			if status, _, body := call(t, "POST", s.URL+"/api/v1/machines/gull-101/visit-link?"+tt.query, s.Token, "",
				""); status != tt.status || !strings.Contains(strings.ToLower(body), tt.says) {
				t.Errorf("%s: %d %s", tt.query, status, body)
			}
		})
	}
}

func TestAfterTheWorkAtTheService(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	var followed []string
	l, err := s.Client.Machines(ctx, "class=pc", "name", 1, 1000)
	if err != nil {
		t.Fatal(err)
	}
	for _, row := range l.Machines {
		d, err := s.Client.Machine(ctx, row.Key)
		if err != nil {
			t.Fatal(err)
		}
		if len(d.History) < 2 {
			continue
		}
		got, err := s.Client.Results(ctx, row.Key, d.History[1].ID)
		if err != nil {
			t.Fatal(err)
		}
		followed = append(followed, d.Disposition)
		if d.Disposition == "ready" &&
			!strings.HasPrefix(got.Says, "Ready; it was reconfigure: two requirements are settled, none is left.") {
			t.Errorf("%s: %s", row.Key, got.Says)
		}
		if d.Disposition == "reconfigure" && !strings.Contains(got.Says, "left: secure boot on") {
			t.Errorf("%s: %s", row.Key, got.Says)
		}
	}
	if !slices.Contains(followed, "ready") || !slices.Contains(followed, "reconfigure") {
		t.Errorf("the demo shows no such work: %v", followed)
	}
	for path, want := range map[string]int{
		"gull-101/results":                 422,
		"gull-101/results?inventory=99999": 404,
		"nobody/after?inventory=1":         404,
	} {
		t.Run(path, func(t *testing.T) {
			if status, _, body := call(t, "GET", s.URL+"/api/v1/machines/"+path, s.Token, "", ""); status != want {
				t.Errorf("%s: %d %s", path, status, body)
			}
		})
	}
}

const scanner = `format: rolltop-steps/1
steps: [{id: unplug-scanner, title: Unplug the scanner, phase: desk, pulled_by: [enter-firmware], before: [enter-firmware], do: Pull its plug., tell: It is unplugged., confirm: It is dark., minutes: {least: 1, most: 1}}]`

// A document of the house counts at once; one with mistakes leaves the one in
// force, and none is lost.
func TestKnowledgeAtTheService(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	has := func(id string) bool {
		d, err := s.Client.Machine(ctx, "gull-101")
		if err != nil {
			t.Fatal(err)
		}
		return slices.ContainsFunc(d.Check.Plan, func(p assess.Step) bool { return p.Step == id })
	}
	if !has("unplug-ticket-printer") {
		t.Error("the demo's own step is in no plan")
	}
	h, err := s.Client.SetKnowledge(ctx, "steps", []byte(scanner))
	expect.NoError(t, err)
	expect.Same(t, "h.Number", h.Number, 2)
	expect.That(t, "h.Own", h.Own)
	expect.Same(t, "h.AddedBy", h.AddedBy, "everything")
	expect.That(t, `has("unplug-scanner")`, has("unplug-scanner"))
	expect.That(t, `!has("unplug-ticket-printer")`, !has("unplug-ticket-printer"))
	circle := strings.Replace(scanner, "before: [enter-firmware]", "before: [enter-firmware], after: [check-again]", 1)
	for _, tt := range []struct{ kind, text, says string }{
		{"steps", circle, "the steps wait for each other"},
		{"steps", "format: rolltop-steps/1\nsteps: [{id: x}]", "title"}, {"steps", "nonsense", "format"},
		{"steps", string(standin.Knowledge()["prices"]), "the document has prices"},
		{"prices", "format: rolltop-prices/1\ncurrency: EUR\nas_of: 2026-01-01\nprices: [{part: drive, least: 1, " +
			"most: 2, currency: GBP}]", "the price is in GBP, and the table in EUR"},
		{"guides", "format: rolltop-guides/1\nguides: [{id: a, title: A, maker: \"B[\"}]", "is invalid"},
	} {
		t.Run(tt.kind, func(t *testing.T) {
			_, err := s.Client.SetKnowledge(ctx, tt.kind, []byte(tt.text))
			if err == nil || !strings.Contains(err.Error(), tt.says) {
				t.Errorf("%s: %v, want %s", tt.kind, err, tt.says)
			}
			body, _ := json.Marshal(api.KnowledgeText{Text: tt.text})
			if status, _, reply := call(t, "POST", s.URL+"/api/v1/knowledge/"+tt.kind+"/validate", s.Token,
				"application/json",
				string(body)); status != 200 || strings.Contains(reply, `"mistakes":[]`) {
				t.Errorf("%s: validated with %d %s", tt.kind, status, reply)
			}
		})
	}
	h, err = s.Client.Knowledge(ctx, "steps")
	expect.NoError(t, err)
	expect.Same(t, "h.Number", h.Number, 2)
	expect.Same(t, "h.Text", h.Text, scanner)
	expect.That(t, "has(\"unplug-scanner\")", has("unplug-scanner"))
	h, err = s.Client.RemoveKnowledge(ctx, "steps")
	expect.NoError(t, err)
	expect.That(t, "!h.Own", !h.Own)
	expect.Same(t, "h.Number", h.Number, 3)
	expect.That(t, "!has(\"unplug-scanner\")", !has("unplug-scanner"))
	expect.Contains(t, h.Shipped, "id: backup")
	if _, err := s.Client.RemoveKnowledge(ctx, "steps"); err == nil {
		t.Error("dropped twice")
	}
	if status, _, body := call(t, "GET", s.URL+"/api/v1/knowledge/wishes", s.Token, "", ""); status != 422 {
		t.Errorf("%d %s", status, body)
	}
}

// What a guide states of boards decides, in the list as on the machine's page.
func TestGuidesDecide(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	count := func() int {
		l, err := s.Client.Machines(ctx, "disposition=refit fails=tpm", "name", 1, 1000)
		if err != nil {
			t.Fatal(err)
		}
		for _, row := range l.Machines {
			if d, err := s.Client.Machine(ctx, row.Key); err != nil || d.Disposition != row.Disposition {
				t.Errorf("%s is %s in the list and %s on its page", row.Key, row.Disposition, d.Disposition)
			}
		}
		return l.Total
	}
	before := count()
	guides := `{format: rolltop-guides/1, guides: [{id: tern, title: Tern, maker: Fennick, models: ["FT2*"], facts: {tpm.header: false}}]}`
	if _, err := s.Client.SetKnowledge(ctx, "guides", []byte(guides)); err != nil {
		t.Fatal(err)
	}
	if after := count(); before == 0 || after != 0 {
		t.Errorf("%d machines take a TPM module, and %d with boards that have no header", before, after)
	}
}

// Going back to what was in force before judges anew: the old verdicts know
// nothing of what came meanwhile. It runs alone, since it names a version.
func TestGoingBackJudgesAnew(t *testing.T) {
	was := build.Version
	build.Version = "1.0"
	defer func() { build.Version = was }()
	s := servertest.Demo(t, nil)
	l, err := s.Client.Machines(ctx, "disposition=refit fails=tpm maker=Fennick", "name", 1, 1)
	if err != nil || l.Total == 0 {
		t.Fatal(err)
	}
	key := l.Machines[0].Key
	disposition := func() string {
		l, err := s.Client.Machines(ctx, key, "name", 1, 1)
		if err != nil || l.Total != 1 {
			t.Fatal(err, l.Total)
		}
		return l.Machines[0].Disposition
	}
	text, err := s.Client.Knowledge(ctx, "guides")
	if err != nil {
		t.Fatal(err)
	}
	guides := `{format: rolltop-guides/1, guides: [{id: tern, title: Tern, maker: Fennick, facts: {tpm.header: false}}]}`
	if _, err := s.Client.SetKnowledge(ctx, "guides", []byte(guides)); err != nil || disposition() != "decide" {
		t.Fatal(err, disposition())
	}
	src, err := s.Client.Inventory(ctx, key, 0)
	if err != nil {
		t.Fatal(err)
	}
	var inv map[string]any
	if err := json.Unmarshal(src, &inv); err != nil {
		t.Fatal(err)
	}
	inv["taken_at"] = time.Now().Add(time.Second).UTC().Format(time.RFC3339)
	inv["tpm"] = map[string]any{"state": "ready", "version": "2.0"}
	delete(inv, "gaps")
	later, _ := json.Marshal(inv)
	if _, err := s.Client.Submit(ctx, later); err != nil || disposition() != "ready" {
		t.Fatal(err, disposition())
	}
	if _, err := s.Client.SetKnowledge(ctx, "guides", []byte(text.Text)); err != nil || disposition() != "ready" {
		t.Errorf("%v: with the first guides again it is %s", err, disposition())
	}
}

// An earlier document comes into force again with its verdicts, and every one is kept.
func TestKnowledgeComesBack(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	first, err := s.Client.Knowledge(ctx, "guides")
	expect.NoError(t, err)
	const where = "disposition=decide maker=Fennick"
	before := total(t, s.Client, where)
	guides := `{format: rolltop-guides/1,
  guides: [{id: tern, title: Tern, maker: Fennick, facts: {tpm.header: false}}]}`
	second, err := s.Client.SetKnowledge(ctx, "guides", []byte(guides))
	expect.NoError(t, err)
	if total(t, s.Client, where) == before {
		t.Fatal("the guides change no verdict")
	}
	third, err := s.Client.ActivateKnowledge(ctx, "guides", first.Number)
	expect.NoError(t, err)
	expect.Same(t, "the text in force", third.Text, first.Text)
	expect.Same(t, "machines to decide on", total(t, s.Client, where), before)
	h, err := s.Client.KnowledgeHistory(ctx, "guides")
	expect.NoError(t, err)
	var got []string
	for _, v := range h.Versions {
		got = append(got, fmt.Sprint(v.Number, v.Own, v.InForce))
	}
	expect.Same(t, "the history", fmt.Sprint(got), fmt.Sprint([]string{
		fmt.Sprint(second.Number+1, true, true), fmt.Sprint(second.Number, true, false),
		fmt.Sprint(first.Number, true, false),
	}))
	kept, err := s.Client.KnowledgeVersion(ctx, "guides", second.Number)
	expect.NoError(t, err)
	expect.Same(t, "the text of the second", kept.Text, guides)
	_, err = s.Client.ActivateKnowledge(ctx, "guides", first.Number)
	refused(t, "what is in force already", err, "in force already")
	_, err = s.Client.ActivateKnowledge(ctx, "guides", 99)
	refused(t, "a number that is not there", err, "the history of the guides has no number 99")
}

func TestKnowledgeOutlivesARestart(t *testing.T) {
	t.Parallel()
	path := filepath.Join(t.TempDir(), "test.db")
	var token string
	for start := range 2 {
		st, err := store.Open(path)
		if err != nil {
			t.Fatal(err)
		}
		s, err := servertest.New(ctx, servertest.Options{Store: st})
		if err != nil {
			t.Fatal(err)
		}
		if start == 0 {
			if _, token, err = s.AddToken(ctx, "x", server.ScopeRead); err != nil {
				t.Fatal(err)
			}
			if err := s.SetKnowledge(ctx, "steps", scanner, "desktop support"); err != nil {
				t.Fatal(err)
			}
		}
		h := httptest.NewServer(s.Handler())
		if status, _, body := call(t, "GET", h.URL+"/api/v1/knowledge", token, "", ""); status != 200 ||
			!strings.Contains(body, `"kind":"steps","own":true,"number":1`) {
			t.Errorf("start %d: %d %s", start, status, body)
		}
		h.Close()
		if err := st.Close(); err != nil {
			t.Fatal(err)
		}
	}
}

// A viewer gets the worklist although a decision that ended names machines by what the viewer may not see.
func TestWorkOfAViewerBesideHiddenDecisions(t *testing.T) {
	t.Parallel()
	var days atomic.Int64
	s := servertest.StartAt(t, nil, func() time.Time { return time.Now().AddDate(0, 0, int(days.Load())) })
	if _, err := standin.Fill(ctx, s, time.Now()); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Client.SetFact(ctx, "gull-014", "device.asset_tag", api.SetFact{Value: "TAG-14"}); err != nil {
		t.Fatal(err)
	}
	_, err := s.Client.Decide(ctx, api.MakeDecision{
		Kind:   "hold",
		Scope:  "device.asset_tag=TAG-14",
		Reason: "its label is printed anew",
		Until:  time.Now().AddDate(0, 0, 2).Format(time.DateOnly),
	})
	expect.NoError(t, err)
	days.Store(5)
	viewer := s.As(t, s.NewToken(t, "viewer", server.ScopeRead))
	for where, told := range map[string]int{"": 1, `site="Gull Quay"`: 0} {
		t.Run(where, func(t *testing.T) {
			w, err := viewer.Work(ctx, where)
			if err != nil {
				t.Fatal(err)
			}
			ended := 0
			for _, item := range w.Watch {
				if item.Kind == watch.DecisionEnded {
					ended++
				}
			}
			expect.Same(t, "decisions that ended", ended, told)
		})
	}
}

package server_test

import (
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
)

// canary marks everything of the other site. It stands in every field of it.
const canary = "Kittiwake"

// canarySite puts machines of another site into a service, with the canary in every text
// that a machine, or anybody who works with it, can have there.
func canarySite(t *testing.T, s *servertest.Service) (keys []string) {
	t.Helper()
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	sites, err := s.Client.Sites(ctx)
	must(err)
	sites.Sites = append(sites.Sites, api.Site{Prefix: "KITTIWAKE", Name: canary + " Rock"})
	must(s.Client.SetSites(ctx, sites))
	for i := range 3 {
		body := like(t, s, "gull-007", func(d *inventory.Document) {
			d.Device.Name = inventory.Some(fmt.Sprintf("KITTIWAKE-%03d", i))
			d.Device.Serial = inventory.Some(fmt.Sprintf("SN%s%d", canary, i))
			d.Device.AssetTag = inventory.Some("TAG" + canary)
			d.Device.UUID = inventory.Some(fmt.Sprintf("71de0000-0000-4000-8000-0000000008%02d", i))
			d.Device.Manufacturer = inventory.Some(canary + " Works")
			d.Device.Model = inventory.Some(canary + " 15 pilotboat")
			d.Device.Board.Serial = inventory.Some(fmt.Sprintf("BN%s%d", canary, i))
			d.Device.Board.Model = inventory.Some(canary + " board")
			d.OS.Name = inventory.Some(canary + " OS")
			d.Processor.Name = inventory.Some(canary + " K7")
			d.Software = []inventory.Software{{Name: canary + " Charts", Version: inventory.Some("1.0")}}
			d.TakenAt = time.Now().Add(-time.Duration(i) * time.Hour)
		})
		got, err := s.Client.Submit(ctx, body)
		must(err)
		keys = append(keys, got.Machine)
	}
	at := `site="` + canary + ` Rock"`
	_, err = s.Client.Change(ctx, api.MachineChanges{Where: at, Tag: []string{canary + "-tag"}})
	must(err)
	_, err = s.Client.SetFact(ctx, keys[0], "tpm.header", api.SetFact{Value: "true", Note: canary + " manual"})
	must(err)
	_, err = s.Client.SetTick(ctx, keys[0], "prepare", "backup",
		api.SayTick{State: "refused", Note: canary + " has no room"})
	must(err)
	_, err = s.Client.AddModelFact(ctx,
		api.AddModelFact{
			Maker: canary + " Works",
			Model: canary + " 15 pilotboat",
			Fact:  "memory.max_bytes",
			Value: "32 GiB",
			Note:  canary + " data sheet",
		})
	must(err)
	until := time.Now().AddDate(0, 0, 60).Format(time.DateOnly)
	for _, kind := range []string{"later", "hold", "stay"} {
		_, err = s.Client.Decide(ctx,
			api.MakeDecision{Kind: kind, Scope: at, Reason: canary + " is at sea", Until: until})
		must(err)
	}
	_, err = s.Client.SetFilter(ctx, canary+" machines", api.SetFilter{Filter: at})
	must(err)
	_, err = s.Client.SetExpected(ctx,
		[]api.Expected{{
			Name:   canary + "-expected",
			Serial: "SN" + canary,
			Maker:  canary + " Works",
			Model:  canary + " 15 pilotboat",
			Site:   canary + " Rock",
			Note:   canary + " note",
		}})
	must(err)
	_, err = s.Client.Assign(ctx, api.Assign{Where: at, Who: canary + " crew", Note: canary + " note"})
	must(err)
	wave, err := s.Client.SetWave(ctx, 0, api.MakeWave{Name: canary + " pilot", Pilot: true, Rule: at, Most: 3,
		Starts: time.Now().AddDate(0, 0, 2).Format(time.DateOnly),
		Ends:   time.Now().AddDate(0, 0, 20).Format(time.DateOnly), Note: canary + " first"})
	must(err)
	if _, err := s.Client.FillWave(ctx, wave.ID, api.FillWave{Keys: keys}); err != nil {
		t.Logf("the wave takes none of them: %v", err)
	}
	return keys
}

// leaks are the places of a text where the canary is; its length alone is said.
func leaks(text string) string {
	at := strings.Index(strings.ToLower(text), strings.ToLower(canary))
	if at < 0 {
		return ""
	}
	return text[max(0, at-80):min(len(text), at+80)]
}

// Whoever is limited to a site reads nothing of another: no answer to any call that reads,
// whatever is asked for, has the other site's canary in it.
func TestNothingOfAnotherSiteIsSeen(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	keys := canarySite(t, s)
	read, err := s.Client.AddToken(ctx,
		api.NewToken{Name: "viewer of the quay", Scope: "read", Sites: []string{"Gull Quay"}})
	if err != nil {
		t.Fatal(err)
	}
	work, err := s.Client.AddToken(ctx,
		api.NewToken{Name: "technician of the quay", Scope: "work", Sites: []string{"Gull Quay"}})
	if err != nil {
		t.Fatal(err)
	}
	get := func(token, path string) (int, string) {
		t.Helper()
		req, err := http.NewRequestWithContext(ctx, http.MethodGet, s.URL+path, nil)
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Authorization", "Bearer "+token)
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		b, err := io.ReadAll(res.Body)
		if err != nil {
			t.Fatal(err)
		}
		head, _ := json.Marshal(res.Header)
		return res.StatusCode, string(head) + string(b)
	}
	calls := walk(t, s, keys)
	if len(calls) < 100 {
		t.Fatalf("only %d calls are made", len(calls))
	}
	seen := 0
	for _, call := range calls {
		if _, body := get(s.Token, call); leaks(body) != "" {
			seen++
		}
		for who, token := range map[string]string{"a viewer": read.Secret, "a technician": work.Secret} {
			t.Run(who, func(t *testing.T) {
				status, body := get(token, call)
				// What was asked for may be repeated in the refusal.
				if leak := leaks(body); leak != "" {
					if !(status >= 400 && leaks(call) != "") {
						t.Errorf("%s of another site reads from %s (%d): …%s…", who, call, status, leak)
					}
				}
				if status >= 500 {
					t.Errorf("%s: %d %.200s", call, status, body)
				}
			})
		}
	}
	t.Logf("%d calls by two callers; an administrator sees the canary in %d answers", len(calls), seen)
	// The walk is worth something only where there is something to see.
	if seen < 40 {
		t.Errorf("an administrator sees the canary in %d of %d answers only", seen, len(calls))
	}
}

// walk are calls of every operation that reads, with the keys and numbers of both sites.
func walk(t *testing.T, s *servertest.Service, keys []string) []string {
	t.Helper()
	machines := append([]string{"gull-007"}, keys[:2]...)
	values := map[string][]string{
		"key": machines, "a": machines, "b": machines, "id": {"1", "2", "3", "4", "skerry-12", "fathom-9"},
		"kind": {"steps", "guides", "prices"}, "number": {"1"}, "name": {"x"},
		"where": {"", "pilotboat", "disposition=ready"}, "class": {"pc"},
		"list":   {"visits", "batches", "parts", "questions", "watch", "messages", "decisions", "waves", "research"},
		"format": {"json", "csv"}, "facts": {"device.serial,os.name,device.model"}, "sort": {"name"}, "all": {"true"},
		"for": {"technician", "user", "visit"}, "days": {"90"}, "size": {"1000"},
	}
	var out []string
	for op, about := range operations(t, s.URL) {
		path, ok := strings.CutPrefix(op, "GET ")
		endless := path == "/events" || path == "/backup"
		if !ok || endless {
			continue
		}
		list := []string{"/api/v1" + path}
		for _, p := range parameters(about) {
			var more []string
			for _, call := range list {
				switch vs := values[p.name]; {
				case p.in == "path":
					if vs == nil {
						t.Fatalf("%s: the test has no value for %s", op, p.name)
					}
					for _, v := range vs {
						more = append(more, strings.ReplaceAll(call, "{"+p.name+"}", v))
					}
				case vs == nil:
					more = append(more, call)
				default:
					for _, v := range vs {
						sep := "?"
						if strings.Contains(call, "?") {
							sep = "&"
						}
						more = append(more, call+sep+p.name+"="+strings.NewReplacer(" ", "%20", `"`, "%22").Replace(v))
					}
					if !p.required {
						more = append(more, call)
					}
				}
			}
			if len(more) > 60 { // some of each, and not every combination
				slices.Sort(more)
				step := len(more)/60 + 1
				few := []string{}
				for i := 0; i < len(more); i += step {
					few = append(few, more[i])
				}
				more = few
			}
			list = more
		}
		out = append(out, list...)
	}
	out = append(out, "/metrics")
	slices.Sort(out)
	return slices.Compact(out)
}

type parameter struct {
	name, in string
	required bool
}

func parameters(operation map[string]any) []parameter {
	var out []parameter
	list, _ := operation["parameters"].([]any)
	for _, p := range list {
		about, _ := p.(map[string]any)
		one := parameter{}
		one.name, _ = about["name"].(string)
		one.in, _ = about["in"].(string)
		one.required, _ = about["required"].(bool)
		if one.in != "header" && one.in != "cookie" {
			out = append(out, one)
		}
	}
	return out
}

// Whoever is limited to a site sees the decisions and waves that concern it, without what
// they say of others, and the days of a wave as everybody sees them.
func TestWhatALimitedCallerSeesOfDecisionsAndWaves(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	both := `site="Gull Quay","Holm Ferry"`
	until := time.Now().AddDate(0, 0, 60).Format(time.DateOnly)
	w, err := s.Client.SetWave(ctx, 0,
		api.MakeWave{
			Name:   "pilot",
			Pilot:  true,
			Rule:   `disposition=ready class=pc site="North Slip","Holm Ferry","Lantern Pier"`,
			Most:   12,
			Starts: time.Now().AddDate(0, 0, 2).Format(time.DateOnly),
			Ends:   time.Now().AddDate(0, 0, 30).Format(time.DateOnly),
		})
	if err != nil {
		t.Fatal(err)
	}
	filled, err := s.Client.FillWave(ctx, w.ID, api.FillWave{})
	if err != nil {
		t.Fatal(err)
	}
	whole, err := s.Client.Wave(ctx, w.ID)
	if err != nil || len(whole.Members) < 4 {
		t.Fatalf("%d members, %v; %+v", len(whole.Members), err, filled)
	}
	if _, err := s.Client.Decide(ctx,
		api.MakeDecision{Kind: "hold", Scope: both, Reason: "the season", Until: until}); err != nil {
		t.Fatal(err)
	}
	days, of := map[string]string{}, map[string]int{}
	for _, m := range whole.Members {
		days[m.Key] = m.Day
		of[m.Site]++
	}
	for site := range maps.Keys(of) {
		tok, err := s.Client.AddToken(ctx, api.NewToken{Name: "of " + site, Scope: "work", Sites: []string{site}})
		if err != nil {
			t.Fatal(err)
		}
		c := s.As(t, tok.Secret)
		mine, err := c.Wave(ctx, w.ID)
		expect.NoError(t, err)
		expect.Same(t, site+": len(mine.Members)", len(mine.Members), of[site])
		expect.Lacks(t, mine.Rule, "site")
		for _, m := range mine.Members {
			if m.Day != days[m.Key] {
				t.Errorf("%s goes on %s for %s, and on %s for everybody", m.Key, m.Day, site, days[m.Key])
			}
		}
	}
	quay, err := s.Client.AddToken(ctx, api.NewToken{Name: "of the quay", Scope: "work", Sites: []string{"Gull Quay"}})
	if err != nil {
		t.Fatal(err)
	}
	c := s.As(t, quay.Secret)
	if _, err := c.Wave(ctx, w.ID); statusOf(err) != 404 {
		t.Errorf("a wave without machines of theirs: %v", err)
	}
	list, err := c.Decisions(ctx, true)
	expect.NoError(t, err)
	expect.Same(t, "len(list.Decisions)", len(list.Decisions), 1)
	expect.Lacks(t, list.Decisions[0].Scope, "Holm")
	expect.That(t, "list.Decisions[0].Machines != 0", list.Decisions[0].Machines != 0)
	if len(list.Decisions) == 1 && list.Decisions[0].Machines != total(t, c, list.Decisions[0].Where) {
		t.Errorf("%d machines, and the filter finds %d", list.Decisions[0].Machines,
			total(t, c, list.Decisions[0].Where))
	}
	if err := c.EndDecision(ctx, list.Decisions[0].ID); statusOf(err) != 404 {
		t.Errorf("ending a decision on others: %v", err)
	}
	// Filters of others are neither seen nor replaced.
	if _, err := s.Client.SetFilter(ctx, "mine", api.SetFilter{Filter: both}); err != nil {
		t.Fatal(err)
	}
	if _, err := c.SetFilter(ctx, "mine", api.SetFilter{Filter: "tag=x"}); statusOf(err) != 403 {
		t.Errorf("replacing another's filter: %v", err)
	}
	if err := c.RemoveFilter(ctx, "mine"); statusOf(err) != 403 {
		t.Errorf("dropping another's filter: %v", err)
	}
	if _, err := c.SetFilter(ctx, "ours", api.SetFilter{Filter: "tag=x"}); err != nil {
		t.Error(err)
	}
	l, err := c.Filters(ctx)
	expect.NoError(t, err)
	expect.Same(t, "len(l.Filters)", len(l.Filters), 1)
	expect.Same(t, "l.Filters[0].Name", l.Filters[0].Name, "ours")
}

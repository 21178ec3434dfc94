package server_test

import (
	"errors"
	"fmt"
	"net/http"
	"regexp"
	"strings"
	"testing"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/server"
	"rolltop.example/rolltop/internal/servertest"
	"rolltop.example/rolltop/internal/standin"
)

// A fact that was entered decides, stays over new inventories, never overrides
// a reading, and keeps its row when it is taken back.
func TestFactsByHandAtTheService(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	l, err := s.Client.Machines(ctx,
		"unknown=tpm unknown=partition-style disposition=undetermined maker=Ostrel,Fennick,Brannock", "name", 1, 1)
	if err != nil || l.Total == 0 {
		t.Fatal(err)
	}
	key := l.Machines[0].Key
	var d api.Machine
	for name, value := range map[string]string{
		"memory.installed_bytes":         "16 GiB",
		"tpm.state":                      "ready",
		"tpm.version":                    "2.0",
		"storage.system.partition_style": "gpt",
	} {
		t.Run(name, func(t *testing.T) {
			if d, err = s.Client.SetFact(ctx, key, name,
				api.SetFact{Value: value, Note: "seen at the desk"}); err != nil {
				t.Fatal(err)
			}
		})
	}
	expect.Same(t, "d.Disposition", d.Disposition, "ready")
	expect.Same(t, "len(d.Hand)", len(d.Hand), 4)
	expect.Same(t, "d.Hand[0].By", d.Hand[0].By, "everything")
	expect.That(t, "!d.Hand[0].At.IsZero()", !d.Hand[0].At.IsZero())
	// The list and the counts follow at once.
	if l, err = s.Client.Machines(ctx, "disposition=ready", "name", 1, 1000); err != nil || !has(l, key) {
		t.Errorf("the list does not follow: %v", err)
	}
	// A new inventory keeps what was entered; one that read otherwise disagrees.
	src, err := s.Client.Inventory(ctx, key, 0)
	if err != nil {
		t.Fatal(err)
	}
	visible := regexp.MustCompile(`"visible_bytes":\d+`)
	again := visible.ReplaceAllString(string(src), `"visible_bytes":4000000000`)
	again = strings.Replace(again, `"memory":{`, `"memory":{"installed_bytes":4294967296,`, 1)
	again = strings.Replace(
		again,
		`{"fact":"memory.installed_bytes","cause":"needs-rights","detail":"the collector ran without administrator rights","try":"Run the collector again with administrator rights."},`,
		"",
		1,
	)
	if _, err := s.Client.Submit(ctx, []byte(again)); err != nil {
		t.Fatal(err)
	}
	if d, err = s.Client.Machine(ctx, key); err != nil || d.Disposition != "undetermined" {
		t.Fatalf("%s %v", d.Disposition, err)
	}
	for _, f := range d.Check.Findings {
		if f.Requirement == "memory" {
			expect.That(t, "the memory is a conflict", f.Conflict)
			expect.Contains(t, f.Has, "4 GiB")
			expect.Contains(t, f.Has, "16 GiB (entered by hand by everything")
		}
	}
	d, err = s.Client.RemoveFact(ctx, key, "memory.installed_bytes")
	expect.NoError(t, err)
	expect.That(t, "d.Disposition != \"undetermined\"", d.Disposition != "undetermined")
	expect.Same(t, "len(d.Hand)", len(d.Hand), 3)
	// What cannot be entered leaves everything as it was.
	for name, value := range map[string]string{
		"memory.instaled_bytes":       "1 GiB",
		"memory.installed_bytes":      "1 GB",
		"graphics[7].interface_level": "12",
		"storage.system.free_bytes":   "9000 GB",
	} {
		t.Run(name, func(t *testing.T) {
			var p *api.Problem
			if _, err := s.Client.SetFact(ctx, key, name, api.SetFact{Value: value}); !errors.As(err, &p) ||
				p.Status != http.StatusUnprocessableEntity {
				t.Errorf("%s=%s: %v", name, value, err)
			}
		})
	}
	if after, err := s.Client.Machine(ctx, key); err != nil || len(after.Hand) != 3 {
		t.Errorf("%+v %v", after.Hand, err)
	}
}

func has(l api.MachineList, key string) bool {
	for _, d := range l.Machines {
		if d.Key == key {
			return true
		}
	}
	return false
}

// Stored verdicts are what a check of each machine says now, after a change of
// the rules, too.
func TestStoredVerdictsAreThoseOfAChecks(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	if _, err := s.Client.AddRelease(ctx,
		standin.SkerryWith("revision: 5", "revision: 6", "at_least: 6 GiB", "at_least: 12 GiB", "at_least: 30 GB",
			"at_least: 90 GB")); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Client.Activate(ctx, "skerry-12", api.Activate{Revision: 6}); err != nil {
		t.Fatal(err)
	}
	l, err := s.Client.Machines(ctx, "class=pc", "name", 1, 1000)
	if err != nil {
		t.Fatal(err)
	}
	for i, row := range l.Machines {
		if i%7 != 0 {
			continue
		}
		d, err := s.Client.Machine(ctx, row.Key)
		expect.NoError(t, err)
		expect.Same(t, row.Key+": d.Check.Release.Revision", d.Check.Release.Revision, 6)
		expect.Same(t, row.Key+": d.Check.Disposition", d.Check.Disposition, row.Disposition)
		expect.Same(t, row.Key+": d.Check.Certainty", d.Check.Certainty, row.Certainty)
		expect.Same(t, row.Key+": d.Check.Counts.Fail", d.Check.Counts.Fail, row.Fails)
		expect.Same(t, row.Key+": d.Check.Answer", d.Check.Answer, row.Answer)
	}
}

func TestOneMachineAgainstAnyRelease(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	d, err := s.Client.Machine(ctx, "lant-001")
	expect.NoError(t, err)
	expect.Same(t, "len(d.Check.Next)", len(d.Check.Next), 1)
	expect.Same(t, "d.Check.Next[0].Release.ID", d.Check.Next[0].Release.ID, "skerry-13")
	expect.That(t, "d.Check.Next[0].Release.Test", d.Check.Next[0].Release.Test)
	c, err := s.Client.Check(ctx, "lant-001", "skerry-13")
	expect.NoError(t, err)
	expect.Same(t, "c.Release.ID", c.Release.ID, "skerry-13")
	expect.Same(t, "c.Disposition", c.Disposition, d.Check.Next[0].Disposition)
	expect.Same(t, "c.Answer", c.Answer, d.Check.Next[0].Answer)
	var p *api.Problem
	_, err = s.Client.Check(ctx, "lant-001", "fathom-9")
	expect.That(t, "errors.As(err, &p)", errors.As(err, &p))
	expect.Same(t, "p.Status", p.Status, 422)
	expect.Contains(t, p.Detail, "installs on Macs only")
	cmp, err := s.Client.Compare(ctx, "lant-001", "gull-101")
	expect.NoError(t, err)
	expect.That(t, "!cmp.SameMachine", !cmp.SameMachine)
	expect.That(t, "len(cmp.Facts) >= 5", len(cmp.Facts) >= 5)
	expect.That(t, "len(cmp.Findings) != 0", len(cmp.Findings) != 0)
	expect.Same(t, "cmp.Release", cmp.Release, "Skerry 12")
	cmp, err = s.Client.Compare(ctx, "lant-001", "nslip-m51")
	expect.NoError(t, err)
	expect.Same(t, "cmp.Release", cmp.Release, "")
	expect.Same(t, "len(cmp.Findings)", len(cmp.Findings), 0)
}

func TestDocumentsAtTheService(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	v, err := s.Client.ValidateRelease(ctx,
		standin.SkerryWith("revision: 5", "revision: 6", "at_least: 6 GiB", "at_least: 8 GiB"))
	expect.NoError(t, err)
	expect.Same(t, "len(v.Mistakes)", len(v.Mistakes), 0)
	expect.Same(t, "v.Release.Revision", v.Release.Revision, 6)
	expect.Same(t, "len(v.Changes)", len(v.Changes), 1)
	expect.Same(t, "v.Changes[0].Kind", v.Changes[0].Kind, "tightened")
	v, err = s.Client.ValidateRelease(ctx,
		standin.SkerryWith("at_least: 6 GiB", "at_least: 6 GB", "fact: tpm.state", "fact: tpm.sate",
			"skerry-12-processors.csv", "other.csv"))
	expect.NoError(t, err)
	expect.Same(t, "len(v.Mistakes)", len(v.Mistakes), 3)
	expect.That(t, "v.Release == nil", v.Release == nil)
	expect.That(t, "v.Mistakes[0].Line != 0", v.Mistakes[0].Line != 0)
	if r, err := s.Client.Release(ctx, "skerry-12"); err != nil || r.Revision != 5 {
		t.Errorf("validating kept something: %d %v", r.Revision, err)
	}
	d, err := s.Client.ReleaseDifference(ctx, "skerry-13", "skerry-12")
	expect.NoError(t, err)
	expect.Same(t, "d.From.ID", d.From.ID, "skerry-12")
	expect.Same(t, "d.To.ID", d.To.ID, "skerry-13")
	expect.That(t, "len(d.Changes) >= 5", len(d.Changes) >= 5)
	var p *api.Problem
	_, err = s.Client.ReleaseDifference(ctx, "skerry-13", "")
	expect.That(t, "errors.As(err, &p)", errors.As(err, &p))
	expect.Same(t, "p.Status", p.Status, 422)
	expect.Contains(t, p.Detail, "has no revision before 1")
	titles, err := s.As(t, s.NewToken(t, "collector", server.ScopeSubmit)).Titles(ctx)
	if err != nil || fmt.Sprint(titles.Titles) != "[Counterfoil Hawser Hawser VPN Lampwright Tidebook]" {
		t.Errorf("%v %v", titles, err)
	}
	got, err := s.Client.ImportList(ctx,
		api.ImportList{
			Name:    "a.csv",
			Content: []byte("Model;Kerne\nK5-9400;6\n"),
			Columns: map[string]string{"cores": "Kerne"},
			Prefix:  "Corvane",
		})
	expect.NoError(t, err)
	expect.Same(t, "got.Total", got.Total, 1)
	expect.Same(t, "got.CSV", got.CSV, "name,cores\nCorvane K5-9400,6\n")
	got, err = s.Client.ImportList(ctx, api.ImportList{
		Name: "b.csv",
		Content: []byte(
			"Supported;\nModel;Cores\nK5-9400;6\nCorvane K5-8000 series and later;4\nK5-9500 *;6\n* New.;\n",
		),
		Set:     map[string]string{"built_in_tpm": "true"},
		Except:  []string{"*"},
		Current: "name,cores\nK5-9400,4\nK5-1,2\n",
	})
	expect.NoError(t, err)
	expect.Same(t, "the title", strings.Join(got.Above, ""), "Supported")
	expect.Same(t, "the rows", got.CSV, "name,cores,built_in_tpm,note\nK5-9400,6,true,\nK5-9500,6,,New.\n")
	expect.Same(t, "series", len(got.Series), 1)
	expect.Contains(t, strings.Join(got.Series[0].Included, ","), "Corvane K5-9400")
	expect.Contains(t, strings.Join(got.Series[0].Excluded, ","), "Corvane K5-7300U")
	expect.Same(t, "changes", fmt.Sprint(*got.Changes), "{[K5-9500] [K5-1] [K5-9400: cores was 4 and is 6. "+
		"K5-9400: built_in_tpm was empty and is true.] []}")
	_, err = s.Client.ImportList(ctx, api.ImportList{Name: "a.csv", Content: []byte("Model\nA"), Current: "nome\nA\n"})
	expect.Error(t, err, `the current rows:1:1: unknown column "nome"; did you mean "name"?`)
	_, err = s.Client.ImportList(ctx,
		api.ImportList{Name: "a.html", Content: []byte("<html></html>")})
	expect.That(t, "errors.As(err, &p)", errors.As(err, &p))
	expect.Same(t, "p.Status", p.Status, 422)
	expect.Contains(t, p.Detail, "contains no table")
}

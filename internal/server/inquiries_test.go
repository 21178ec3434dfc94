package server_test

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/question"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
)

// questionOf is the first open question about a fact.
func questionOf(t *testing.T, s *servertest.Service, fact string) question.Question {
	t.Helper()
	w, err := s.Client.Work(ctx, "")
	expect.NoError(t, err)
	i := slices.IndexFunc(w.Questions, func(q question.Question) bool { return q.Fact == fact })
	if i < 0 {
		t.Fatalf("nobody asks about %s", fact)
	}
	return w.Questions[i]
}

// A question is put to somebody, waits, and is answered: by a fact, by a row of a proposed revision, or by what counts
// because nobody answered.
func TestInquiries(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	c := s.Client
	q := questionOf(t, s, "firmware.secure_boot_capable")
	refused(t, "an answer in the past", c.AskQuestion(ctx, q.ID, api.AskQuestion{Who: "the maker", Due: today(-1)}),
		"is in the past")
	refused(t, "another question", c.AskQuestion(ctx, "q-00000000", api.AskQuestion{Who: "the maker"}),
		"there is no open question")
	expect.NoError(t, c.AskQuestion(ctx, q.ID, api.AskQuestion{Who: "the maker", Due: today(6), Note: "ticket 12"}))
	asked := questionOf(t, s, "firmware.secure_boot_capable")
	expect.Same(t, "its id stays", asked.ID, q.ID)
	expect.Same(t, "who and by when", fmt.Sprint(asked.Asked.Who, asked.Asked.Due, asked.Asked.Late),
		fmt.Sprint("the maker", today(6), false))
	for _, tt := range []struct {
		name string
		a    api.AnswerQuestion
		want string
	}{
		{"no answer", api.AnswerQuestion{}, "give either the answer"},
		{"two answers", api.AnswerQuestion{Value: "true", TreatAs: "false"}, "give either the answer"},
		{"nobody answered, without a reason", api.AnswerQuestion{TreatAs: "true"}, "a note has to say why"},
		{"no value of the fact", api.AnswerQuestion{Value: "perhaps"}, "perhaps"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			_, err := c.AnswerQuestion(ctx, q.ID, tt.a)
			refused(t, tt.name, err, tt.want)
		})
	}
	trial, err := c.AnswerQuestion(ctx, q.ID, api.AnswerQuestion{Value: "true", DryRun: true})
	expect.NoError(t, err)
	expect.Same(t, "a trial names the machines", trial.Count, q.Machines)
	expect.Same(t, "a trial changes nothing", questionOf(t, s, "firmware.secure_boot_capable").ID, q.ID)
	_, err = c.AnswerQuestion(ctx, q.ID, api.AnswerQuestion{TreatAs: "true", Note: "silence for two weeks"})
	expect.NoError(t, err)
	w, err := c.Work(ctx, "")
	expect.NoError(t, err)
	expect.That(t, "the question is closed",
		!slices.ContainsFunc(w.Questions, func(o question.Question) bool { return o.ID == q.ID }))
	l, err := c.QuestionAnswers(ctx)
	expect.NoError(t, err)
	expect.Same(t, "the record", fmt.Sprint(l.Answers[0].Asked, ": ", l.Answers[0].Answer),
		"the maker: true (no answer; treated as true: silence for two weeks)")
}

// An answer about a list or a title is a row of a revision that is not in force; a second answer goes on from the
// first.
func TestAnswersBecomeAProposal(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	c := s.Client
	// A draft is somebody's unfinished work: no proposal builds on it.
	_, err := c.AddRelease(ctx, revised(t, 6, "published: 2026-10-06", "published: 2026-10-06\ndraft: true"))
	expect.NoError(t, err)
	q := questionOf(t, s, "processor.name")
	before, err := c.Releases(ctx)
	expect.NoError(t, err)
	_, err = c.AnswerQuestion(ctx, q.ID, api.AnswerQuestion{Value: "no"})
	refused(t, "a list has no rows for what is not supported", err, "can be yes alone")
	got, err := c.AnswerQuestion(
		ctx,
		q.ID,
		api.AnswerQuestion{Value: "yes", Note: "the publisher's support, 3 December"},
	)
	expect.NoError(t, err)
	expect.Same(t, "the proposal", got.Proposed, "skerry-12@7")
	after, err := c.Releases(ctx)
	expect.NoError(t, err)
	expect.Same(t, "one revision more", len(after.Releases)-len(before.Releases), 1)
	f, err := c.Fleet(ctx, "")
	expect.NoError(t, err)
	expect.Same(t, "the revision in force", f.Targets[0].Release.Revision, 5)
	w, err := c.WhatIf(ctx, api.AskWhatIf{Release: "skerry-12", Revision: 7})
	expect.NoError(t, err)
	expect.That(t, "it changes its machines", w.Moved >= 1 && w.Moved <= q.Machines)

	second := slices.IndexFunc(mustWork(t, s).Questions, func(o question.Question) bool {
		return o.Fact == "processor.name" && o.ID != q.ID
	})
	next := mustWork(t, s).Questions[second]
	got, err = c.AnswerQuestion(ctx, next.ID, api.AnswerQuestion{Value: "yes"})
	expect.NoError(t, err)
	expect.Same(t, "the second proposal", got.Proposed, "skerry-12@8")
	text, err := c.ReleaseDocument(ctx, "skerry-12", 8)
	expect.NoError(t, err)
	for _, name := range []string{q.About, next.About} {
		expect.Contains(t, string(text), name)
	}
	expect.Lacks(t, string(text), "draft: true")
}

func mustWork(t *testing.T, s *servertest.Service) api.Work {
	t.Helper()
	w, err := s.Client.Work(ctx, "")
	expect.NoError(t, err)
	return w
}

// press sends the form of a visit's page as a phone does.
func press(t *testing.T, address, name, do string, notes map[string]string) (int, string) {
	t.Helper()
	form := url.Values{"name": {name}, "do": {do}}
	for item, note := range notes {
		form.Set("note "+item, note)
	}
	res, err := http.PostForm(address, form)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	body, err := io.ReadAll(res.Body)
	expect.NoError(t, err)
	return res.StatusCode, string(body)
}

// What is done is recorded from a phone through the link, with a name and a note: for steps of this machine alone.
func TestThePhoneTicks(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	c := s.Client
	w := mustWork(t, s)
	v := w.Stops[0].Visits[0]
	link, err := c.VisitLink(ctx, v.Key, 1)
	expect.NoError(t, err)
	step := "step/" + v.Steps[0].Step
	ticked := func() string {
		d, err := c.Machine(ctx, v.Key)
		expect.NoError(t, err)
		if got := d.Check.Ticked(step); got != nil {
			return fmt.Sprint(got.State, " by ", got.By, ": ", got.Note)
		}
		return ""
	}
	status, body := press(
		t,
		link.Address,
		"Ada <b>",
		"done "+step,
		map[string]string{step: "went well", "step/other": "x"},
	)
	expect.Same(t, "done", status, http.StatusOK)
	expect.Same(t, "the tick", ticked(), "done by Ada <b>, by the link of everything: went well")
	expect.Contains(t, body, "Recorded as done")
	expect.Contains(t, body, "Ada &lt;b&gt;")
	expect.Lacks(t, body, "Ada <b>")
	status, body = press(t, link.Address, "Ada", "refused "+step, nil)
	expect.Same(t, "a refusal without a reason", status, http.StatusUnprocessableEntity)
	expect.Contains(t, body, "write in the note why")
	status, _ = press(t, link.Address, "Ada", "refused "+step, map[string]string{step: "the lid is locked"})
	expect.Same(
		t,
		"a refusal",
		fmt.Sprint(status, " ", ticked()),
		"200 refused by Ada, by the link of everything: the lid is locked",
	)
	entries, err := c.Audit(ctx, "", v.Key, "", 10)
	expect.NoError(t, err)
	expect.Same(t, "the audit log", entries.Entries[0].Who, "Ada, by the link of everything")
	status, _ = press(t, link.Address, "", "remove "+step, nil)
	expect.Same(t, "removed", fmt.Sprint(status, ticked()), "200")
	for name, do := range map[string]string{
		"another machine's step": "done step/no-such-step", "a machine that leaves": "done leave/record-closed",
		"a preparation": "done prepare/backup", "nothing": "", "another verb": "drop " + step,
	} {
		t.Run(name, func(t *testing.T) {
			status, _ := press(t, link.Address, "Ada", do, map[string]string{step: "x"})
			expect.Same(t, name, fmt.Sprint(status, ticked()), "422")
		})
	}
	expect.NoError(t, c.EndVisitLinks(ctx, v.Key))
	status, _ = press(t, link.Address, "Ada", "done "+step, nil)
	expect.Same(t, "a link that has ended", fmt.Sprint(status, ticked()), "410")
	status, _ = press(t, link.Address+"x", "Ada", "done "+step, nil)
	expect.Same(t, "no such link", fmt.Sprint(status, ticked()), "404")
}

// files are the files of a case bundle.
func filesOf(t *testing.T, archive []byte) map[string]string {
	t.Helper()
	z, err := zip.NewReader(bytes.NewReader(archive), int64(len(archive)))
	if err != nil {
		t.Fatal(err)
	}
	out := map[string]string{}
	for _, f := range z.File {
		r, err := f.Open()
		expect.NoError(t, err)
		body, err := io.ReadAll(r)
		expect.NoError(t, err)
		out[f.Name] = string(body)
	}
	return out
}

// A case bundle has all that a specialist needs; redacted it names nobody and no serial number.
func TestCaseBundle(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	c := s.Client
	const key = "gull-014"
	_, err := c.AddNote(ctx, key, "Mrs Halyard of the counter is away on Mondays")
	expect.NoError(t, err)
	contact := "counter clerk Halyard"
	_, err = c.Change(ctx, api.MachineChanges{Keys: []string{key}, Contact: &contact})
	expect.NoError(t, err)
	whole, err := c.Case(ctx, key, false)
	expect.NoError(t, err)
	files := filesOf(t, whole)
	inv := new(inventory.Document)
	expect.NoError(t, json.Unmarshal([]byte(files["inventory.json"]), inv))
	serial := inv.Device.Serial.Or("")
	expect.That(t, "it has a serial number", serial != "")
	expect.Contains(t, files["history.json"], "Mrs Halyard")
	expect.Contains(t, files["history.json"], `"what": "add-note"`)
	expect.Contains(t, files["report.html"], "GULL-014")
	expect.Contains(t, files["check.json"], `"disposition"`)

	redacted, err := c.Case(ctx, key, true)
	expect.NoError(t, err)
	for name, body := range filesOf(t, redacted) {
		for _, secret := range []string{serial, "Halyard", inv.Device.UUID.Or("no UUID")} {
			if strings.Contains(body, secret) {
				t.Errorf("%s of the redacted bundle has %q", name, secret)
			}
		}
	}
	expect.Lacks(t, filesOf(t, redacted)["inventory.json"], `"software": [`)

	// Whoever ticked, waived or entered something is not named, nor why.
	boss, err := c.AddToken(ctx, api.NewToken{Name: "Zephyrine", Scope: "manage"})
	expect.NoError(t, err)
	z := s.As(t, boss.Secret)
	d, err := z.Machine(ctx, "gull-013")
	expect.NoError(t, err)
	_, err = z.SetTick(
		ctx,
		"gull-013",
		"step",
		d.Check.Plan[0].Step,
		api.SayTick{State: "done", Note: "Halyard helped"},
	)
	expect.NoError(t, err)
	_, err = z.SetFact(ctx, "gull-013", "tpm.header", api.SetFact{Value: "true", Note: "as Halyard says"})
	expect.NoError(t, err)
	_, err = z.Decide(ctx, api.MakeDecision{Kind: "waive", Scope: "key=gull-013", Requirement: "graphics",
		Until: today(30), Reason: "Halyard wants it"})
	expect.NoError(t, err)
	named, err := c.Case(ctx, "gull-013", false)
	expect.NoError(t, err)
	expect.Contains(t, filesOf(t, named)["check.json"], "Zephyrine")
	nameless, err := c.Case(ctx, "gull-013", true)
	expect.NoError(t, err)
	for name, body := range filesOf(t, nameless) {
		for _, secret := range []string{"Zephyrine", "Halyard"} {
			expect.That(t, name+" of the redacted bundle lacks "+secret, !strings.Contains(body, secret))
		}
	}

	// Who does not see serial numbers gets no other bundle.
	tok, err := c.AddToken(ctx, api.NewToken{Name: "reader", Scope: "read"})
	expect.NoError(t, err)
	theirs, err := s.As(t, tok.Secret).Case(ctx, key, false)
	expect.NoError(t, err)
	for name, body := range filesOf(t, theirs) {
		expect.That(t, name+" has no serial number", !strings.Contains(body, serial))
	}
}

// After the upgrade the machine says what it has lost, and asks its user; before it nobody can answer for the user.
func TestAfterTheUpgrade(t *testing.T) {
	t.Parallel()
	m := newMonth(t)
	c := m.s.Client
	const key = "gull-014"
	_, err := c.SetTick(ctx, key, "after", "files-there", api.SayTick{State: "done"})
	refused(t, "before the upgrade", err, "does not run its target yet")
	d := m.reports[key]
	gone := d.Software[0].Name
	d.Software = d.Software[1:]
	d.Storage.System.FreeBytes = inventory.Some(int64(20e9))
	m.upgrade(key)
	m.morning(key)
	got, err := c.Machine(ctx, key)
	expect.NoError(t, err)
	says := ""
	for _, st := range got.Standing {
		if st.Kind == "after" {
			says = st.Says
		}
	}
	expect.Contains(t, says, "is no longer there ("+gone+")")
	expect.Contains(t, says, "and is 20 GB")
	expect.Same(t, "questions", len(got.After), 3)
	got, err = c.SetTick(ctx, key, "after", "files-there", api.SayTick{State: "done", Note: "looked together"})
	expect.NoError(t, err)
	expect.Same(t, "the tick", got.After[0].Ticked.Note, "looked together")
	_, err = c.SetTick(ctx, key, "after", "files-their", api.SayTick{State: "done"})
	refused(t, "another question", err, `did you mean "after/files-there"?`)
}

// What a what-if takes is the sum of what its machines take.
func TestWhatIfWithEffort(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	c := s.Client
	w, err := c.WhatIf(ctx, api.AskWhatIf{Release: "skerry-13", Effort: true})
	expect.NoError(t, err)
	work, err := c.Work(ctx, "class=pc")
	expect.NoError(t, err)
	e := w.EffortBefore
	expect.Same(t, "visits now, as the work says", e.Visits, work.Visits)
	expect.Same(t, "minutes now", fmt.Sprint(e.Minutes), fmt.Sprint(work.Minutes))
	expect.Same(t, "parts now", fmt.Sprint(e.Parts.Least, e.Parts.Most, e.Parts.Unpriced),
		fmt.Sprint(work.Cost.Least, work.Cost.Most, work.Cost.Unpriced))
	expect.Same(t, "replaced now", e.Replaced, total(t, c, "class=pc disposition=replace"))
	expect.Same(t, "replaced then", w.EffortAfter.Replaced, w.After["replace"])
	expect.That(t, "the next release takes more", w.EffortAfter.Visits > e.Visits)
	plain, err := c.WhatIf(ctx, api.AskWhatIf{Release: "skerry-13"})
	expect.NoError(t, err)
	expect.That(t, "it is worked out only if it is asked for", plain.EffortBefore == nil)
}

// The latest start of a machine leaves time for all that it takes, and is said to have passed where it has.
func TestLatestStartOfAMachine(t *testing.T) {
	t.Parallel()
	m := newMonth(t)
	c := m.s.Client
	l, err := c.MachineList(ctx, client.List{Where: "support=90 route=interim disposition=reconfigure", Size: 1})
	expect.NoError(t, err)
	key := l.Machines[0].Key
	d, err := c.Machine(ctx, key)
	expect.NoError(t, err)
	end, err := time.Parse(time.DateOnly, d.SupportEnds)
	expect.NoError(t, err)
	start, err := time.Parse(time.DateOnly, d.Start)
	expect.NoError(t, err)
	expect.That(t, "two releases take two days", start.Before(end))
	w, err := c.Work(ctx, "disposition=refit class=pc")
	expect.NoError(t, err)
	waits, err := c.Machine(ctx, w.Order[0].Shares[0].Key)
	expect.NoError(t, err)
	unknown := false
	for _, st := range waits.Standing {
		unknown = unknown || strings.Contains(st.Says, "how long its parts take is unknown")
	}
	expect.That(t, "nobody knows how long the part takes", unknown)
	m.clock.Store(end.UnixNano())
	d, err = c.Machine(ctx, key)
	expect.NoError(t, err)
	said := false
	for _, st := range d.Standing {
		said = said || strings.HasPrefix(st.Says, "The work should have begun by ")
	}
	expect.That(t, "the day has passed", said)
}

package service

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/manual"
	"rolltop.example/rolltop/core/question"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/store"
)

// Inquiries is whom the open questions were put to, and what came of them.
type Inquiries struct {
	Records
	releases *Releases
	machines *Machines
	index    *Index
	work     *Work
}

const notAnswered = "Nothing was recorded"

// marked adds to questions whom they were put to.
func (w *Work) marked(ctx context.Context, list []question.Question) error {
	asked, err := w.Store.Inquiries(ctx)
	if err != nil {
		return err
	}
	open := map[string]*store.Inquiry{}
	for i := range asked {
		if a := &asked[i]; a.EndedAt == 0 {
			open[a.Question] = a
		}
	}
	today := string(wave.On(w.Now()))
	for i := range list {
		a := open[list[i].ID]
		if a == nil {
			continue
		}
		at := time.UnixMilli(a.Millis).UTC()
		late := a.Due != "" && a.Due < today
		list[i].Asked = &question.Asked{Who: a.Asked, By: a.By, At: at, Due: a.Due, Note: a.Note, Late: late,
			Says: say.Asked(a.Asked, at, a.Due, a.Note, late)}
	}
	return nil
}

// find is an open question of the machines that the viewer sees.
func (q *Inquiries) find(ctx context.Context, id string) (*question.Question, error) {
	list, err := q.work.questions(ctx, "")
	if err != nil {
		return nil, err
	}
	var ids []string
	for i := range list {
		if list[i].ID == id {
			return &list[i], nil
		}
		ids = append(ids, list[i].ID)
	}
	return nil, missing("there is no open question %q; %s", id,
		cmp.Or(doc.Suggest(id, ids), "rolltop work questions lists all"))
}

// Ask records that a question was put to somebody, who should answer by a day; "" is none.
func (q *Inquiries) Ask(ctx context.Context, id, who, due, note string) error {
	one, err := q.find(ctx, id)
	if err != nil {
		return err
	}
	if who = strings.TrimSpace(who); who == "" {
		return refuse(notAnswered, "whom the question was put to is missing; give a role or a name")
	}
	if due != "" {
		day, err := wave.ReadDay(due)
		if err != nil {
			return refuse(notAnswered, "%s", err)
		}
		if today := wave.On(q.Now()); day < today {
			return refuse(notAnswered, "an answer by %s is in the past; today is %s", day, today)
		}
		due = string(day)
	}
	store.Note(ctx, "", strings.Join(compact(one.Says, who, due, note), "; "))
	defer q.index.Changed()
	return q.Store.AddInquiry(ctx, &store.Inquiry{Question: id, Says: one.Says, Asked: who, Due: due, Note: note,
		By: by(ctx), Millis: q.Now().UnixMilli()})
}

// Reply is the answer to an open question.
type Reply struct {
	Value   string // of the fact, or the state of a title; for a list “yes”
	TreatAs string // instead: nobody answered, and this counts
	Note    string
	Trial   bool
}

// Replied is what an answer came to.
type Replied struct {
	Says     string
	Machines []work.MachineRef // that get the fact, the first 20 by name
	Count    int               // machines
	Proposed *release.Ref      // a revision that has the answer and is not in force yet
}

// Answer records the answer to a question: as a fact of a model or of each machine, or as a row of a proposed revision
// of the target release.
func (q *Inquiries) Answer(ctx context.Context, id string, a *Reply) (out Replied, err error) {
	one, err := q.find(ctx, id)
	if err != nil {
		return out, err
	}
	value, note := strings.TrimSpace(a.Value), strings.TrimSpace(a.Note)
	switch {
	case (value == "") == (a.TreatAs == ""):
		return out, refuse(notAnswered, "give either the answer, or what counts because nobody answered")
	case value == "" && note == "":
		return out, refuse(notAnswered, "nobody answered: a note has to say why %q counts", a.TreatAs)
	case value == "":
		value, note = strings.TrimSpace(a.TreatAs), "no answer; treated as "+a.TreatAs+": "+note
	}
	if one.Answer == question.ForRelease {
		out, err = q.propose(ctx, one, value, note, a.Trial)
	} else {
		out, err = q.enter(ctx, one, value, note, a.Trial)
	}
	if err != nil || a.Trial {
		return out, err
	}
	answer := value
	if out.Proposed != nil {
		answer = fmt.Sprintf("%s, in %s@%d", value, out.Proposed.ID, out.Proposed.Revision)
	}
	if note != "" {
		answer += " (" + note + ")"
	}
	store.Note(ctx, one.Says, answer)
	defer q.index.Changed()
	return out, q.Store.EndInquiry(ctx, id, one.Says, answer, by(ctx), q.Now())
}

// enter enters the answer as a fact of the model, or of each machine of the question.
func (q *Inquiries) enter(ctx context.Context, one *question.Question, value, note string, trial bool) (
	out Replied, err error,
) {
	ids, err := q.index.Picked(ctx, one.Where, nil)
	if err != nil {
		return out, err
	}
	refs, err := q.work.bulk.refs(ctx, ids)
	if err != nil {
		return out, err
	}
	out = Replied{Machines: refs, Count: len(ids)}
	n := &NewFact{Fact: one.Fact, Value: value, Note: note}
	f := q.machines.manual(ctx, n)
	if err := f.Check(); err != nil {
		return out, refuse(notEntered, "%s", err)
	}
	out.Says = say.AnsweredFact(one.Label, value, len(ids), one.Answer == question.ForModel && one.Model != "")
	if trial {
		return out, nil
	}
	if one.Answer == question.ForModel && one.Model != "" {
		_, _, err = q.machines.AddModelFact(ctx, one.Maker, one.Model, n)
		return out, err
	}
	if err := q.fits(ctx, ids, &f); err != nil {
		return out, err
	}
	var keys []string
	err = q.index.View(ctx, func(x *fleet.Index) {
		for _, id := range ids {
			if r := x.Row(id); r != nil {
				keys = append(keys, r.Key)
			}
		}
	})
	for _, key := range keys {
		if err == nil {
			err = q.machines.SetFact(ctx, key, n)
		}
	}
	return out, err
}

// fits refuses a fact that would not go into the inventory of one of some machines, before any of them gets it.
func (q *Inquiries) fits(ctx context.Context, ids []int64, f *manual.Fact) error {
	for _, id := range ids {
		d, err := q.Store.MachineByID(ctx, id)
		if err != nil {
			return err
		}
		facts, err := q.machines.Facts(ctx, d, 0)
		if err != nil {
			return err
		}
		if _, left := manual.Enter(facts.Inventory, []manual.Fact{*f}); left != nil {
			return refuse(notEntered, "%s: %s", d.Name, left[0])
		}
	}
	return nil
}

// sections are where a release document has the answer to a question, by the fact that it is about.
var sections = map[string]string{
	fact.ProcessorName.Def().Name:    release.InProcessors,
	fact.DeviceModel.Def().Name:      release.InModels,
	fact.SoftwareNotKnown.Def().Name: release.InSoftware,
	fact.DriversNotKnown.Def().Name:  release.InDrivers,
}

// propose stores a revision of the target that has the answer. It is not in force.
func (q *Inquiries) propose(
	ctx context.Context, one *question.Question, value, note string, trial bool,
) (out Replied, err error) {
	const title = "No revision was made"
	p := &release.Proposal{Section: sections[one.Fact], Name: one.About, Is: value, Note: note}
	if p.Section == "" {
		return out, refuse(title, "a row of a document cannot answer this; edit the release document")
	}
	listed := p.Section == release.InProcessors || p.Section == release.InModels
	if listed && value != "yes" {
		return out, refuse(
			title,
			"a row of a list says that %s is supported, so the answer can be yes alone; if it is "+
				"not supported, decide about its machines, or enter what the publisher says in the document",
			one.About,
		)
	}
	ids, err := q.index.Picked(ctx, one.Where, nil)
	if err != nil {
		return out, err
	}
	if out.Machines, err = q.work.bulk.refs(ctx, ids); err != nil {
		return out, err
	}
	out.Count = len(ids)
	class, err := q.classOf(ctx, ids)
	if err != nil {
		return out, err
	}
	t, ok := q.releases.Target(class)
	if !ok {
		return out, noTarget()
	}
	refs, err := q.Store.Releases(ctx)
	if err != nil {
		return out, err
	}
	latest, from := t.Release.Revision, t.Release.Revision
	for _, r := range refs {
		if r.ID != t.Release.ID {
			continue
		}
		latest = max(latest, r.Revision)
		if !r.Draft { // a proposal that waits is not lost, and a draft is not finished
			from = max(from, r.Revision)
		}
	}
	src, err := q.Store.ReleaseSource(ctx, t.Release.ID, from)
	if err != nil {
		return out, err
	}
	p.Revision = latest + 1
	text, err := release.Propose(t.Release.ID, src, p)
	if err != nil {
		return out, refuse(title, "%s", err)
	}
	rel, err := release.Read(t.Release.ID, text, nil)
	var mistakes *doc.Mistakes
	if errors.As(err, &mistakes) {
		return out, refuse(title, "the document would have a mistake: %s", mistakes.List[0].Wrong)
	} else if err != nil {
		return out, err
	}
	ref := rel.Ref()
	out.Proposed = &ref
	out.Says = say.AnsweredRow(one.About, value, ref.ID, ref.Revision)
	if !trial {
		_, err = q.Store.AddRelease(ctx, rel, text, q.Now())
	}
	return out, err
}

// classOf is the class of the first of some machines.
func (q *Inquiries) classOf(ctx context.Context, ids []int64) (string, error) {
	class := fact.PC
	err := q.index.View(ctx, func(x *fleet.Index) {
		for _, id := range ids[:min(len(ids), 1)] {
			if r := x.Row(id); r != nil {
				class = r.Class
			}
		}
	})
	return class, err
}

// Answers are the questions that were put to somebody and have ended, the latest first.
func (q *Inquiries) Answers(ctx context.Context) ([]store.Inquiry, error) {
	list, err := q.Store.Inquiries(ctx)
	return slices.DeleteFunc(list, func(i store.Inquiry) bool { return i.EndedAt == 0 }), err
}

package service

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"strings"
	"sync"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/attest"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/core/manual"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/build"
	"rolltop.example/rolltop/internal/store"
)

// Judge makes verdicts: for one machine within the write that changes it, and for a whole class
// when its rules change.
type Judge struct {
	Records
	releases  *Releases
	knowledge *Knowledge
	index     *Index

	aiming   sync.Mutex // one judging of the whole fleet at a time
	progress progress
	recent   recentJudges
}

// SetTarget makes the latest final revision of a release the target of its class, and judges the fleet
// where that has not been done by this version of the program.
func (j *Judge) SetTarget(ctx context.Context, class string, aim store.Aim) error {
	j.aiming.Lock()
	defer j.aiming.Unlock()
	t, by, err := j.targetOf(ctx, aim)
	if err != nil {
		return err
	}
	rel := t.Release
	number, done, err := j.Store.Judgement(ctx, rel.ID, rel.Revision, by, j.Now())
	if err != nil {
		return err
	}
	t.judgement = number
	j.releases.setTarget(class, t) // from now on what is handed in is judged so
	defer j.index.Invalidate()
	current, err := j.Store.InForce(ctx, class)
	if err != nil {
		return err
	}
	if done {
		if build.Version != "dev" && current == number {
			return nil
		}
		// An earlier judgement knows nothing of what came meanwhile.
		if err := j.Store.JudgeAnew(ctx, number); err != nil {
			return err
		}
	}
	// An inventory that is being kept for the former target must not slip through.
	if err := j.Store.Drain(ctx); err != nil {
		return err
	}
	if err := j.class(ctx, class, t); err != nil {
		return err
	}
	if err := j.Store.FindOn(ctx, class, rel.ID, rel.Name); err != nil {
		return err
	}
	return j.Store.PutInForce(ctx, class, number, j.Now(), j.explain(ctx, current, rel))
}

// targetOf is a release as a target, with what it is judged by.
func (j *Judge) targetOf(ctx context.Context, aim store.Aim) (t Target, by string, err error) {
	if aim.Revision == 0 {
		if aim.Revision, err = j.Store.FinalRevision(ctx, aim.ID); err != nil {
			return t, "", err
		}
	}
	if t.Release, err = j.releases.Get(ctx, aim.ID, aim.Revision); err != nil {
		return t, "", err
	}
	following, err := j.releases.Following(ctx, t.Release.ID)
	if err != nil {
		return t, "", err
	}
	by = j.knowledge.engine()
	if len(following) > 0 {
		t.Next = following[0]
		by += fmt.Sprintf(", before %s@%d", t.Next.ID, t.Next.Revision)
	}
	return t, by, nil
}

// explain says which requirements changed a machine's disposition between the judgement in force
// and a release. Where the former can no longer be read, it says nothing.
func (j *Judge) explain(ctx context.Context, judgement int64, is *release.Release) func(was, now string) string {
	silent := func(string, string) string { return "" }
	id, revision, err := j.Store.Judged(ctx, judgement)
	if err != nil {
		return silent
	}
	was, err := j.releases.Get(ctx, id, revision)
	if err != nil {
		return silent
	}
	w := fleet.NewWhatIf(was, is)
	return func(before, after string) string { return strings.Join(w.Changed(before, after), " ") }
}

// SetTargets judges the fleet again by the stored targets, after other knowledge was put in force.
func (j *Judge) SetTargets(ctx context.Context) error {
	stored, err := j.Store.Targets(ctx)
	if err != nil {
		return err
	}
	for class, aim := range stored {
		if err := j.SetTarget(ctx, class, aim); err != nil {
			return err
		}
	}
	return nil
}

// Choose returns the revision of a release that can become the target of a class, of any where it is empty. A release
// for testing needs a word: the whole fleet is judged by it. Revision 0 is the latest that is no draft.
func (j *Judge) Choose(ctx context.Context, class string, aim store.Aim, testing bool) (*release.Release, error) {
	const title = "The target cannot be chosen"
	if aim.Revision == 0 {
		var err error
		if aim.Revision, err = j.Store.FinalRevision(ctx, aim.ID); errors.Is(err, store.ErrNotFound) {
			if rel, err := j.releases.Find(ctx, aim.ID, 0); err != nil {
				return nil, err
			} else if rel.Draft {
				return nil, refuse(title, "%s has only drafts, and a draft cannot judge the fleet", rel.Name)
			}
		} else if err != nil {
			return nil, err
		}
	}
	rel, err := j.releases.Find(ctx, aim.ID, aim.Revision)
	switch {
	case err != nil:
		return nil, err
	case class != "" && rel.InstallsOn != class:
		return nil, refuse(title, "%s installs on %s and cannot be the target of %s", rel.Name,
			say.Classes(rel.InstallsOn), say.Classes(class))
	case rel.Draft:
		return nil, refuse(
			title,
			"revision %d of %s is a draft, and a draft cannot judge the fleet",
			rel.Revision,
			rel.Name,
		)
	case rel.TestRelease && !testing:
		return nil, refuse(
			title,
			"%s is a release for testing, and its requirements may change; confirm that the fleet "+
				"is to be judged by it (--testing)",
			rel.Name,
		)
	}
	return rel, nil
}

// Activate makes each release the target of its class, and judges the fleet by it.
func (j *Judge) Activate(ctx context.Context, chosen ...*release.Release) error {
	was, becomes := map[string]store.Aim{}, map[string]store.Aim{}
	for _, class := range Classes() {
		if t, ok := j.releases.Target(class); ok {
			was[class] = store.Aim{ID: t.Release.ID, Revision: t.Release.Revision}
		}
	}
	maps.Copy(becomes, was)
	for _, rel := range chosen {
		becomes[rel.InstallsOn] = store.Aim{ID: rel.ID, Revision: rel.Revision}
	}
	store.Note(ctx, targetsText(was), targetsText(becomes))
	for _, rel := range chosen {
		aim := becomes[rel.InstallsOn]
		if err := j.Store.SetTarget(ctx, rel.InstallsOn, aim); err != nil {
			return err
		}
		if err := j.SetTarget(ctx, rel.InstallsOn, aim); err != nil {
			return err
		}
	}
	return nil
}

// targetsText writes targets for the audit log, as “PCs: skerry-12@5; Macs: fathom-9@2”.
func targetsText(targets map[string]store.Aim) string {
	var out []string
	for _, class := range Classes() {
		text := "none"
		if aim, ok := targets[class]; ok {
			text = fmt.Sprintf("%s@%d", aim.ID, aim.Revision)
		}
		out = append(out, say.Classes(class)+": "+text)
	}
	return strings.Join(out, "; ")
}

// PutKnowledge puts a document of the organisation's own in force, an empty text for what the
// program ships, and judges the fleet again where it decides. Where the document has mistakes
// nothing changes, and the error is [*doc.Mistakes].
func (j *Judge) PutKnowledge(ctx context.Context, kind, text string) error {
	j.knowledge.changing.Lock()
	defer j.knowledge.changing.Unlock()
	decides, err := j.knowledge.put(ctx, kind, text)
	if err != nil || !decides {
		return err
	}
	return j.SetTargets(ctx)
}

// class judges every machine of a class from its packed facts.
func (j *Judge) class(ctx context.Context, class string, t Target) error {
	all, err := j.Store.Packable(ctx, class)
	if err != nil {
		return err
	}
	told := j.progress.begin(t.Release.Ref(), all)
	defer j.progress.end()
	return j.Store.JudgeAll(ctx, t.judgement, class, fact.Catalogue, func() store.Judge {
		judge, f := assess.NewJudge(j.knowledge.Base(), t.Release), new(fact.Facts)
		var next *assess.Judge
		if t.Next != nil {
			next = assess.NewJudge(j.knowledge.Base(), t.Next)
		}
		return func(p *store.Packed) (*store.Verdict, error) {
			if err := f.Unpack(p.Row); err != nil {
				return nil, err
			}
			got, err := judge.Judge(f)
			if err != nil {
				return nil, err
			}
			v := verdict(t, p.MachineID, p.InventoryID, &got)
			if next != nil {
				if err := f.Unpack(p.Row); err != nil { // a judge fills the facts from its release
					return nil, err
				}
				after, err := next.Judge(f)
				if err != nil {
					return nil, err
				}
				v.Next, v.NextOutcomes = int(after.Disposition), after.Outcomes
			}
			return &v, nil
		}
	}, told)
}

// verdict is what is stored of a judgement.
func verdict(t Target, machine, inventory int64, g *assess.Judgement) store.Verdict {
	return store.Verdict{
		JudgementID: t.judgement,
		MachineID:   machine,
		InventoryID: inventory,
		Disposition: int(g.Disposition),
		Certain:     g.Confirmed,
		Publisher:   int(g.Publisher),
		Fails:       g.Fails,
		Sole:        g.Sole,
		Outcomes:    g.Outcomes,
		Way:         g.Way,
		Plan:        g.Plan,
		Next:        fleet.NoNext,
	}
}

// recentJudges decide on one machine after the other as inventories come. Machines with the same
// kind of trouble are decided once.
type recentJudges struct {
	mu   sync.Mutex
	base *knowledge.Base
	of   map[*release.Release]*assess.Judge
}

// maxJudges bounds how many releases are remembered: two targets with what follows them.
const maxJudges = 8

func (r *recentJudges) judge(base *knowledge.Base, rel *release.Release, f *fact.Facts) (assess.Judgement, error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.base != base || len(r.of) >= maxJudges && r.of[rel] == nil {
		r.base, r.of = base, map[*release.Release]*assess.Judge{}
	}
	one := r.of[rel]
	if one == nil {
		one = assess.NewJudge(base, rel)
		r.of[rel] = one
	}
	return one.Judge(f)
}

// judged is what came of judging one machine within a write. The verdict is nil where its class
// has no target.
type judged struct {
	target  Target
	verdict *store.Verdict
	facts   *fact.Facts
	flipped bool // its disposition changed
}

// machine packs the facts of a machine's latest inventory, with what was entered by hand, and
// judges them, within a write. cause is why, one of the store's words.
func (j *Judge) machine(tx *store.Tx, d *store.Machine, inv *inventory.Document, cause string) (judged, error) {
	f, err := j.pack(tx, d, inv)
	if err != nil {
		return judged{}, err
	}
	t, ok := j.releases.Target(d.Class)
	if !ok {
		return judged{facts: f}, nil
	}
	base := j.knowledge.Base()
	g, err := j.recent.judge(base, t.Release, f.Clone())
	if err != nil {
		return judged{}, err
	}
	v := verdict(t, d.ID, d.InventoryID, &g)
	if t.Next != nil {
		if after, err := j.recent.judge(base, t.Next, f.Clone()); err == nil {
			v.Next, v.NextOutcomes = int(after.Disposition), after.Outcomes
		}
	}
	if cause == store.ByInventory {
		runs := inv.OS.Name.Or("") == t.Release.Name
		if err := tx.SeenHop(d.ID, inv.OS.Name.Or(""), inv.TakenAt); err != nil {
			return judged{}, err
		}
		if err := tx.Seen(d.ID, t.Release.ID, t.Release.Name, runs, inv.TakenAt); err != nil {
			return judged{}, err
		}
	}
	flipped, err := tx.Put(&v, cause, j.Now())
	return judged{t, &v, f, flipped}, err
}

// Latest judges a machine that has another latest inventory, within a write.
func (j *Judge) Latest(tx *store.Tx, d *store.Machine, inv *inventory.Document) error {
	_, err := j.machine(tx, d, inv, store.ByInventory)
	return err
}

// pack stores the packed facts of a machine's latest inventory with what its TPM attests and what was
// entered by hand, and gives them.
func (j *Judge) pack(tx *store.Tx, d *store.Machine, inv *inventory.Document) (*fact.Facts, error) {
	byHand, err := tx.HandFacts(d.ID)
	if err != nil {
		return nil, err
	}
	ofModel, err := tx.ModelFacts(d.Maker, d.Model)
	if err != nil {
		return nil, err
	}
	standing, err := store.Proofs{Tx: tx}.Standing(d)
	if err != nil {
		return nil, err
	}
	inv = attest.Apply(inv, standing, j.Now())
	// What does not go in is shown on the machine's page.
	whole, _ := manual.Enter(manual.Fill(inv, ofModel, byHand), byHand)
	f := fact.Read(whole)
	return f, tx.PutRow(d.ID, d.Class, fact.Catalogue, f.Pack(nil))
}

// repack makes packed facts again that are missing or of another version.
func (j *Judge) repack(ctx context.Context) error {
	machines, err := j.Store.Unpacked(ctx, fact.Catalogue)
	if err != nil {
		return err
	}
	for i := range machines {
		err := j.index.change(ctx, machines[i].Key, func(tx *store.Tx, d *store.Machine,
			inv *inventory.Document) error {
			_, err := j.pack(tx, d, inv)
			return err
		})
		if err != nil {
			return err
		}
	}
	if len(machines) > 0 {
		j.Log.Info("facts packed again", "machines", len(machines))
	}
	return nil
}

// again judges machines anew from their latest inventories; before, where it is given, comes first
// in the same write. It gives how many dispositions changed.
func (j *Judge) again(
	ctx context.Context, keys []string, before func(*store.Tx, *store.Machine) error,
) (changed int, err error) {
	for _, key := range keys {
		err := j.index.change(ctx, key, func(tx *store.Tx, d *store.Machine, inv *inventory.Document) error {
			if before != nil {
				if err := before(tx, d); err != nil {
					return err
				}
			}
			got, err := j.machine(tx, d, inv, store.ByFacts)
			if got.flipped {
				changed++
			}
			return err
		})
		if err != nil {
			return changed, err
		}
	}
	return changed, nil
}

// Progress is how far the judging of a class has come.
type Progress struct {
	Running  bool
	Release  *release.Ref
	Machines int
	Done     int
}

// Progress is how far the judging of the fleet by other rules has come.
func (j *Judge) Progress() Progress {
	j.progress.mu.Lock()
	defer j.progress.mu.Unlock()
	return j.progress.now
}

type progress struct {
	mu  sync.Mutex
	now Progress
}

func (p *progress) begin(of release.Ref, all int) (told func(int)) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.now = Progress{Running: true, Release: &of, Machines: all}
	return func(more int) {
		p.mu.Lock()
		defer p.mu.Unlock()
		p.now.Done = min(p.now.Done+more, p.now.Machines)
	}
}

func (p *progress) end() {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.now.Running = false
}

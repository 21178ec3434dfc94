package service

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"slices"
	"sync"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/internal/store"
)

// Target is the release that a class of hardware is judged against.
type Target struct {
	Release *release.Release
	Next    *release.Release // that follows it; nil where none does

	judgement int64
}

// Classes are the classes of hardware, each of which has a target of its own.
func Classes() []string { return []string{fact.PC, fact.Mac} }

// Releases holds the targets and compiles stored documents.
type Releases struct {
	Records
	mu       sync.RWMutex
	targets  map[string]Target // by class
	compiled map[[sha256.Size]byte]*release.Release
}

func newReleases(r Records) *Releases {
	return &Releases{Records: r, targets: map[string]Target{}, compiled: map[[sha256.Size]byte]*release.Release{}}
}

// Target is the target of a class of hardware; ok is false where none is chosen.
func (r *Releases) Target(class string) (t Target, ok bool) {
	r.mu.RLock()
	defer r.mu.RUnlock()
	t, ok = r.targets[class]
	return t, ok
}

// TargetOf is the target that is a release; ok is false where the release is none.
func (r *Releases) TargetOf(id string) (t Target, ok bool) {
	for _, class := range Classes() {
		if t, ok := r.Target(class); ok && t.Release.ID == id {
			return t, true
		}
	}
	return Target{}, false
}

// Aims are the targets by class.
func (r *Releases) Aims() map[string]*release.Release {
	out := map[string]*release.Release{}
	for _, class := range Classes() {
		if t, ok := r.Target(class); ok {
			out[class] = t.Release
		}
	}
	return out
}

// requirementIDs are the ids of the requirements of the targets, of their intermediate releases and
// of the releases that follow.
func (r *Releases) requirementIDs() []string {
	var ids []string
	for _, class := range Classes() {
		t, _ := r.Target(class)
		for _, rel := range []*release.Release{t.Release, t.Next} {
			if rel == nil {
				continue
			}
			for i := range rel.Requirements {
				ids = append(ids, rel.Requirements[i].ID)
			}
		}
	}
	slices.Sort(ids)
	return slices.Compact(ids)
}

// TargetWith is the id of the target that has a requirement; where none has it, of the first
// target, and "" where there is none.
func (r *Releases) TargetWith(requirement string) string {
	first := ""
	for _, class := range Classes() {
		t, ok := r.Target(class)
		switch {
		case !ok:
		case t.Release.Requirement(requirement) != nil:
			return t.Release.ID
		case first == "":
			first = t.Release.ID
		}
	}
	return first
}

func (r *Releases) setTarget(class string, t Target) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.targets[class] = t
}

// all are the targets by class, and the numbers of their judgements.
func (r *Releases) all() (targets map[string]Target, judgements map[string]int64) {
	r.mu.RLock()
	defer r.mu.RUnlock()
	targets, judgements = make(map[string]Target, len(r.targets)), make(map[string]int64, len(r.targets))
	for class, t := range r.targets {
		targets[class], judgements[class] = t, t.judgement
	}
	return targets, judgements
}

// Get compiles a stored revision, once; 0 is the latest. The error may be store.ErrNotFound.
func (r *Releases) Get(ctx context.Context, id string, revision int) (*release.Release, error) {
	src, err := r.Store.ReleaseSource(ctx, id, revision)
	if err != nil {
		return nil, err
	}
	// A revision is never overwritten, so its text names it.
	key := sha256.Sum256(src)
	r.mu.RLock()
	c := r.compiled[key]
	r.mu.RUnlock()
	if c != nil {
		return c, nil
	}
	rel, err := release.Read(id, src, nil)
	if err != nil {
		return nil, fmt.Errorf("this version cannot read the stored document of %s: %w", id, err)
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	r.compiled[key] = rel
	return rel, nil
}

// Find is Get, whose error says which release, or which revision of it, does not exist.
func (r *Releases) Find(ctx context.Context, id string, revision int) (*release.Release, error) {
	rel, err := r.Get(ctx, id, revision)
	return rel, r.Absent(ctx, id, revision, err)
}

// Absent says which release, or which revision of it, the store has not found; other errors
// stay as they are.
func (r *Releases) Absent(ctx context.Context, id string, revision int, err error) error {
	if revision > 0 && errors.Is(err, store.ErrNotFound) {
		if latest, err := r.Get(ctx, id, 0); err == nil {
			return missing("%s has no revision %d; its latest is %s@%d", id, revision, id, latest.Revision)
		}
	}
	return orMissing(err, NoRelease(id))
}

// Ref names a stored revision; by its id alone where it cannot be read any more.
func (r *Releases) Ref(ctx context.Context, id string, revision int) release.Ref {
	if rel, err := r.Get(ctx, id, revision); err == nil {
		return rel.Ref()
	}
	return release.Ref{ID: id, Name: id, Revision: revision}
}

// Before is the number of the revision before one, or 0.
func (r *Releases) Before(ctx context.Context, rel *release.Release) (int, error) {
	refs, err := r.Store.Releases(ctx)
	best := 0
	for _, ref := range refs {
		if ref.ID == rel.ID && ref.Revision < rel.Revision {
			best = max(best, ref.Revision)
		}
	}
	return best, err
}

// Following are the latest revisions of the releases that follow one: what comes next. Drafts do
// not count.
func (r *Releases) Following(ctx context.Context, id string) ([]*release.Release, error) {
	refs, err := r.Store.Releases(ctx)
	if err != nil {
		return nil, err
	}
	var out []*release.Release
	seen := map[string]bool{}
	for _, ref := range refs { // the latest of each first
		if ref.Follows != id || ref.Draft || seen[ref.ID] {
			continue
		}
		seen[ref.ID] = true
		rel, err := r.Get(ctx, ref.ID, ref.Revision)
		if err != nil {
			return nil, err
		}
		out = append(out, rel)
	}
	return out, nil
}

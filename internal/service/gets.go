package service

import (
	"context"
	"encoding/binary"
	"maps"
	"slices"
	"strings"
	"sync"

	"golang.org/x/sync/errgroup"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/internal/store"
)

// gets is what a machine gets with a release, from its facts and its way alone: nothing of it comes from a wave, and
// nothing was ticked.
type gets struct {
	Machine wave.Machine // without its names
	Nothing string       // why it gets nothing; "": it gets something
	Prepare []int        // places in the release of the preparations that its facts do not show as done
}

// getsCache is what machines get that was worked out. Those of a machine are good as long as the machine and its way
// are; machines that get the same share it.
type getsCache struct {
	mu    sync.Mutex
	round int // counts changes of machines: what was read before one is not kept after it
	of    map[*release.Release]map[int64]*gets
	alike map[*release.Release]map[string]*gets
}

// maxGets is for how many releases it is remembered what machines get: the targets, and those of waves before them.
const maxGets = 4

// forget drops what was worked out for machines that were changed.
func (c *getsCache) forget(ids []int64, all bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if all || len(ids) > 0 {
		c.round++
	}
	if all {
		c.of, c.alike = nil, nil
	}
	for _, known := range c.of {
		for _, id := range ids {
			delete(known, id)
		}
	}
}

// take puts what is known of machines into out, and gives those of which it is not, in order.
func (c *getsCache) take(rel *release.Release, ways map[int64]string, out map[int64]*gets) (todo []int64) {
	c.mu.Lock()
	defer c.mu.Unlock()
	known := c.of[rel]
	for id, way := range ways {
		if g := known[id]; g != nil && g.Machine.Way == way {
			out[id] = g
		} else {
			todo = append(todo, id)
		}
	}
	slices.Sort(todo)
	return todo
}

// now is the present round, for [getsCache.keep].
func (c *getsCache) now() int {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.round
}

// keep keeps what machines get, unless a machine was changed since the round in which it was read.
func (c *getsCache) keep(round int, rel *release.Release, got map[int64]*gets) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if round != c.round {
		return
	}
	if c.of[rel] == nil {
		if c.of == nil || len(c.of) >= maxGets {
			c.of, c.alike = map[*release.Release]map[int64]*gets{}, map[*release.Release]map[string]*gets{}
		}
		c.of[rel], c.alike[rel] = map[int64]*gets{}, map[string]*gets{}
	}
	known, alike := c.of[rel], c.alike[rel]
	var key []byte
	for id, g := range got {
		key = g.key(key[:0])
		same := alike[string(key)]
		if same == nil {
			same = g
			for i, title := range g.Machine.Loses { // of its own memory: a text of facts keeps a whole row of them
				g.Machine.Loses[i] = strings.Clone(title)
			}
			alike[string(key)] = same
		}
		known[id], got[id] = same, same
	}
}

// key appends what tells what machines get apart.
func (g *gets) key(b []byte) []byte {
	m := &g.Machine
	texts := func(list ...string) {
		for _, text := range list {
			b = append(binary.AppendUvarint(b, uint64(len(text))), text...)
		}
	}
	texts(m.Way, g.Nothing, m.Edition, m.Package, m.File, m.SHA256)
	for _, p := range g.Prepare {
		b = binary.AppendUvarint(b, uint64(p))
	}
	b = append(b, '|')
	for i := range m.Hops {
		h := &m.Hops[i]
		texts(h.Release, h.Edition, h.Package, h.NoPackage)
	}
	b = append(b, '|')
	texts(m.Loses...)
	return b
}

// gets finds what machines get with a release, by their ways. Machines whose facts cannot be read are not in it. What
// it gives is shared, and not to be changed.
func (w *Waves) gets(ctx context.Context, rel *release.Release, ways map[int64]string) (map[int64]*gets, error) {
	out := make(map[int64]*gets, len(ways))
	todo := w.getsCache.take(rel, ways, out)
	var putting sync.Mutex
	g, ctx := errgroup.WithContext(ctx)
	for some := range slices.Chunk(todo, pieceOf(len(todo))) {
		g.Go(func() error {
			f := new(fact.Facts)
			for few := range slices.Chunk(some, atOnce) {
				round, got := w.getsCache.now(), make(map[int64]*gets, len(few))
				err := w.Store.PackedOf(ctx, fact.Catalogue, few, func(list []store.Packed) error {
					for i := range list {
						if f.Unpack(list[i].Row) == nil {
							got[list[i].MachineID] = getsOf(rel, f, ways[list[i].MachineID])
						}
					}
					return nil
				})
				if err != nil {
					return err
				}
				w.getsCache.keep(round, rel, got)
				putting.Lock()
				maps.Copy(out, got)
				putting.Unlock()
			}
			return nil
		})
	}
	return out, g.Wait()
}

func getsOf(rel *release.Release, f *fact.Facts, way string) *gets {
	g := &gets{Machine: wave.Machine{Way: way}}
	for p := range rel.Prepare {
		if state, _ := say.Prepared(&rel.Prepare[p], f); state != say.Done && state != say.NotNeeded {
			g.Prepare = append(g.Prepare, p)
		}
	}
	g.Nothing = g.Machine.Deliver(rel, f)
	g.Machine.Loses = wave.Losses(rel, f)
	return g
}

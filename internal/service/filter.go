package service

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"slices"
	"strconv"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/internal/store"
)

// identifying are the facts that name one machine: who does not see them cannot list them, filter
// by them, or read them where somebody entered them by hand.
var identifying = []fact.ID{fact.DeviceSerial, fact.DeviceUUID, fact.BoardSerial, fact.DeviceAssetTag}

// Identifies says that a fact names one machine.
func Identifies(id fact.ID) bool { return slices.Contains(identifying, id) }

// Where reads a filter that a viewer wrote, who picks from what they see. A requirement, step, site
// or tag that does not exist is a mistake. The error may be a [*Refusal].
func (i *Index) Where(ctx context.Context, text string) (fleet.Filter, error) {
	return i.read(ctx, text, i.named)
}

// Ahead reads a filter of machines that come later: its sites and tags may come later, too. The
// error may be a [*Refusal].
func (i *Index) Ahead(ctx context.Context, text string) (fleet.Filter, error) {
	return i.read(ctx, text, func(context.Context) (sites, tags []string, err error) { return nil, nil, nil })
}

func (i *Index) read(
	ctx context.Context, text string, named func(context.Context) (sites, tags []string, err error),
) (fleet.Filter, error) {
	f, err := i.Stored(ctx, text)
	if err != nil || text == "" {
		return f, err
	}
	exist := i.rules()
	if f.Has("site") || f.Has("tag") {
		if exist.Sites, exist.Tags, err = named(ctx); err != nil {
			return f, err
		}
	}
	says := f.Unknown(exist)
	for _, sought := range f.External() {
		if says == "" && (sought.What == fleet.ExternalOrder || sought.What == fleet.ExternalPart) {
			if says, err = i.noPart(ctx, sought); err != nil {
				return f, err
			}
		}
	}
	if says != "" {
		return f, &Refusal{Reason: Mistaken, Title: "The filter has a mistake", Says: says}
	}
	return f, nil
}

// Stored reads a filter that was accepted earlier, of a decision or a wave: what it names may have
// gone since, and then picks nothing. The error may be a [*Refusal].
func (i *Index) Stored(ctx context.Context, text string) (fleet.Filter, error) {
	f, err := fleet.Parse(text)
	if err != nil {
		return f, &Refusal{Reason: Mistaken, Title: "The filter has a mistake", Says: err.Error()}
	}
	who := ViewerOf(ctx)
	for _, id := range identifying {
		if !who.Plain && f.Asks(id) {
			return f, forbidden("%s identifies a machine, which your role cannot see", id.Def().Name)
		}
	}
	if f, err = i.seek(ctx, f, who.Plain); err != nil {
		return f, err
	}
	if who.Limited() {
		f = f.Within("site", who.Sites...)
	}
	return f.At(i.Now()), nil
}

// Canonical is a filter as the viewer wrote it, in its canonical text: without what limits them.
func (i *Index) Canonical(ctx context.Context, f fleet.Filter, text string) string {
	if ViewerOf(ctx).Limited() {
		f, _ = fleet.Parse(text) // it was read before
	}
	return f.String()
}

// seek finds the machines that parts of a filter name. Without plain, serial numbers find none.
func (i *Index) seek(ctx context.Context, f fleet.Filter, plain bool) (fleet.Filter, error) {
	for _, sought := range f.External() {
		var ids []int64
		var err error
		switch {
		case sought.What == fleet.ExternalWho:
			ids, err = i.Store.AssignedTo(ctx, sought.Value)
		case sought.What == fleet.ExternalVisit:
			ids, err = i.Store.VisitedOn(ctx, sought.Value)
		case sought.What == fleet.ExternalChanged:
			ids, err = i.turned(ctx, sought.Value)
		case sought.What == fleet.ExternalOffer:
			ids, err = i.offered(ctx, sought.Value)
		case sought.What == fleet.ExternalOrder, sought.What == fleet.ExternalPart:
			ids, err = i.parts(ctx, sought)
		case !sought.Naming():
			ids, err = i.inWaves(ctx, sought)
		case plain:
			ids, err = i.Store.Named(ctx, sought.What, sought.Value)
		}
		if err != nil {
			return f, err
		}
		f = f.Found(sought.Key, ids)
	}
	return f, nil
}

// turned are the machines whose disposition a change of rules changed.
func (i *Index) turned(ctx context.Context, number string) ([]int64, error) {
	n, err := strconv.ParseInt(number, 10, 64)
	if err != nil {
		return nil, err
	}
	flips, err := i.Store.Turned(ctx, n)
	ids := make([]int64, len(flips))
	for k := range flips {
		ids[k] = flips[k].Machine
	}
	return ids, err
}

// offered are the machines to which their target is offered when a word says.
func (i *Index) offered(ctx context.Context, word string) ([]int64, error) {
	var ids, out []int64
	err := i.Each(ctx, fleet.Filter{}.Within("retired", "yes", "no"), func(r *fleet.Row) { ids = append(ids, r.ID) })
	if err != nil {
		return nil, err
	}
	slices.Sort(ids)
	facts, now := new(fact.Facts), i.Now()
	err = i.Store.PackedOf(ctx, fact.Catalogue, ids, func(batch []store.Packed) error {
		for k := range batch {
			t, ok := i.releases.Target(batch[k].Class)
			if !ok || facts.Unpack(batch[k].Row) != nil {
				continue
			}
			if slices.Contains(t.Release.WhenOffered(facts, now), word) {
				out = append(out, batch[k].MachineID)
			}
		}
		return nil
	})
	return out, err
}

// inWaves are the machines that a part of a filter picks by their wave or its outcome.
func (i *Index) inWaves(ctx context.Context, sought fleet.External) ([]int64, error) {
	members, err := i.Store.Members(ctx)
	if err != nil {
		return nil, err
	}
	var taken map[int64]*fleet.Row
	outcomes := sought.What == fleet.ExternalOutcome
	if outcomes {
		some := make(map[int64]bool, len(members))
		for k := range members {
			some[members[k].MachineID] = true
		}
		if taken, err = i.rowsOf(ctx, fleet.Filter{}, some); err != nil {
			return nil, err
		}
	}
	var ids []int64
	for k := range members {
		m := &members[k]
		in := strconv.FormatInt(m.WaveID, 10) == sought.Value
		if outcomes {
			r := taken[m.MachineID]
			in = r != nil && outcomeOf(m, r.TakenAt) == sought.Value
		}
		if in {
			ids = append(ids, m.MachineID)
		}
	}
	return ids, nil
}

// rowsOf are those of some machines that a filter picks, with machines out of use, by their
// numbers. They are copies.
func (i *Index) rowsOf(ctx context.Context, f fleet.Filter, some map[int64]bool) (map[int64]*fleet.Row, error) {
	out := make(map[int64]*fleet.Row, len(some))
	err := i.Each(ctx, f.Within("retired", "yes", "no"), func(r *fleet.Row) {
		if some[r.ID] {
			own := *r
			out[r.ID] = &own
		}
	})
	return out, err
}

// seen are those of some machines that the viewer sees, with machines out of use.
func (i *Index) seen(ctx context.Context, some map[int64]bool) (map[int64]*fleet.Row, error) {
	f, err := i.Where(ctx, "")
	if err != nil {
		return nil, err
	}
	return i.rowsOf(ctx, f, some)
}

// Picked are the numbers of the machines that a filter picks, or of those that are named, as [Index.Key]
// reads names.
func (i *Index) Picked(ctx context.Context, where string, keys []string) ([]int64, error) {
	keys, err := i.Keys(ctx, keys)
	if err != nil {
		return nil, err
	}
	f, err := i.Where(ctx, where)
	if err != nil {
		return nil, err
	}
	if len(keys) > 0 && !f.Has("retired") {
		f = f.Within("retired", "yes", "no") // who names a machine means it
	}
	named := make(map[string]bool, len(keys))
	for _, k := range keys {
		named[k] = true
	}
	var ids []int64
	err = i.View(ctx, func(x *fleet.Index) {
		p := x.Select(f)
		for _, r := range p.Page(fleet.Order{}, 0, p.Len()) {
			if len(keys) == 0 || named[r.Key] {
				ids = append(ids, r.ID)
				delete(named, r.Key)
			}
		}
	})
	if err != nil {
		return nil, err
	}
	for _, k := range keys {
		if named[k] {
			return nil, missing("%s", NoMachine(k))
		}
	}
	return ids, nil
}

// Facts are facts that become columns, by their names.
func (i *Index) Facts(ctx context.Context, names []string) ([]*fact.Def, error) {
	var defs []*fact.Def
	for _, name := range names {
		def := fact.ByName(name)
		if def == nil || def.ID.Group() != fact.NoGroup {
			wrong := "unknown fact " + strconv.Quote(name)
			return nil, refuse("Unknown fact", "%s", doc.With(wrong, doc.Suggest(name, fact.Names())))
		}
		if !ViewerOf(ctx).Plain && Identifies(def.ID) {
			return nil, forbidden("%s identifies a machine, which your role cannot see", name)
		}
		defs = append(defs, def)
	}
	return defs, nil
}

// Query asks for a page of machines.
type Query struct {
	Where  string
	Sort   string
	Page   int    // from 1
	Cursor string // what a page gave as next, instead of a number of a page
	Size   int
}

// Page is a page of machines.
type Page struct {
	Filter fleet.Filter
	Total  int // machines that the filter picks
	From   int // machines before the first of the page
	Next   string
	Rows   []fleet.Row
	Early  bool // it comes straight from the database, while the index is loaded
}

// List picks a page. more, where it is given, sees the whole selection.
func (i *Index) List(ctx context.Context, q *Query, more func(*fleet.Index, fleet.Selection)) (*Page, error) {
	order, err := fleet.ParseOrder(q.Sort)
	if err != nil {
		return nil, &Refusal{Reason: Mistaken, Title: "The order has a mistake", Says: err.Error()}
	}
	if says := order.Unknown(i.releases.requirementIDs()); says != "" {
		return nil, &Refusal{Reason: Mistaken, Title: "The order has a mistake", Says: says}
	}
	f, err := i.Where(ctx, q.Where)
	if err != nil {
		return nil, err
	}
	var mark fleet.Mark
	if q.Cursor != "" {
		if b, err := base64.RawURLEncoding.DecodeString(q.Cursor); err != nil || json.Unmarshal(b, &mark) != nil {
			return nil, refuse("Unknown page", "cursor=%s is not the cursor of a page", q.Cursor)
		}
	}
	out := &Page{Filter: f}
	err = i.View(ctx, func(x *fleet.Index) {
		picked := x.Select(f)
		out.Total = picked.Len()
		if q.Cursor != "" {
			out.Rows, out.From = picked.After(order, mark, q.Size)
		} else {
			out.From = (q.Page - 1) * q.Size
			out.Rows = picked.Page(order, out.From, q.Size)
		}
		if n := len(out.Rows); n > 0 && out.From+n < out.Total {
			if m, ok := x.MarkOf(order, out.Rows[n-1].ID); ok {
				b, _ := json.Marshal(m) // texts and numbers
				out.Next = base64.RawURLEncoding.EncodeToString(b)
			}
		}
		if more != nil {
			more(x, picked)
		}
	})
	if err != nil {
		return nil, err
	}
	return out, nil
}

// EarlyList is a page of all machines by name while the index is loaded; it is nil where the page
// takes the index. No decisions are laid over it.
func (i *Index) EarlyList(ctx context.Context, q *Query) (*Page, error) {
	plain := q.Where == "" && q.Cursor == "" && (q.Sort == "" || q.Sort == "name")
	if !plain || ViewerOf(ctx).Limited() || i.Loaded() {
		return nil, nil
	}
	out := &Page{From: (q.Page - 1) * q.Size, Early: true}
	ids, total, err := i.Store.ByName(ctx, out.From, q.Size)
	if err != nil {
		return nil, err
	}
	out.Total = total
	found, err := i.changedRows(ctx, ids)
	if err != nil {
		return nil, err
	}
	for _, id := range ids {
		if c, ok := found[id]; ok {
			out.Rows = append(out.Rows, c.row)
		}
	}
	return out, nil
}

// All are all machines that a filter picks, by name.
func (i *Index) All(ctx context.Context, where string) ([]fleet.Row, error) {
	f, err := i.Where(ctx, where)
	if err != nil {
		return nil, err
	}
	var rows []fleet.Row
	err = i.View(ctx, func(x *fleet.Index) {
		picked := x.Select(f)
		rows = picked.Page(fleet.Order{}, 0, picked.Len())
	})
	return rows, err
}

// Plans are the machines that a filter picks, by their plans.
func (i *Index) Plans(ctx context.Context, where string) ([]fleet.Planned, error) {
	f, err := i.Where(ctx, where)
	if err != nil {
		return nil, err
	}
	var out []fleet.Planned
	err = i.View(ctx, func(x *fleet.Index) { out = x.Select(f).Plans() })
	return out, err
}

// Sees says that the viewer sees a machine, which is named by its key.
func (i *Index) Sees(ctx context.Context, key string) bool {
	who := ViewerOf(ctx)
	if !who.Limited() {
		return true
	}
	d, err := i.Store.MachineByKey(ctx, key)
	if err != nil {
		return false
	}
	sites, err := i.Store.Sites(ctx)
	return err == nil && who.Sees(SiteOf(d, sites))
}

// rules are the requirements and the steps that a filter can name.
func (i *Index) rules() (exist fleet.Existing) {
	if ids := i.releases.requirementIDs(); len(ids) > 0 { // none before the first target
		exist.Requirements = ids
	}
	if base := i.knowledge.Base(); base != nil {
		exist.Steps = base.Steps.IDs()
	}
	return exist
}

// Complete lists ways to go on at the end of a filter, of what the viewer can name.
func (i *Index) Complete(ctx context.Context, text string) ([]fleet.Completion, error) {
	exist := i.rules()
	var err error
	exist.Sites, exist.Tags, err = i.named(ctx)
	slices.Sort(exist.Sites)
	return fleet.Complete(text, exist), err
}

// named are the sites and tags that a filter of the viewer can name: none while the index is loaded,
// and for whoever is limited to sites only those.
func (i *Index) named(ctx context.Context) (sites, tags []string, err error) {
	if who := ViewerOf(ctx); who.Limited() {
		return who.Sites, nil, nil
	}
	if !i.Loaded() {
		return nil, nil, nil
	}
	sites, tags = []string{}, []string{}
	err = i.View(ctx, func(x *fleet.Index) { sites, tags = append(sites, x.Sites()...), append(tags, x.Tags()...) })
	if err != nil {
		return nil, nil, err
	}
	assigned, err := i.Store.Sites(ctx)
	for _, s := range assigned {
		if !slices.Contains(sites, s.Name) {
			sites = append(sites, s.Name)
		}
	}
	return sites, tags, err
}

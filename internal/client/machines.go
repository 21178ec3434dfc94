package client

import (
	"context"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/compare"
	"rolltop.example/rolltop/core/results"
	"rolltop.example/rolltop/internal/api"
)

// machines are the operations on machines and their facts.
type machines struct{ *conn }

// Machines lists machines.
func (c machines) Machines(ctx context.Context, where, sort string, page, size int) (api.MachineList, error) {
	q := url.Values{"where": {where}, "sort": {sort}, "page": {strconv.Itoa(page)}, "size": {strconv.Itoa(size)}}
	return get[api.MachineList](ctx, c.conn, "machines", q)
}

// Machine shows one machine.
func (c machines) Machine(ctx context.Context, key string) (api.Machine, error) {
	return get[api.Machine](ctx, c.conn, "machines/"+url.PathEscape(key), nil)
}

// Inventory returns the inventory document of a machine; 0 is the latest.
func (c machines) Inventory(ctx context.Context, key string, id int64) ([]byte, error) {
	q := url.Values{}
	if id > 0 {
		q.Set("id", strconv.FormatInt(id, 10))
	}
	return get[[]byte](ctx, c.conn, "machines/"+url.PathEscape(key)+"/inventory", q)
}

// ProvenInventory is the latest inventory of a machine with what its TPM attests, as the service checks it.
func (c machines) ProvenInventory(ctx context.Context, key string) ([]byte, error) {
	return get[[]byte](ctx, c.conn, "machines/"+url.PathEscape(key)+"/inventory", url.Values{"proven": {"true"}})
}

// SetFact enters a fact of a machine by hand.
func (c machines) SetFact(ctx context.Context, key, fact string, f api.SetFact) (api.Machine, error) {
	return send[api.Machine](
		ctx,
		c.conn,
		http.MethodPut,
		"machines/"+url.PathEscape(key)+"/facts/"+url.PathEscape(fact),
		f,
	)
}

// RemoveFact removes a fact that was entered by hand.
func (c machines) RemoveFact(ctx context.Context, key, fact string) (api.Machine, error) {
	return send[api.Machine](
		ctx,
		c.conn,
		http.MethodDelete,
		"machines/"+url.PathEscape(key)+"/facts/"+url.PathEscape(fact),
		nil,
	)
}

// SetTick says that an item of preparation (prepare) or a step is done, or refuses
// it.
func (c machines) SetTick(ctx context.Context, key, kind, item string, t api.SayTick) (api.Machine, error) {
	return send[api.Machine](ctx, c.conn, http.MethodPut, tickPath(key, kind, item), t)
}

// RemoveTick removes the record of an item or a step.
func (c machines) RemoveTick(ctx context.Context, key, kind, item string) (api.Machine, error) {
	return send[api.Machine](ctx, c.conn, http.MethodDelete, tickPath(key, kind, item), nil)
}

// VisitLink makes a link to the page of a machine's visit; 0 hours are the
// service's own choice.
func (c machines) VisitLink(ctx context.Context, key string, hours int) (api.VisitLink, error) {
	q := url.Values{"hours": {strconv.Itoa(hours)}, "origin": {c.base.Scheme + "://" + c.base.Host}}
	return send[api.VisitLink](
		ctx,
		c.conn,
		http.MethodPost,
		"machines/"+url.PathEscape(key)+"/visit-link?"+q.Encode(),
		nil,
	)
}

// EndVisitLinks ends all links to the page of a machine's visit.
func (c machines) EndVisitLinks(ctx context.Context, key string) error {
	return c.remove(ctx, "machines/"+url.PathEscape(key)+"/visit-link")
}

// Results gets the results of the work since an earlier inventory.
func (c machines) Results(ctx context.Context, key string, inventory int64) (results.Document, error) {
	return get[results.Document](ctx, c.conn, "machines/"+url.PathEscape(key)+"/results",
		url.Values{"inventory": {strconv.FormatInt(inventory, 10)}})
}

// Check checks a machine against any release that the service has.
func (c machines) Check(ctx context.Context, key, release string) (assess.Document, error) {
	return get[assess.Document](ctx, c.conn, "machines/"+url.PathEscape(key)+"/check", url.Values{"release": {release}})
}

// Report is the check of a machine to hand over: the query is as the API has
// it, such as format=markdown.
func (c machines) Report(ctx context.Context, key string, query url.Values) ([]byte, error) {
	return get[[]byte](ctx, c.conn, "machines/"+url.PathEscape(key)+"/report", query)
}

// Compare puts two machines beside each other.
func (c machines) Compare(ctx context.Context, a, b string) (compare.Document, error) {
	return get[compare.Document](ctx, c.conn, "compare", url.Values{"a": {a}, "b": {b}})
}

// Export writes every machine that a filter picks to w: as csv or ndjson, with
// facts as columns.
func (c machines) Export(ctx context.Context, where, format string, facts []string, w io.Writer) error {
	return c.download(ctx, "export?"+url.Values{
		"where":  {where},
		"format": {format},
		"facts":  {strings.Join(facts, ",")},
	}.Encode(), w)
}

// RemoveMachine removes a machine with everything that is known of it.
func (c machines) RemoveMachine(ctx context.Context, key string) error {
	return c.remove(ctx, "machines/"+url.PathEscape(key))
}

// MachineList lists machines.
func (c machines) MachineList(ctx context.Context, l List) (api.MachineList, error) {
	return get[api.MachineList](ctx, c.conn, "machines", l.query())
}

// Change sets tags, site or retirement of machines.
func (c machines) Change(ctx context.Context, m api.MachineChanges) (api.ManyChanged, error) {
	return send[api.ManyChanged](ctx, c.conn, http.MethodPost, "machine-changes", m)
}

// Tags lists the tags that machines bear.
func (c machines) Tags(ctx context.Context) (api.TagList, error) {
	return get[api.TagList](ctx, c.conn, "tags", nil)
}

// Duplicates lists machines that may be one, and inventories that may be of another.
func (c machines) Duplicates(ctx context.Context) (api.DuplicateList, error) {
	return get[api.DuplicateList](ctx, c.conn, "duplicates", nil)
}

// ResolveDuplicate says whether it is one machine (same) or two (apart).
func (c machines) ResolveDuplicate(ctx context.Context, id int64, verdict string) error {
	return c.send(ctx, http.MethodPost, "duplicates/"+strconv.FormatInt(id, 10),
		api.ResolveDuplicate{Verdict: verdict})
}

// Rekey lets a machine speak with another key, for a reason.
func (c machines) Rekey(ctx context.Context, key, reason string) error {
	return c.send(ctx, http.MethodPost, "machines/"+url.PathEscape(key)+"/key", api.Rekey{Reason: reason})
}

// ModelFacts lists facts that hold for every machine of a model.
func (c machines) ModelFacts(ctx context.Context) (api.ModelFactList, error) {
	return get[api.ModelFactList](ctx, c.conn, "model-facts", nil)
}

// AddModelFact enters a fact for all machines of a model.
func (c machines) AddModelFact(ctx context.Context, f api.AddModelFact) (api.ModelFactEntered, error) {
	return send[api.ModelFactEntered](ctx, c.conn, http.MethodPost, "model-facts", f)
}

// RemoveModelFact removes a fact of a model.
func (c machines) RemoveModelFact(ctx context.Context, id int64) (api.ModelFactEntered, error) {
	return send[api.ModelFactEntered](ctx, c.conn, http.MethodDelete, "model-facts/"+strconv.FormatInt(id, 10), nil)
}

func tickPath(key, kind, item string) string {
	return "machines/" + url.PathEscape(key) + "/ticks/" + url.PathEscape(kind) + "/" + url.PathEscape(item)
}

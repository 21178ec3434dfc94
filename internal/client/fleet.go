package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"rolltop.example/rolltop/internal/api"
)

// fleet is the operations on the fleet as a whole.
type fleet struct{ *conn }

// List asks for a page of machines.
type List struct {
	Where, Sort, Cursor string
	Page, Size          int
	Facts               []string
}

func (l *List) query() url.Values {
	q := url.Values{"where": {l.Where}, "sort": {l.Sort}, "cursor": {l.Cursor}, "facts": {strings.Join(l.Facts, ",")}}
	if l.Page > 0 {
		q.Set("page", strconv.Itoa(l.Page))
	}
	if l.Size > 0 {
		q.Set("size", strconv.Itoa(l.Size))
	}
	for k, v := range q {
		if v[0] == "" {
			delete(q, k)
		}
	}
	return q
}

// Fleet counts machines.
func (c fleet) Fleet(ctx context.Context, where string) (api.Fleet, error) {
	return get[api.Fleet](ctx, c.conn, "fleet", url.Values{"where": {where}})
}

// FleetAnswers answers what is asked of a whole fleet again and again.
func (c fleet) FleetAnswers(ctx context.Context, where string) (api.FleetAnswers, error) {
	return get[api.FleetAnswers](ctx, c.conn, "fleet/answers", url.Values{"where": {where}})
}

// Matrix gets the requirement matrix of the target of a class.
func (c fleet) Matrix(ctx context.Context, l List, class string) (api.Matrix, error) {
	q := l.query()
	q.Set("class", class)
	return get[api.Matrix](ctx, c.conn, "fleet/matrix", q)
}

// Filters lists saved filters.
func (c fleet) Filters(ctx context.Context) (api.SavedFilterList, error) {
	return get[api.SavedFilterList](ctx, c.conn, "filters", nil)
}

// Filter is one saved filter.
func (c fleet) Filter(ctx context.Context, name string) (api.SavedFilter, error) {
	return get[api.SavedFilter](ctx, c.conn, "filters/"+url.PathEscape(name), nil)
}

// SetFilter keeps a filter under a name.
func (c fleet) SetFilter(ctx context.Context, name string, f api.SetFilter) (api.SavedFilter, error) {
	return send[api.SavedFilter](ctx, c.conn, http.MethodPut, "filters/"+url.PathEscape(name), f)
}

// RemoveFilter deletes a saved filter.
func (c fleet) RemoveFilter(ctx context.Context, name string) error {
	return c.remove(ctx, "filters/"+url.PathEscape(name))
}

// Progress is how many machines there were of each disposition, day by day.
func (c fleet) Progress(ctx context.Context, days int) (api.Progress, error) {
	return get[api.Progress](ctx, c.conn, "fleet/progress", url.Values{"days": {strconv.Itoa(days)}})
}

// ReadFilter reads a filter.
func (c fleet) ReadFilter(ctx context.Context, filter string) (api.FilterRead, error) {
	return get[api.FilterRead](ctx, c.conn, "filter", url.Values{"where": {filter}})
}

// CompleteFilter lists ways to go on at the end of a filter.
func (c fleet) CompleteFilter(ctx context.Context, filter string) (api.CompletionList, error) {
	return get[api.CompletionList](ctx, c.conn, "filter/completions", url.Values{"where": {filter}})
}

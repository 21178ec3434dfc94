package client

import (
	"context"
	"net/http"
	"net/url"

	"rolltop.example/rolltop/internal/api"
)

// Orders lists the orders of parts that were placed.
func (c work) Orders(ctx context.Context) (api.OrderList, error) {
	return get[api.OrderList](ctx, c.conn, "orders", nil)
}

// Order shows which machine gets which part of an order.
func (c work) Order(ctx context.Context, number string) (api.OrderDetail, error) {
	return get[api.OrderDetail](ctx, c.conn, "orders/"+url.PathEscape(number), nil)
}

// AddOrder records an order that was placed.
func (c work) AddOrder(ctx context.Context, o api.MakeOrder) (api.OrderChanged, error) {
	return send[api.OrderChanged](ctx, c.conn, http.MethodPost, "orders", o)
}

// SetOrder records what became of parts of an order.
func (c work) SetOrder(ctx context.Context, number string, o api.SetOrder) (api.OrderChanged, error) {
	return send[api.OrderChanged](ctx, c.conn, http.MethodPut, "orders/"+url.PathEscape(number), o)
}

// RemoveOrder removes an order that was recorded by mistake.
func (c work) RemoveOrder(ctx context.Context, number string) error {
	return c.remove(ctx, "orders/"+url.PathEscape(number))
}

// Replacements lists which machine takes the place of which.
func (c work) Replacements(ctx context.Context) (api.ReplacementList, error) {
	return get[api.ReplacementList](ctx, c.conn, "replacements", nil)
}

// HandOver shows what is handed over from a machine to the one that takes its place.
func (c work) HandOver(ctx context.Context, key string) (api.HandOver, error) {
	return get[api.HandOver](ctx, c.conn, "machines/"+url.PathEscape(key)+"/replacement", nil)
}

// SetReplacement records which machine takes the place of a machine.
func (c work) SetReplacement(ctx context.Context, key string, r api.SetReplacement) (api.Replacement, error) {
	return send[api.Replacement](ctx, c.conn, http.MethodPut, "machines/"+url.PathEscape(key)+"/replacement", r)
}

// RemoveReplacement removes the record of which machine takes the place of a machine.
func (c work) RemoveReplacement(ctx context.Context, key string) error {
	return c.remove(ctx, "machines/"+url.PathEscape(key)+"/replacement")
}

// AskQuestion records that an open question was put to somebody.
func (c work) AskQuestion(ctx context.Context, id string, q api.AskQuestion) error {
	return c.send(ctx, http.MethodPut, "questions/"+url.PathEscape(id), q)
}

// AnswerQuestion records the answer to an open question.
func (c work) AnswerQuestion(ctx context.Context, id string, a api.AnswerQuestion) (api.QuestionAnswered, error) {
	return send[api.QuestionAnswered](ctx, c.conn, http.MethodPost, "questions/"+url.PathEscape(id)+"/answer", a)
}

// QuestionAnswers lists the answers to open questions.
func (c work) QuestionAnswers(ctx context.Context) (api.AnswerList, error) {
	return get[api.AnswerList](ctx, c.conn, "questions/answers", nil)
}

// Briefing is the page for the head of the organisation, in numbers and sentences.
func (c work) Briefing(ctx context.Context) (api.Briefing, error) {
	return get[api.Briefing](ctx, c.conn, "fleet/briefing", nil)
}

// Case is everything about a machine for a specialist: a ZIP archive.
func (c machines) Case(ctx context.Context, key string, redact bool) ([]byte, error) {
	q := url.Values{}
	if redact {
		q.Set("redact", "true")
	}
	return get[[]byte](ctx, c.conn, "machines/"+url.PathEscape(key)+"/case", q)
}

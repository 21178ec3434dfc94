package client

import (
	"context"
	"fmt"
	"net/http"
	"net/url"

	"rolltop.example/rolltop/internal/api"
)

// knowledge is the operations on steps, firmware guides and prices.
type knowledge struct{ *conn }

// AllKnowledge lists the steps, firmware guides and prices in force.
func (c knowledge) AllKnowledge(ctx context.Context) (api.KnowledgeList, error) {
	return get[api.KnowledgeList](ctx, c.conn, "knowledge", nil)
}

// Knowledge is the document of one kind: steps, guides or prices.
func (c knowledge) Knowledge(ctx context.Context, kind string) (api.Knowledge, error) {
	return get[api.Knowledge](ctx, c.conn, "knowledge/"+url.PathEscape(kind), nil)
}

// SetKnowledge puts a document in force.
func (c knowledge) SetKnowledge(ctx context.Context, kind string, text []byte) (api.Knowledge, error) {
	return send[api.Knowledge](
		ctx,
		c.conn,
		http.MethodPut,
		"knowledge/"+url.PathEscape(kind),
		api.KnowledgeText{Text: string(text)},
	)
}

// KnowledgeHistory lists the documents of one kind that were in force, the latest first.
func (c knowledge) KnowledgeHistory(ctx context.Context, kind string) (api.KnowledgeHistory, error) {
	return get[api.KnowledgeHistory](ctx, c.conn, "knowledge/"+url.PathEscape(kind)+"/history", nil)
}

// KnowledgeVersion is a document of one kind that is or was in force.
func (c knowledge) KnowledgeVersion(ctx context.Context, kind string, number int) (api.Knowledge, error) {
	return get[api.Knowledge](ctx, c.conn, fmt.Sprintf("knowledge/%s/history/%d", url.PathEscape(kind), number), nil)
}

// ActivateKnowledge puts an earlier document of one kind in force again, under a number of its own.
func (c knowledge) ActivateKnowledge(ctx context.Context, kind string, number int) (api.Knowledge, error) {
	path := fmt.Sprintf("knowledge/%s/history/%d/activate", url.PathEscape(kind), number)
	return send[api.Knowledge](ctx, c.conn, http.MethodPost, path, nil)
}

// RemoveKnowledge returns to the documents that the program ships.
func (c knowledge) RemoveKnowledge(ctx context.Context, kind string) (api.Knowledge, error) {
	return send[api.Knowledge](ctx, c.conn, http.MethodDelete, "knowledge/"+url.PathEscape(kind), nil)
}

package client

import (
	"context"
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

// RemoveKnowledge returns to the documents that the program ships.
func (c knowledge) RemoveKnowledge(ctx context.Context, kind string) (api.Knowledge, error) {
	return send[api.Knowledge](ctx, c.conn, http.MethodDelete, "knowledge/"+url.PathEscape(kind), nil)
}

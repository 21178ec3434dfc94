package server

import (
	"context"
	"errors"
	"slices"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/means"
	"rolltop.example/rolltop/internal/api"
)

// knowledgeAPI has the operations on own steps, guides and prices.
type knowledgeAPI struct{ *Server }

type knowledgeInput struct {
	Kind string `path:"kind" enum:"steps,guides,prices"`
}

type knowledgeDocument struct {
	Kind string `path:"kind" enum:"steps,guides,prices"`
	Body api.HouseText
}

func (s knowledgeAPI) knowledge(ctx context.Context) ([]api.House, error) {
	stored, err := s.store.Houses(ctx)
	if err != nil {
		return nil, err
	}
	var out []api.House
	for _, kind := range means.Kinds() {
		row := api.House{Kind: kind, Shipped: string(means.ShippedText(kind))}
		for i := range stored {
			if h := &stored[i]; h.Kind == kind {
				at := h.Added()
				row.Number, row.AddedAt, row.AddedBy, row.Text = h.Number, &at, h.AddedBy, h.Text
			}
		}
		row.Own = row.Text != ""
		out = append(out, row)
	}
	return out, nil
}

func (s knowledgeAPI) listKnowledge(ctx context.Context, _ *struct{}) (api.HouseList, error) {
	rows, err := s.knowledge(ctx)
	for i := range rows {
		rows[i].Text, rows[i].Shipped = "", ""
	}
	return api.HouseList{Documents: rows}, err
}

func (s knowledgeAPI) showKnowledge(ctx context.Context, in *knowledgeInput) (api.House, error) {
	rows, err := s.knowledge(ctx)
	if err != nil {
		return api.House{}, err
	}
	return rows[slices.IndexFunc(rows, func(h api.House) bool { return h.Kind == in.Kind })], nil
}

func (s knowledgeAPI) validateKnowledge(ctx context.Context, in *knowledgeDocument) (api.Validated, error) {
	out := api.Validated{Mistakes: []doc.Mistake{}}
	_, err := s.Knowledge.With(ctx, in.Kind, in.Body.Text)
	var mistakes *doc.Mistakes
	if errors.As(err, &mistakes) {
		out.Mistakes, out.More = mistakes.List, mistakes.More
		return out, nil
	}
	return out, err
}

func (s knowledgeAPI) putKnowledge(ctx context.Context, in *knowledgeDocument) (api.House, error) {
	if in.Body.Text == "" {
		return api.House{}, refuse("The document is empty",
			"give a document; to go back to what the program ships, delete it")
	}
	return s.setKnowledge(ctx, in.Kind, in.Body.Text)
}

func (s knowledgeAPI) dropKnowledge(ctx context.Context, in *knowledgeInput) (api.House, error) {
	own, err := s.Knowledge.Own(ctx)
	if err != nil {
		return api.House{}, err
	}
	if own[in.Kind] == "" {
		return api.House{}, missing("there is no document of your own for %s", in.Kind)
	}
	return s.setKnowledge(ctx, in.Kind, "")
}

func (s knowledgeAPI) setKnowledge(ctx context.Context, kind, text string) (api.House, error) {
	if err := s.Judge.PutKnowledge(ctx, kind, text); err != nil {
		return api.House{}, err
	}
	return s.showKnowledge(ctx, &knowledgeInput{kind})
}

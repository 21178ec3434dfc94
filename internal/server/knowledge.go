package server

import (
	"context"
	"errors"
	"slices"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/internal/api"
)

// knowledgeAPI has the operations on own steps, guides and prices.
type knowledgeAPI struct{ *Server }

type knowledgeInput struct {
	Kind string `path:"kind" enum:"steps,guides,prices"`
}

type knowledgeDocument struct {
	Kind string `path:"kind" enum:"steps,guides,prices"`
	Body api.KnowledgeText
}

func (s knowledgeAPI) knowledge(ctx context.Context) ([]api.Knowledge, error) {
	stored, err := s.store.AllKnowledge(ctx)
	if err != nil {
		return nil, err
	}
	var out []api.Knowledge
	for _, kind := range knowledge.Kinds() {
		row := api.Knowledge{Kind: kind, Shipped: string(knowledge.ShippedText(kind))}
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

func (s knowledgeAPI) listKnowledge(ctx context.Context, _ *struct{}) (api.KnowledgeList, error) {
	rows, err := s.knowledge(ctx)
	for i := range rows {
		rows[i].Text, rows[i].Shipped = "", ""
	}
	return api.KnowledgeList{Documents: rows}, err
}

func (s knowledgeAPI) showKnowledge(ctx context.Context, in *knowledgeInput) (api.Knowledge, error) {
	rows, err := s.knowledge(ctx)
	if err != nil {
		return api.Knowledge{}, err
	}
	return rows[slices.IndexFunc(rows, func(h api.Knowledge) bool { return h.Kind == in.Kind })], nil
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

func (s knowledgeAPI) setKnowledge(ctx context.Context, in *knowledgeDocument) (api.Knowledge, error) {
	if in.Body.Text == "" {
		return api.Knowledge{}, refuse("The document is empty",
			"send a document; to return to what the program ships, use DELETE")
	}
	return s.replace(ctx, in.Kind, in.Body.Text)
}

func (s knowledgeAPI) removeKnowledge(ctx context.Context, in *knowledgeInput) (api.Knowledge, error) {
	own, err := s.Knowledge.Own(ctx)
	if err != nil {
		return api.Knowledge{}, err
	}
	if own[in.Kind] == "" {
		return api.Knowledge{}, missing("there are no %s of your own", in.Kind)
	}
	return s.replace(ctx, in.Kind, "")
}

func (s knowledgeAPI) history(ctx context.Context, in *knowledgeInput) (api.KnowledgeHistory, error) {
	out := api.KnowledgeHistory{Kind: in.Kind, Versions: []api.KnowledgeVersion{}}
	stored, err := s.store.KnowledgeHistory(ctx, in.Kind)
	for i := range stored {
		k := &stored[i]
		out.Versions = append(out.Versions, api.KnowledgeVersion{
			Number: k.Number, Own: k.Text != "", InForce: i == 0, AddedAt: k.Added(), AddedBy: k.AddedBy,
		})
	}
	return out, err
}

type knowledgeVersion struct {
	Kind   string `path:"kind" enum:"steps,guides,prices"`
	Number int    `path:"number" minimum:"1"`
}

// version is a document that is or was in force; its number tells which.
func (s knowledgeAPI) version(ctx context.Context, in *knowledgeVersion) (api.Knowledge, error) {
	stored, err := s.store.KnowledgeHistory(ctx, in.Kind)
	if err != nil {
		return api.Knowledge{}, err
	}
	for i := range stored {
		if k := &stored[i]; k.Number == in.Number {
			at := k.Added()
			return api.Knowledge{
				Kind: k.Kind, Own: k.Text != "", Number: k.Number, AddedAt: &at, AddedBy: k.AddedBy, Text: k.Text,
				Shipped: string(knowledge.ShippedText(k.Kind)),
			}, nil
		}
	}
	return api.Knowledge{}, missing("the history of the %s has no number %d", in.Kind, in.Number)
}

// activate puts an earlier document in force again, under a number of its own.
func (s knowledgeAPI) activate(ctx context.Context, in *knowledgeVersion) (api.Knowledge, error) {
	earlier, err := s.version(ctx, in)
	if err != nil {
		return api.Knowledge{}, err
	}
	now, err := s.showKnowledge(ctx, &knowledgeInput{in.Kind})
	if err != nil {
		return now, err
	}
	if now.Text == earlier.Text {
		return now, refuse("Nothing was changed", "number %d of the %s is in force already", in.Number, in.Kind)
	}
	return s.replace(ctx, in.Kind, earlier.Text)
}

func (s knowledgeAPI) replace(ctx context.Context, kind, text string) (api.Knowledge, error) {
	if err := s.Judge.PutKnowledge(ctx, kind, text); err != nil {
		return api.Knowledge{}, err
	}
	return s.showKnowledge(ctx, &knowledgeInput{kind})
}

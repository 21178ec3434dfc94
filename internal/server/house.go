package server

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/means"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/build"
	"rolltop.example/rolltop/internal/store"
)

func (s *Server) houses(a huma.API) {
	tag := []string{"House"}
	huma.Register(a, secured(huma.Operation{OperationID: "houses", Method: http.MethodGet, Path: "/house", Summary: "What plans are made with beside releases: own steps, firmware guides, prices", Tags: tag}, ScopeRead), s.listHouse)
	huma.Register(a, secured(huma.Operation{OperationID: "house", Method: http.MethodGet, Path: "/house/{kind}", Summary: "The document of one kind, with what the program ships", Tags: tag}, ScopeRead), s.showHouse)
	put := huma.Operation{OperationID: "put-house", Method: http.MethodPut, Path: "/house/{kind}", Summary: "Put a document in force; the fleet is judged again where it decides", Tags: tag, Errors: []int{http.StatusUnprocessableEntity},
		Description: "The document before it is kept, and stays in force where this one has mistakes."}
	put.MaxBodyBytes = doc.MaxBytes + 1
	huma.Register(a, secured(put, ScopeManage), s.putHouse)
	huma.Register(a, secured(huma.Operation{OperationID: "validate-house", Method: http.MethodPost, Path: "/house/{kind}/validate", Summary: "Read a document without putting it in force", Tags: tag, Errors: []int{http.StatusUnprocessableEntity}, MaxBodyBytes: doc.MaxBytes + 1}, ScopeManage), s.validateHouse)
	huma.Register(a, secured(huma.Operation{OperationID: "drop-house", Method: http.MethodDelete, Path: "/house/{kind}", Summary: "Go back to what the program ships", Tags: tag, Errors: []int{http.StatusNotFound}}, ScopeManage), s.dropHouse)
}

// engine names what decides beside a release: the program and the own documents
// that it decides by.
func engine(m *means.Means) string {
	if m.Digest() == "" {
		return build.Version
	}
	return build.Version + "+" + m.Digest()
}

// toolbox is the means in force.
func (s *Server) toolbox() *means.Means {
	s.mu.RLock()
	defer s.mu.RUnlock()
	return s.means
}

// loadMeans reads the stored documents. One that this version cannot read must
// not keep the service from starting: plans are made without it, and the log
// says so.
func (s *Server) loadMeans(ctx context.Context) error {
	stored, err := s.house(ctx)
	if err != nil {
		return err
	}
	var docs []means.Document
	for kind, text := range stored {
		one := means.Document{Name: kind, Text: []byte(text)}
		if _, err := means.Read(one); err != nil {
			s.log.Error("a document of the house cannot be read; put another one in force", "kind", kind, "error", err)
			continue
		}
		docs = append(docs, one)
	}
	m, err := means.Read(docs...)
	if err != nil {
		return err
	}
	s.means = m
	return nil
}

// house are the texts in force, by kind.
func (s *Server) house(ctx context.Context) (map[string]string, error) {
	stored, err := s.store.Houses(ctx)
	if err != nil {
		return nil, err
	}
	out := map[string]string{}
	for _, h := range stored {
		if h.Text != "" {
			out[h.Kind] = h.Text
		}
	}
	return out, nil
}

func (s *Server) houseRows(ctx context.Context) ([]api.House, error) {
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
		out = append(out, row)
	}
	return out, nil
}

func (s *Server) listHouse(ctx context.Context, _ *struct{}) (*struct{ Body api.HouseList }, error) {
	rows, err := s.houseRows(ctx)
	if err != nil {
		return nil, s.problem(err, "")
	}
	for i := range rows {
		rows[i].Own, rows[i].Text, rows[i].Shipped = rows[i].Text != "", "", ""
	}
	return &struct{ Body api.HouseList }{api.HouseList{Documents: rows}}, nil
}

type houseInput struct {
	Kind string `path:"kind" enum:"steps,guides,prices"`
}

func (s *Server) showHouse(ctx context.Context, in *houseInput) (*struct{ Body api.House }, error) {
	rows, err := s.houseRows(ctx)
	if err != nil {
		return nil, s.problem(err, "")
	}
	row := rows[slices.IndexFunc(rows, func(h api.House) bool { return h.Kind == in.Kind })]
	row.Own = row.Text != ""
	return &struct{ Body api.House }{row}, nil
}

type houseDocument struct {
	Kind string `path:"kind" enum:"steps,guides,prices"`
	Body api.HouseText
}

// with reads the documents in force with one in the place of its kind.
func (s *Server) with(ctx context.Context, kind, text string) (*means.Means, error) {
	stored, err := s.house(ctx)
	if err != nil {
		return nil, err
	}
	stored[kind] = text
	var docs []means.Document
	for k, t := range stored {
		if t != "" {
			docs = append(docs, means.Document{Name: k, Text: []byte(t)})
		}
	}
	if text != "" {
		if is, err := means.Kind(means.Document{Name: kind, Text: []byte(text)}); err != nil {
			return nil, err
		} else if is != kind {
			return nil, doc.Refuse(kind, fmt.Sprintf("the document is about %s, and this is the place of %s", is, kind), "hand it in there")
		}
	}
	return means.Read(docs...)
}

func (s *Server) validateHouse(ctx context.Context, in *houseDocument) (*struct{ Body api.Validated }, error) {
	out := api.Validated{Mistakes: []doc.Mistake{}}
	_, err := s.with(ctx, in.Kind, in.Body.Text)
	var mistakes *doc.Mistakes
	switch {
	case errors.As(err, &mistakes):
		out.Mistakes, out.More = mistakes.List, mistakes.More
	case err != nil:
		return nil, s.problem(err, "")
	}
	return &struct{ Body api.Validated }{out}, nil
}

func (s *Server) putHouse(ctx context.Context, in *houseDocument) (*struct{ Body api.House }, error) {
	if in.Body.Text == "" {
		return nil, &api.Problem{Status: http.StatusUnprocessableEntity, Title: "The document is empty", Detail: "give a document; to go back to what the program ships, delete it"}
	}
	if err := s.setHouse(ctx, in.Kind, in.Body.Text, by(ctx)); err != nil {
		return nil, s.problem(err, "")
	}
	return s.showHouse(ctx, &houseInput{in.Kind})
}

// setHouse puts a document in force and judges the fleet again where it
// decides. Where it has mistakes nothing changes.
func (s *Server) setHouse(ctx context.Context, kind, text, by string) error {
	s.placing.Lock()
	defer s.placing.Unlock()
	m, err := s.with(ctx, kind, text)
	if err != nil {
		return err
	}
	store.Note(ctx, "", fmt.Sprintf("%d bytes", len(text)))
	if err := s.store.PutHouse(ctx, kind, text, by, s.now()); err != nil {
		return err
	}
	before := s.toolbox()
	s.mu.Lock()
	s.means = m
	s.mu.Unlock()
	if before.Digest() == m.Digest() {
		return nil
	}
	stored, err := s.store.Targets(ctx)
	if err != nil {
		return err
	}
	for class, id := range stored {
		if err := s.aim(ctx, class, id); err != nil {
			return err
		}
	}
	return nil
}

func (s *Server) dropHouse(ctx context.Context, in *struct {
	Kind string `path:"kind" enum:"steps,guides,prices"`
}) (*struct{ Body api.House }, error) {
	stored, err := s.house(ctx)
	if err != nil {
		return nil, s.problem(err, "")
	}
	if stored[in.Kind] == "" {
		return nil, &api.Problem{Status: http.StatusNotFound, Title: "Not found", Detail: fmt.Sprintf("there is no document of your own for %s", in.Kind)}
	}
	if err := s.setHouse(ctx, in.Kind, "", by(ctx)); err != nil {
		return nil, s.problem(err, "")
	}
	return s.showHouse(ctx, &houseInput{in.Kind})
}

package server

import (
	"context"
	"fmt"
	"net/http"
	"reflect"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/store"
)

// document is a request whose body our own strict reader reads.
type document struct {
	ContentType string `header:"Content-Type"`
	RawBody     []byte
}

// documentOperation describes a body of a document type, which the library
// would otherwise call a string of bytes.
func documentOperation(a huma.API, op huma.Operation, t reflect.Type) huma.Operation {
	schema := a.OpenAPI().Components.Schemas.Schema(t, true, "")
	op.RequestBody = &huma.RequestBody{Required: true, Content: map[string]*huma.MediaType{"application/json": {Schema: schema}, "application/yaml": {Schema: schema}}}
	op.MaxBodyBytes = doc.MaxBytes + 1
	op.BodyReadTimeout = 30 * time.Second
	op.SkipValidateBody = true
	op.Errors = append(op.Errors, http.StatusRequestEntityTooLarge, http.StatusUnsupportedMediaType, http.StatusUnprocessableEntity)
	return op
}

// typed refuses a body of no named type: what it is should not be guessed.
func (d *document) typed() error {
	kind, _, _ := strings.Cut(d.ContentType, ";")
	switch strings.TrimSpace(kind) {
	case "application/json", "application/yaml":
		return nil
	}
	return &api.Problem{Status: http.StatusUnsupportedMediaType, Title: "Unsupported media type",
		Detail: fmt.Sprintf("the Content-Type is %q; send application/json or application/yaml", d.ContentType)}
}

func (s *Server) inventories(a huma.API) {
	op := documentOperation(a, huma.Operation{OperationID: "submit", Method: http.MethodPost, Path: "/inventories", Summary: "Hand in the inventory of a machine", Tags: []string{"Inventories"}}, reflect.TypeFor[inventory.Document]())
	huma.Register(a, secured(op, ScopeSubmit), func(ctx context.Context, in *document) (*struct{ Body api.Submitted }, error) {
		if err := in.typed(); err != nil {
			return nil, err
		}
		d, err := inventory.Read("the inventory", in.RawBody)
		if err != nil {
			return nil, s.problem(err, "")
		}
		if d.TakenAt.After(s.now().Add(24 * time.Hour)) {
			return nil, &api.Problem{Status: http.StatusUnprocessableEntity, Title: "The document has mistakes",
				Detail: fmt.Sprintf("taken_at is %s, which is in the future; set the machine's clock, or correct the document", d.TakenAt.Format(time.RFC3339))}
		}
		out, err := s.keep(ctx, d)
		if err != nil {
			return nil, s.problem(err, "")
		}
		return &struct{ Body api.Submitted }{out}, nil
	})
}

// keep stores an inventory and judges it in the same write.
func (s *Server) keep(ctx context.Context, d *inventory.Document) (api.Submitted, error) {
	var a *assess.Assessment
	k, err := s.store.Keep(ctx, d, func(tx *store.Tx, device *store.Device, inv *inventory.Document) error {
		var err error
		a, _, err = s.settle(tx, device, inv)
		return err
	})
	if err != nil {
		return api.Submitted{}, err
	}
	s.live.touch(k.Device.ID)
	s.metrics.inventory(&k)
	out := api.Submitted{Device: k.Device.Key, Name: k.Device.Name, Created: k.Created, Changed: k.Changed, Latest: k.IsLatest}
	if a != nil {
		ref := a.Result.Release.Ref()
		out.Release, out.Disposition, out.Answer = &ref, a.Verdict.Disposition.String(), say.Answer(&a.Verdict, a.Result.Release)
	}
	return out, nil
}

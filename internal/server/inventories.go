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
	"rolltop.example/rolltop/core/remedy"
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
		d, err := s.readInventory(in.RawBody)
		if err != nil {
			return nil, s.problem(err, "")
		}
		e := entry(ctx)
		e.Text = in.RawBody
		out, err := s.keep(ctx, d, e)
		if err != nil {
			return nil, s.problem(err, "")
		}
		return &struct{ Body api.Submitted }{out}, nil
	})
}

// keep stores an inventory and judges it in the same write.
func (s *Server) keep(ctx context.Context, d *inventory.Document, e store.Entry) (api.Submitted, error) {
	var got settled
	e.Now = s.now()
	k, err := s.store.Keep(ctx, d, e, func(tx *store.Tx, device *store.Device, inv *inventory.Document) (err error) {
		got, err = s.settle(tx, device, inv, store.ByInventory)
		return err
	})
	if err != nil {
		return api.Submitted{}, err
	}
	s.live.touch(k.Device.ID)
	s.metrics.inventory(&k)
	out := api.Submitted{Device: k.Device.Key, Name: k.Device.Name, Created: k.Created, Changed: k.Changed, Latest: k.IsLatest, Note: k.Why}
	if v := got.verdict; v != nil {
		ref := got.target.release.Ref()
		out.Release, out.Disposition, out.Answer = &ref, remedy.Disposition(v.Disposition).String(), assess.Answer(s.toolbox(), got.target.release, got.facts)
	}
	return out, nil
}

// entry is how what a caller hands in comes in.
func entry(ctx context.Context) store.Entry {
	t := callerOf(ctx).token
	if t == nil {
		return store.Entry{}
	}
	e := store.Entry{Tag: t.Tag, Place: t.Place}
	if t.UsesLeft >= 0 {
		e.Token = t.ID
	}
	return e
}

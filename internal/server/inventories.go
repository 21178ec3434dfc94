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
	"rolltop.example/rolltop/internal/signature"
	"rolltop.example/rolltop/internal/store"
)

// document is a request whose body our own strict reader reads.
type document struct {
	ContentType string `header:"Content-Type"`
	RawBody     []byte
}

// signedDocument is one that the machine may have signed.
type signedDocument struct {
	ContentType string `header:"Content-Type"`
	RawBody     []byte
	Digest      string `header:"Content-Digest" doc:"Of the body (RFC 9530), with a signature"`
	Input       string `header:"Signature-Input" doc:"Of a signature with the machine's key (RFC 9421)"`
	Signature   string `header:"Signature"`
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
func (d *document) typed() error { return typed(d.ContentType) }

func typed(contentType string) error {
	kind, _, _ := strings.Cut(contentType, ";")
	switch strings.TrimSpace(kind) {
	case "application/json", "application/yaml":
		return nil
	}
	return &api.Problem{Status: http.StatusUnsupportedMediaType, Title: "Unsupported media type",
		Detail: fmt.Sprintf("the Content-Type is %q; send application/json or application/yaml", contentType)}
}

func (s *Server) inventories(a huma.API) {
	op := documentOperation(a, huma.Operation{OperationID: "submit", Method: http.MethodPost, Path: "/inventories", Summary: "Hand in the inventory of a machine", Tags: []string{"Inventories"},
		Description: "A machine with a key signs it: RFC 9421 over @method and content-digest with ed25519, the public key as keyid, and the tag rolltop-inventory. An inventory that does not come from whoever may speak for its machine is kept beside the others for a person to look at."}, reflect.TypeFor[inventory.Document]())
	op.MaxBodyBytes = inventory.MaxBytes + 1
	huma.Register(a, s.taking(a, secured(op, ScopeSubmit), 1, true), func(ctx context.Context, in *signedDocument) (*struct{ Body api.Submitted }, error) {
		if err := typed(in.ContentType); err != nil {
			return nil, err
		}
		signed, err := signature.Verify(http.MethodPost, in.RawBody, signature.Headers{Digest: in.Digest, Input: in.Input, Signature: in.Signature})
		if err != nil {
			return nil, refuse("The signature does not fit", "%s; nothing of this was kept", err)
		}
		d, err := s.readInventory(in.RawBody)
		if err != nil {
			return nil, s.problem(err, "")
		}
		e := entry(ctx)
		e.Text, e.Signed = in.RawBody, signed
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
	out := api.Submitted{Device: k.Device.Key, Name: k.Device.Name, Created: k.Created, Changed: k.Changed, Latest: k.IsLatest, Beside: k.Beside, Note: k.Why}
	if v := got.verdict; v != nil {
		ref := got.target.release.Ref()
		out.Release, out.Disposition, out.Answer = &ref, remedy.Disposition(v.Disposition).String(), assess.Answer(s.toolbox(), got.target.release, got.facts)
	}
	return out, nil
}

// entry is how what a caller hands in comes in.
func entry(ctx context.Context) store.Entry {
	t := callerOf(ctx).token
	if t == nil || t.Scope == ScopeManage {
		return store.Entry{}
	}
	return store.Entry{Token: t.ID, Imported: t.Imported, Counts: t.UsesLeft >= 0, Tag: t.Tag, Place: t.Place}
}

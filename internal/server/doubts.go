package server

import (
	"context"
	"fmt"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/store"
)

// Which machine is which, where it is not beyond doubt.
func (s *Server) doubts(a huma.API) {
	tag := []string{"Devices"}
	huma.Register(a, secured(huma.Operation{OperationID: "doubts", Method: http.MethodGet, Path: "/doubts", Summary: "Machines that may be one, and inventories that may be of another machine", Tags: tag}, ScopeRead), s.listDoubts)
	huma.Register(a, secured(huma.Operation{OperationID: "settle-doubt", Method: http.MethodPost, Path: "/doubts/{id}", Summary: "Say whether it is one machine or two", Tags: tag, DefaultStatus: http.StatusNoContent, Errors: []int{http.StatusNotFound}}, ScopeWork), s.settleDoubt)
	huma.Register(a, secured(huma.Operation{OperationID: "rekey", Method: http.MethodPost, Path: "/devices/{key}/rekey", Summary: "Let a machine speak with another key", Tags: tag, DefaultStatus: http.StatusNoContent, Errors: []int{http.StatusNotFound, http.StatusUnprocessableEntity},
		Description: "After its board, its disk or its system was changed. An inventory that waits beside the others and is signed becomes the latest, and its key the machine's; where none waits, the next one that is signed does."}, ScopeWork), s.rekey)
}

// rekey lets a machine speak with another key.
func (s *Server) rekey(ctx context.Context, in *struct {
	Key  string `path:"key" maxLength:"80"`
	Body api.Rekey
}) (*struct{}, error) {
	store.Note(ctx, "", strings.TrimSpace(in.Body.Reason))
	if strings.TrimSpace(in.Body.Reason) == "" {
		return nil, refuse("Nothing was changed", "the reason is blank; say why the machine has another key")
	}
	id, err := s.store.Rekey(ctx, in.Key, store.Settling{By: by(ctx), Now: s.now()}, s.settleAgain)
	if err != nil {
		return nil, s.problem(err, noDevice(in.Key))
	}
	s.live.touch(id)
	return nil, nil
}

// settleAgain judges a machine that has another latest inventory.
func (s *Server) settleAgain(tx *store.Tx, d *store.Device, inv *inventory.Document) error {
	_, err := s.settle(tx, d, inv, store.ByInventory)
	return err
}

func doubt(d *store.Doubt) api.Doubt {
	out := api.Doubt{ID: d.ID, Kind: d.Kind, Says: d.Why, At: d.At(), Key: d.Key, Name: d.Name, Inventory: d.InventoryID, TakenAt: d.Taken()}
	if d.OtherID != d.DeviceID {
		out.Other, out.OtherName = d.Other, d.OtherName
	}
	return out
}

func (s *Server) listDoubts(ctx context.Context, _ *struct{}) (*struct{ Body api.DoubtList }, error) {
	list, err := s.store.Doubts(ctx)
	if err != nil {
		return nil, s.problem(err, "")
	}
	who, out := callerOf(ctx), api.DoubtList{Doubts: []api.Doubt{}}
	for i := range list {
		if !who.limited() || s.sees(ctx, who, list[i].Key) && s.sees(ctx, who, list[i].Other) {
			out.Doubts = append(out.Doubts, doubt(&list[i]))
		}
	}
	return &struct{ Body api.DoubtList }{out}, nil
}

func (s *Server) settleDoubt(ctx context.Context, in *struct {
	ID   int64 `path:"id" minimum:"1"`
	Body api.SettleDoubt
}) (*struct{}, error) {
	none := fmt.Sprintf("there is no open doubt %d", in.ID)
	d, err := s.store.DoubtByID(ctx, in.ID)
	if err != nil {
		return nil, s.problem(err, none)
	}
	if who := callerOf(ctx); who.limited() && !(s.sees(ctx, who, d.Key) && s.sees(ctx, who, d.Other)) {
		return nil, s.problem(store.ErrNotFound, none)
	}
	store.Note(ctx, d.Kind+": "+d.Name+", "+d.OtherName, in.Body.Verdict)
	touched, err := s.store.SettleDoubt(ctx, in.ID, store.Settling{Verdict: in.Body.Verdict, By: by(ctx), Now: s.now()}, s.settleAgain)
	if err != nil {
		return nil, s.problem(err, none)
	}
	s.live.touch(touched...)
	return nil, nil
}

package server

import (
	"context"
	"fmt"
	"strings"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/store"
)

// duplicatesAPI has the operations on possible duplicates, and on who speaks for a machine.
type duplicatesAPI struct{ *Server }

func duplicate(d *store.Doubt) api.Doubt {
	out := api.Doubt{
		ID:        d.ID,
		Kind:      d.Kind,
		Says:      d.Why,
		At:        d.At(),
		Key:       d.Key,
		Name:      d.Name,
		Inventory: d.InventoryID,
		TakenAt:   d.Taken(),
	}
	if d.OtherID != d.DeviceID {
		out.Other, out.OtherName = d.Other, d.OtherName
	}
	return out
}

func (s duplicatesAPI) listDuplicates(ctx context.Context, _ *struct{}) (api.DoubtList, error) {
	list, err := s.store.Doubts(ctx)
	out := api.DoubtList{Doubts: []api.Doubt{}}
	for i := range list {
		if s.Machines.SeesDuplicate(ctx, &list[i]) {
			out.Doubts = append(out.Doubts, duplicate(&list[i]))
		}
	}
	return out, err
}

func (s duplicatesAPI) resolveDuplicate(ctx context.Context, in *struct {
	ID   int64 `path:"id" minimum:"1"`
	Body api.SettleDoubt
}) error {
	none := fmt.Sprintf("there is no open doubt %d", in.ID)
	d, err := s.store.DoubtByID(ctx, in.ID)
	if err != nil {
		return orMissing(err, "%s", none)
	}
	if !s.Machines.SeesDuplicate(ctx, d) {
		return missing("%s", none)
	}
	store.Note(ctx, d.Kind+": "+d.Name+", "+d.OtherName, in.Body.Verdict)
	return orMissing(s.Machines.Resolve(ctx, in.ID, in.Body.Verdict), "%s", none)
}

func (s duplicatesAPI) rekey(ctx context.Context, in *struct {
	Key  string `path:"key" maxLength:"80"`
	Body api.Rekey
}) error {
	reason := strings.TrimSpace(in.Body.Reason)
	if reason == "" {
		return refuse("Nothing was changed", "the reason is blank; say why the machine has another key")
	}
	return s.Machines.Rekey(ctx, in.Key, reason)
}

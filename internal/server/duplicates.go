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

func duplicate(d *store.Duplicate) api.Duplicate {
	out := api.Duplicate{
		ID:        d.ID,
		Kind:      d.Kind,
		Says:      d.Why,
		At:        d.At(),
		Key:       d.Key,
		Name:      d.Name,
		Inventory: d.InventoryID,
		TakenAt:   d.Taken(),
	}
	if d.OtherID != d.MachineID {
		out.Other, out.OtherName = d.Other, d.OtherName
	}
	return out
}

func (s duplicatesAPI) listDuplicates(ctx context.Context, _ *struct{}) (api.DuplicateList, error) {
	list, err := s.store.Duplicates(ctx)
	out := api.DuplicateList{Duplicates: []api.Duplicate{}}
	for i := range list {
		if s.Machines.SeesDuplicate(ctx, &list[i]) {
			out.Duplicates = append(out.Duplicates, duplicate(&list[i]))
		}
	}
	return out, err
}

func (s duplicatesAPI) resolveDuplicate(ctx context.Context, in *struct {
	ID   int64 `path:"id" minimum:"1"`
	Body api.ResolveDuplicate
}) error {
	none := fmt.Sprintf("there is no unresolved duplicate %d", in.ID)
	d, err := s.store.DuplicateByID(ctx, in.ID)
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
		return refuse("Nothing was changed", "the reason is missing; say why the machine has a new key")
	}
	return s.Machines.Rekey(ctx, in.Key, reason)
}

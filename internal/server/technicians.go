package server

import (
	"cmp"
	"context"
	"maps"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/visit"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/internal/api"
)

// techniciansAPI has the operations on those who visit machines, and on notes about machines.
type techniciansAPI struct{ *Server }

func (s techniciansAPI) list(ctx context.Context, _ *struct{}) (api.TechnicianList, error) {
	list, err := s.Work.Technicians(ctx)
	out := api.TechnicianList{Technicians: []api.Technician{}}
	for i := range list {
		t := &list[i]
		one := api.Technician{Name: t.Name, Minutes: t.Minutes, LeftOn: string(t.LeftOn), Booked: []api.BookedDay{}}
		for _, day := range slices.Sorted(maps.Keys(t.Booked)) {
			one.Booked = append(one.Booked, api.BookedDay{
				Day:     day,
				Visits:  t.Visits[day],
				Minutes: t.Booked[day],
				Where:   fleet.Term(fleet.ExternalWho, t.Name) + " " + fleet.Term(fleet.ExternalVisit, day),
			})
		}
		out.Technicians = append(out.Technicians, one)
	}
	return out, err
}

func (s techniciansAPI) set(ctx context.Context, in *struct {
	Name string `path:"name" maxLength:"100"`
	Body api.SetTechnician
}) (out api.TechnicianList, err error) {
	const title = "Not a technician"
	t := visit.Technician{Name: strings.TrimSpace(in.Name), Minutes: in.Body.Minutes}
	if t.Name == "" {
		return out, refuse(title, "the name is empty")
	}
	if in.Body.LeftOn != "" {
		if t.LeftOn, err = wave.ReadDay(in.Body.LeftOn); err != nil {
			return out, refuse(title, "%s", err)
		}
	}
	hours, err := wave.ReadHours(s.Settings.Get().WorkingHours)
	if err != nil {
		return out, err
	}
	t.Minutes = cmp.Or(t.Minutes, hours.Minutes())
	if err := s.Work.SetTechnician(ctx, &t); err != nil {
		return out, err
	}
	return s.list(ctx, nil)
}

func (s techniciansAPI) remove(ctx context.Context, in *struct {
	Name string `path:"name" maxLength:"100"`
}) error {
	return s.Work.RemoveTechnician(ctx, in.Name)
}

func (s techniciansAPI) addNote(ctx context.Context, in *struct {
	Key  string `path:"key" maxLength:"80"`
	Body api.AddNote
}) (api.NoteList, error) {
	if err := s.Standings.AddNote(ctx, in.Key, in.Body.Text); err != nil {
		return api.NoteList{}, err
	}
	return s.notes(ctx, in.Key)
}

func (s techniciansAPI) removeNote(ctx context.Context, in *struct {
	Key string `path:"key" maxLength:"80"`
	ID  int64  `path:"id" minimum:"1"`
}) (api.NoteList, error) {
	if err := s.Standings.RemoveNote(ctx, in.Key, in.ID); err != nil {
		return api.NoteList{}, err
	}
	return s.notes(ctx, in.Key)
}

func (s techniciansAPI) notes(ctx context.Context, key string) (api.NoteList, error) {
	out := api.NoteList{Notes: []api.MachineNote{}}
	d, err := s.Machines.Find(ctx, key)
	if err != nil {
		return out, err
	}
	list, err := s.store.Notes(ctx, d.ID)
	for i := range list {
		n := &list[i]
		out.Notes = append(out.Notes, api.MachineNote{ID: n.ID, Text: n.Text, By: n.By, At: n.At()})
	}
	return out, err
}

package server

import (
	"cmp"
	"context"
	"strconv"

	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
)

// applicationsAPI has the operations on the applications of the fleet.
type applicationsAPI struct{ *Server }

// applicationMachines bounds the machines that an answer lists.
const applicationMachines = 2000

func (s applicationsAPI) list(ctx context.Context, in *workInput) (out api.ApplicationList, err error) {
	got, err := s.Work.Applications(ctx, in.Where, "")
	if err != nil {
		return out, err
	}
	says := say.Applications(got.List, got.Read, got.Machines)
	if got.Hidden {
		says = say.ApplicationsHidden
	}
	out = api.ApplicationList{
		Says:         says,
		Where:        in.Where,
		Machines:     got.Machines,
		Read:         got.Read,
		Applications: []api.Application{},
	}
	for i := range got.List {
		a := &got.List[i]
		row := api.Application{
			Name:      a.Name,
			Publisher: a.Publisher,
			Machines:  a.Machines,
			Takes:     a.Takes,
			Says:      say.Application(a),
			Weight:    a.Weight,
			Weighs:    say.Weight(a.Weight),
			Answers:   cmp.Or(a.Decides, say.Answers(a.Takes)),
			Versions:  []api.ApplicationVersion{},
		}
		for _, v := range a.Versions {
			row.Versions = append(row.Versions, api.ApplicationVersion{
				Version:  v.Version,
				Machines: v.Machines,
				Takes:    v.Takes,
				Says:     say.Takes(v.Takes),
				Weight:   v.Weight,
				Note:     v.Note,
				Terms:    say.Terms(v.Cure, v.Cost, v.Decides),
				Source:   v.Source,
			})
		}
		out.Applications = append(out.Applications, row)
	}
	return out, nil
}

type applicationInput struct {
	Name  string `query:"name" minLength:"1" maxLength:"300" required:"true" doc:"Name of the application"`
	Where string `query:"where" maxLength:"2000"`
}

func (s applicationsAPI) machines(ctx context.Context, in *applicationInput) (out api.ApplicationMachines, err error) {
	got, err := s.Work.Applications(ctx, in.Where, in.Name)
	if err != nil {
		return out, err
	}
	out = api.ApplicationMachines{
		Says:     say.InstallationsOf(in.Name, len(got.On)),
		Name:     in.Name,
		Where:    in.Where,
		Total:    len(got.On),
		Machines: []api.ApplicationMachine{},
	}
	if got.Hidden {
		out.Says = say.ApplicationsHidden
	}
	for _, x := range got.On[:min(len(got.On), applicationMachines)] {
		out.Machines = append(out.Machines, api.ApplicationMachine{
			Key:       x.Key,
			Name:      x.Name,
			Site:      x.Site,
			Model:     x.Model,
			Title:     x.Title,
			Publisher: x.Publisher,
			Version:   x.Version,
			Takes:     x.Takes,
			Says:      say.Takes(x.Takes),
			Weight:    x.Weight,
			Note:      x.Note,
			Terms:     say.Terms(x.Cure, x.Cost, x.Decides),
		})
	}
	return out, nil
}

// applicationsTable has a row for each version of each application.
func (s exportAPI) applicationsTable(ctx context.Context, where string) (*matrix, error) {
	l, err := applicationsAPI(s).list(ctx, &workInput{Where: where})
	if err != nil {
		return nil, err
	}
	g := &matrix{heads: []string{
		"application", "publisher", "version", "machines", "takes", "says", "weight", "note", "terms", "answers",
	}}
	for _, a := range l.Applications {
		for _, v := range a.Versions {
			g.row(a.Name, a.Publisher, v.Version, strconv.Itoa(v.Machines), v.Takes, v.Says, v.Weight, v.Note, v.Terms,
				a.Answers)
		}
	}
	return g, nil
}

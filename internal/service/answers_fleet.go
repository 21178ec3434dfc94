package service

import (
	"context"
	"slices"

	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/work"
)

// FleetAnswer is the answer to a question that is asked of a whole fleet again and again.
type FleetAnswer struct {
	Asks    string
	Says    string
	Where   string // the filter that lists the machines; "" where the answer is no list of machines
	Place   string // where the console answers it: machines, applications, parts, releases
	Command string
}

// Answers are the answers for the machines of a filter.
func (w *Work) Answers(ctx context.Context, where string) ([]FleetAnswer, error) {
	out := []FleetAnswer{}
	count := func(term string) (int, string, error) {
		within := fleet.And(where, term)
		f, err := w.index.Where(ctx, within)
		n := 0
		if err == nil {
			err = w.index.Each(ctx, f, func(*fleet.Row) { n++ })
		}
		return n, within, err
	}
	listed := func(asks, term string, says func(n int) string) error {
		n, within, err := count(term)
		if err == nil {
			out = append(
				out,
				FleetAnswer{asks, says(n), within, "machines", "rolltop machines --where '" + within + "'"},
			)
		}
		return err
	}
	after, _, err := count(
		"route=in-place " + fleet.Term("disposition", remedy.Reconfigure.String(), remedy.Refit.String()),
	)
	if err != nil {
		return nil, err
	}
	err = listed("Which machines can be upgraded in place?", "route=in-place disposition=ready",
		func(n int) string { return say.UpgradableInPlace(n, after) })
	if err != nil {
		return nil, err
	}
	apps, err := w.Applications(ctx, where, "")
	if err != nil {
		return nil, err
	}
	first := slices.DeleteFunc(slices.Clone(apps.List), func(a work.Application) bool {
		return a.Takes != release.Remove && a.Takes != release.Buy && a.Takes != release.Update
	})
	says := say.FirstApplications(first)
	if apps.Hidden {
		says = say.ApplicationsHidden
	}
	out = append(out, FleetAnswer{"Which applications have to be settled first?", says, "", "applications",
		"rolltop applications"})
	if err := listed("Which machines lose support before the release is offered to them?",
		fleet.Term(fleet.ExternalOffer, release.OfferedLate), say.OfferedLate); err != nil {
		return nil, err
	}
	err = listed(
		"Which machines fail only one requirement?",
		fleet.Term("alone", fleet.AnyRequirement),
		say.FailOnlyOne,
	)
	if err != nil {
		return nil, err
	}
	out = append(out, FleetAnswer{"Which machines would another revision change?",
		"Compare a draft, or a revision that was added, with the target: the what-if names the machines.", "",
		"releases",
		"rolltop releases what-if FILE"})
	list, err := w.List(ctx, where)
	if err != nil {
		return nil, err
	}
	parts := 0
	for i := range list.Order {
		parts += list.Order[i].ToOrder
	}
	out = append(
		out,
		FleetAnswer{"What has to be bought?", say.ToBuy(parts, first), "", "parts", "rolltop work parts"},
	)
	return out, nil
}

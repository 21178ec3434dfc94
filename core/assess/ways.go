package assess

import (
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
)

// Ways are what a person can choose from on a machine for which no step is known.
type Ways struct {
	Says []string `json:"says" doc:"Each way in a sentence"`
	Step string   `json:"step,omitempty" doc:"The start of a step of your own that settles what fails (rolltop-steps/1)"`
}

// decide lists the ways there are where no known step settles what fails.
func (d *Document) decide(a *Assessment) {
	v, rel := &a.Verdict, a.Result.Release
	if v.Planned {
		return
	}
	if v.Disposition != remedy.Decide && (v.Disposition != remedy.Undetermined || len(v.NoRemedy) == 0) {
		return
	}
	if v.Astray {
		d.Decide = &Ways{Says: say.AstrayWays(rel)}
		return
	}
	var left []*release.Requirement
	for _, id := range v.NoRemedy {
		left = append(left, rel.Requirement(id))
	}
	d.Decide = &Ways{Says: say.DecideWays(left), Step: say.OwnStep(left)}
}

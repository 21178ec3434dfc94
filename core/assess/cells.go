package assess

import (
	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
)

// Cell is one requirement of one machine, as short as it can be said.
type Cell struct {
	Outcome string
	Has     string
	Short   string // what is missing, where it can be counted
}

// Cells are all requirements of a release on one machine, in their order. The error
// is [*check.WrongClass].
func Cells(m *knowledge.Base, rel *release.Release, f *fact.Facts, waived ...string) ([]Cell, error) {
	m.Guides.Fill(f)
	res, err := check.Run(rel, f)
	if err != nil {
		return nil, err
	}
	res.Waive(waived...)
	out := make([]Cell, len(res.Findings))
	for i := range res.Findings {
		fd := &res.Findings[i]
		if out[i].Outcome = fd.Outcome.String(); fd.Outcome != check.NotApplicable {
			out[i].Has = say.Has(fd)
		}
		if fd.Outcome == check.Fail {
			out[i].Short = say.Distance(fd)
		}
	}
	return out, nil
}

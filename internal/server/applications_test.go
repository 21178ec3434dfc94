package server_test

import (
	"testing"

	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/server"
	"rolltop.example/rolltop/internal/servertest"
)

// The applications of the fleet add up to those of its machines, each number leads to its machines, and
// whoever may not see what is installed does not see it here either.
func TestApplications(t *testing.T) {
	s := servertest.Demo(t, nil)
	all, err := s.Client.Applications(ctx, "")
	expect.NoError(t, err)
	expect.Same(t, "machines", all.Machines, total(t, s.Client, ""))
	found := map[string]int{}
	for _, a := range all.Applications {
		found[a.Name] = a.Machines
		on, err := s.Client.ApplicationMachines(ctx, a.Name, "")
		expect.NoError(t, err)
		keys, versions := map[string]bool{}, 0
		for _, m := range on.Machines {
			keys[m.Key] = true
		}
		for _, v := range a.Versions {
			versions += v.Machines
		}
		expect.Same(t, a.Name+": machines", len(keys), a.Machines)
		expect.Same(t, a.Name+": installations", on.Total, versions)
	}
	expect.That(t, "Counterfoil is found", found["Counterfoil"] > 0)
	// The check of a machine says the same of its applications.
	on, err := s.Client.ApplicationMachines(ctx, "counterfoil", "class=pc")
	expect.NoError(t, err)
	expect.That(t, "some machines have it", on.Total > 5)
	for _, m := range on.Machines {
		d, err := s.Client.Machine(ctx, m.Key)
		expect.NoError(t, err)
		said := ""
		for _, k := range d.Check.Software {
			if k.Name == m.Title {
				said = k.Is
			}
		}
		expect.Same(t, m.Key+": what its check says of "+m.Title, said, m.Takes)
	}
	part, err := s.Client.Applications(ctx, `site="Gull Quay"`)
	expect.NoError(t, err)
	expect.Same(t, "machines of a site", part.Machines, total(t, s.Client, `site="Gull Quay"`))
	none, err := s.Client.ApplicationMachines(ctx, "Counterfoil Viewer", "")
	expect.NoError(t, err)
	expect.Same(t, "machines with what nobody has", none.Says, "No machine has the application Counterfoil Viewer.")
	_, err = s.Client.Applications(ctx, "fails=tmp")
	expect.Error(t, err, `did you mean "tpm"?`)
	viewer := s.As(t, s.NewToken(t, "wallboard", server.ScopeRead))
	hidden, err := viewer.Applications(ctx, "")
	expect.NoError(t, err)
	expect.Same(t, "what is hidden", len(hidden.Applications), 0)
	expect.Contains(t, hidden.Says, "The settings hide installed applications from viewers.")
	hiddenOn, err := viewer.ApplicationMachines(ctx, "Counterfoil", "")
	expect.NoError(t, err)
	expect.Same(t, "what is hidden", hiddenOn.Total, 0)
}

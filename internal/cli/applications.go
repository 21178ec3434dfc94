package cli

import (
	"cmp"
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/internal/api"
)

// applicationOptions are those of the applications of the fleet.
type applicationOptions struct {
	where
	listed
}

func applicationsCommand() *cobra.Command {
	return noun("applications", "Applications of the fleet, and what they take before the upgrade: list, show", "",
		listApplications,
		command("show APPLICATION", "Show the machines that have an application", showApplication))
}

func listApplications(c *call[applicationOptions]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	l, err := s.Applications(c.ctx(), c.o.Where)
	if err != nil {
		return asUsage(err)
	}
	table := listing[api.Application]{
		format: "rolltop-applications/1",
		none:   l.Says,
		after: func(p *paper) {
			if len(l.Applications) > 0 {
				p.line("")
				p.text("", l.Says)
			}
		},
		columns: []column[api.Application]{
			{name: "name", head: "Application", value: func(a *api.Application) string { return a.Name }},
			{name: "publisher", only: true, value: func(a *api.Application) string { return a.Publisher }},
			{name: "versions", head: "Versions", value: versionsOf},
			{
				name:  "machines",
				head:  "Machines",
				value: func(a *api.Application) string { return strconv.Itoa(a.Machines) },
			},
			{name: "takes", only: true, value: func(a *api.Application) string { return a.Takes }},
			{name: "says", head: "What it takes", value: func(a *api.Application) string { return a.Says }},
			{name: "weight", head: "Weight", value: func(a *api.Application) string { return a.Weighs }},
			{name: "answers", head: "Who settles it", value: func(a *api.Application) string { return a.Answers }},
		},
	}
	return table.print(c.place, form, l, l.Applications)
}

// versionsOf are the versions of an application, each with its machines.
func versionsOf(a *api.Application) string {
	var out []string
	for i := 0; i < len(a.Versions); {
		version, n := a.Versions[i].Version, 0
		for ; i < len(a.Versions) && a.Versions[i].Version == version; i++ {
			n += a.Versions[i].Machines
		}
		out = append(out, fmt.Sprintf("%s (%d)", cmp.Or(version, "unknown"), n))
	}
	return strings.Join(out, ", ")
}

func showApplication(c *call[applicationOptions]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	l, err := s.ApplicationMachines(c.ctx(), c.args[0], c.o.Where)
	if err != nil {
		return asUsage(err)
	}
	table := listing[api.ApplicationMachine]{
		format: "rolltop-application/1",
		none:   l.Says,
		columns: []column[api.ApplicationMachine]{
			{name: "key", only: true, value: func(m *api.ApplicationMachine) string { return m.Key }},
			{name: "machine", head: "Machine", value: func(m *api.ApplicationMachine) string { return m.Name }},
			{name: "site", head: "Site", value: func(m *api.ApplicationMachine) string { return m.Site }},
			{name: "title", head: "Title", value: func(m *api.ApplicationMachine) string { return m.Title }},
			{name: "publisher", only: true, value: func(m *api.ApplicationMachine) string { return m.Publisher }},
			{name: "version", head: "Version", value: func(m *api.ApplicationMachine) string { return m.Version }},
			{name: "takes", only: true, value: func(m *api.ApplicationMachine) string { return m.Takes }},
			{name: "says", head: "What it takes", value: func(m *api.ApplicationMachine) string { return m.Says }},
			{name: "weight", only: true, value: func(m *api.ApplicationMachine) string { return m.Weight }},
			{name: "note", only: true, value: func(m *api.ApplicationMachine) string { return m.Note }},
			{name: "terms", only: true, value: func(m *api.ApplicationMachine) string { return m.Terms }},
		},
	}
	return table.print(c.place, form, l, l.Machines)
}

package cli

import (
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
)

func sitesCommand() *cobra.Command {
	return noun("sites", "Sites of machines, by prefixes of their names: list, set, remove", "", listSites,
		command("set PREFIX=NAME…", "Assign the site NAME to machines whose names begin with PREFIX", setSites),
		command("remove PREFIX…", "Remove sites", removeSites))
}

func listSites(c *call[listed]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	l, err := s.Sites(c.ctx())
	if err != nil {
		return err
	}
	slices.SortFunc(l.Sites, func(a, b api.Site) int { return strings.Compare(a.Name+a.Prefix, b.Name+b.Prefix) })
	table := listing[api.Site]{format: "rolltop-sites/1", none: "No sites. Add one with rolltop sites set PREFIX=NAME.",
		columns: []column[api.Site]{
			{name: "prefix", head: "Names begin with", value: func(x *api.Site) string { return x.Prefix }},
			{name: "name", head: "Site", value: func(x *api.Site) string { return x.Name }},
		}}
	return table.print(c.place, form, l, l.Sites)
}

func setSites(c *call[serviceOptions]) error {
	for _, a := range c.args {
		if prefix, name, ok := strings.Cut(a, "="); !ok || prefix == "" || name == "" {
			return wrongUsage("%q is not a site; write it as PREFIX=NAME: GULL='Gull Quay'", a)
		}
	}
	return changeSites(c.place, func(l []api.Site) ([]api.Site, error) {
		for _, a := range c.args {
			prefix, name, _ := strings.Cut(a, "=")
			l = append(without(l, prefix), api.Site{Prefix: prefix, Name: name})
		}
		return l, nil
	})
}

func removeSites(c *call[removeOptions]) error {
	return changeSites(c.place, func(l []api.Site) ([]api.Site, error) {
		for _, prefix := range c.args {
			left := without(l, prefix)
			if len(left) == len(l) {
				return nil, wrongUsage("no site has the prefix %q; rolltop sites lists all", prefix)
			}
			l = left
		}
		return l, c.sure(c.o.Yes, "Remove the site of the prefix %s?", strings.Join(c.args, ", "))
	})
}

func without(l []api.Site, prefix string) []api.Site {
	return slices.DeleteFunc(slices.Clone(l), func(p api.Site) bool { return p.Prefix == prefix })
}

func changeSites(c *place, change func([]api.Site) ([]api.Site, error)) error {
	s, err := c.client()
	if err != nil {
		return err
	}
	l, err := s.Sites(c.ctx())
	if err != nil {
		return err
	}
	if l.Sites, err = change(l.Sites); err != nil {
		return err
	}
	if err := s.SetSites(c.ctx(), l); err != nil {
		return err
	}
	c.done("%s now; rolltop sites lists them.", say.Capital(say.Count(len(l.Sites), "site", "sites")))
	return nil
}

package cli

import (
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
)

func sitesCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "sites",
		Short: "Sites of machines, by prefixes of their names: list, set, remove",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			l, err := c.Sites(contextOf(cmd))
			if err != nil {
				return err
			}
			printSites(newPaper(cmd.OutOrStdout()), l)
			return nil
		},
	}
	serviceFlags(cmd)
	set := &cobra.Command{
		Use:   "set PREFIX=NAME…",
		Short: "Assign the site NAME to machines whose names begin with PREFIX",
		Args:  cobra.MinimumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			for _, a := range args {
				if prefix, name, ok := strings.Cut(a, "="); !ok || prefix == "" || name == "" {
					return wrongUsage("%q is not a site; write it as PREFIX=NAME: GULL='Gull Quay'", a)
				}
			}
			return changeSites(cmd, func(l []api.Site) ([]api.Site, error) {
				for _, a := range args {
					prefix, name, _ := strings.Cut(a, "=")
					l = append(without(l, prefix), api.Site{Prefix: prefix, Name: name})
				}
				return l, nil
			})
		},
	}
	serviceFlags(set)
	remove := &cobra.Command{
		Use:   "remove PREFIX…",
		Short: "Remove sites",
		Args:  cobra.MinimumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			return changeSites(cmd, func(l []api.Site) ([]api.Site, error) {
				for _, prefix := range args {
					left := without(l, prefix)
					if len(left) == len(l) {
						return nil, wrongUsage("no site has the prefix %q; rolltop sites lists all", prefix)
					}
					l = left
				}
				return l, nil
			})
		},
	}
	serviceFlags(remove)
	cmd.AddCommand(set, remove)
	return cmd
}

func without(l []api.Site, prefix string) []api.Site {
	return slices.DeleteFunc(slices.Clone(l), func(p api.Site) bool { return p.Prefix == prefix })
}

func changeSites(cmd *cobra.Command, change func([]api.Site) ([]api.Site, error)) error {
	c, err := clientOf(cmd)
	if err != nil {
		return err
	}
	l, err := c.Sites(contextOf(cmd))
	if err != nil {
		return err
	}
	if l.Sites, err = change(l.Sites); err != nil {
		return err
	}
	if err := c.SetSites(contextOf(cmd), l); err != nil {
		return err
	}
	printSites(newPaper(cmd.OutOrStdout()), l)
	return nil
}

func printSites(p *paper, l api.SiteList) {
	if len(l.Sites) == 0 {
		p.line("No sites. Add one with rolltop sites set PREFIX=NAME.")
		return
	}
	slices.SortFunc(l.Sites, func(a, b api.Site) int { return strings.Compare(a.Name+a.Prefix, b.Name+b.Prefix) })
	rows := make([][]string, len(l.Sites))
	for i, x := range l.Sites {
		rows[i] = []string{x.Prefix, x.Name}
	}
	p.table([]string{"Names begin with", "Site"}, rows)
	p.line("")
	p.line("%s.", say.Capital(say.Count(len(rows), "site", "sites")))
}

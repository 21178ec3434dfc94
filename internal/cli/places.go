package cli

import (
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
)

func placesCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "places",
		Short: "Places of machines, by the beginnings of their names: list, set, remove",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			l, err := c.Places(contextOf(cmd))
			if err != nil {
				return err
			}
			printPlaces(newPaper(cmd.OutOrStdout()), l)
			return nil
		},
	}
	serviceFlags(cmd)
	set := &cobra.Command{
		Use:   "set PREFIX=NAME…",
		Short: "Give machines whose names begin with PREFIX the place NAME",
		Args:  cobra.MinimumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			for _, a := range args {
				if prefix, name, ok := strings.Cut(a, "="); !ok || prefix == "" || name == "" {
					return wrongUsage("%q is not a place; write it as PREFIX=NAME: GULL='Gull Quay'", a)
				}
			}
			return changePlaces(cmd, func(l []api.Place) ([]api.Place, error) {
				for _, a := range args {
					prefix, name, _ := strings.Cut(a, "=")
					l = append(without(l, prefix), api.Place{Prefix: prefix, Name: name})
				}
				return l, nil
			})
		},
	}
	serviceFlags(set)
	remove := &cobra.Command{
		Use:   "remove PREFIX…",
		Short: "Take places away",
		Args:  cobra.MinimumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			return changePlaces(cmd, func(l []api.Place) ([]api.Place, error) {
				for _, prefix := range args {
					left := without(l, prefix)
					if len(left) == len(l) {
						return nil, wrongUsage("there is no place for the prefix %q; rolltop places lists them", prefix)
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

func without(l []api.Place, prefix string) []api.Place {
	return slices.DeleteFunc(slices.Clone(l), func(p api.Place) bool { return p.Prefix == prefix })
}

func changePlaces(cmd *cobra.Command, change func([]api.Place) ([]api.Place, error)) error {
	c, err := clientOf(cmd)
	if err != nil {
		return err
	}
	l, err := c.Places(contextOf(cmd))
	if err != nil {
		return err
	}
	if l.Places, err = change(l.Places); err != nil {
		return err
	}
	if err := c.SetPlaces(contextOf(cmd), l); err != nil {
		return err
	}
	printPlaces(newPaper(cmd.OutOrStdout()), l)
	return nil
}

func printPlaces(p *paper, l api.PlaceList) {
	if len(l.Places) == 0 {
		p.line("No place is set; rolltop places set PREFIX=NAME sets one.")
		return
	}
	slices.SortFunc(l.Places, func(a, b api.Place) int { return strings.Compare(a.Name+a.Prefix, b.Name+b.Prefix) })
	rows := make([][]string, len(l.Places))
	for i, x := range l.Places {
		rows[i] = []string{x.Prefix, x.Name}
	}
	p.table([]string{"Names begin with", "Place"}, rows)
	p.line("")
	p.line("%s.", say.Capital(say.Count(len(rows), "place", "places")))
}

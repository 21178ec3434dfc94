package cli

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
)

func tokensCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "tokens",
		Short: "Tokens that let programs in: list, add, end",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			l, err := c.Tokens(contextOf(cmd))
			if err != nil {
				return err
			}
			rows := make([][]string, len(l.Tokens))
			for i, t := range l.Tokens {
				used := "never used"
				if t.UsedAt != nil {
					used = "used " + say.Moment(*t.UsedAt)
				}
				if t.ExpiresAt != nil {
					used += ", expires " + say.Moment(*t.ExpiresAt)
				}
				if t.Machines != nil {
					used += fmt.Sprintf(", may add %d more machines", *t.Machines)
				}
				if len(t.Places) > 0 {
					used += ", sees " + strings.Join(t.Places, ", ")
				}
				rows[i] = []string{strconv.FormatInt(t.ID, 10), t.Name, t.Scope, used}
			}
			newPaper(cmd.OutOrStdout()).table([]string{"Id", "Name", "May", "Use"}, rows)
			return nil
		},
	}
	serviceFlags(cmd)
	add := &cobra.Command{
		Use:   "add NAME",
		Short: "Make a token; its secret is printed this once",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			scope, _ := cmd.Flags().GetString("scope")
			days, _ := cmd.Flags().GetInt("days")
			t := api.NewToken{Name: args[0], Scope: scope, Days: days}
			t.Machines, _ = cmd.Flags().GetInt("machines")
			t.Tag, _ = cmd.Flags().GetString("tag")
			t.Place, _ = cmd.Flags().GetString("place")
			t.Places, _ = cmd.Flags().GetStringArray("only")
			t.Imported, _ = cmd.Flags().GetBool("imported")
			t.Succeeds, _ = cmd.Flags().GetInt64("succeeds")
			m, err := c.AddToken(contextOf(cmd), t)
			if err != nil {
				return asUsage(err)
			}
			fmt.Fprintln(cmd.OutOrStdout(), m.Secret)
			if t.Succeeds != 0 {
				fmt.Fprintf(cmd.ErrOrStderr(), "It speaks for %s of token %d.\n",
					say.Count(int(m.Taken), "machine", "machines"), t.Succeeds)
			}
			return nil
		},
	}
	add.Flags().String("scope", "submit",
		"what it may do: submit inventories, read, work (on machines), or manage (everything)")
	add.Flags().Int("days", 0, "after how many days it expires; never, where not given")
	add.Flags().Int("machines", 0, "for submitting: how many machines it may add (default 10,000)")
	add.Flags().String("tag", "", "for submitting: a tag for the machines that it adds")
	add.Flags().String("place", "", "for submitting: the place of the machines that it adds")
	add.Flags().Bool("imported", false,
		"for submitting: it may speak for machines that only persons have handed in, in files or spreadsheets")
	add.Flags().Int64("succeeds", 0,
		"for submitting: id of a token, ended or not, for whose machines it speaks from now on")
	add.Flags().StringArray("only", nil,
		"for reading and working: a place, as the only one that it sees; may be given several times")
	serviceFlags(add)
	end := &cobra.Command{
		Use:   "end ID",
		Short: "End a token",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			id, err := strconv.ParseInt(args[0], 10, 64)
			if err != nil {
				return wrongUsage("%q is not the id of a token; rolltop tokens lists them", args[0])
			}
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			return c.DeleteToken(contextOf(cmd), id)
		},
	}
	serviceFlags(end)
	cmd.AddCommand(add, end)
	return cmd
}

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
		Short: "Tokens for programs: list, add, remove",
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
				if len(t.Sites) > 0 {
					used += ", sees " + strings.Join(t.Sites, ", ")
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
		Short: "Create a token; its secret is shown only once",
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
			t.Site, _ = cmd.Flags().GetString("site")
			t.Sites, _ = cmd.Flags().GetStringArray("only")
			t.Imported, _ = cmd.Flags().GetBool("imported")
			t.Succeeds, _ = cmd.Flags().GetInt64("succeeds")
			m, err := c.AddToken(contextOf(cmd), t)
			if err != nil {
				return asUsage(err)
			}
			fmt.Fprintln(cmd.OutOrStdout(), m.Secret)
			if t.Succeeds != 0 {
				fmt.Fprintf(cmd.ErrOrStderr(), "It can submit for %s of token %d.\n",
					say.Count(int(m.Taken), "machine", "machines"), t.Succeeds)
			}
			return nil
		},
	}
	add.Flags().String("scope", "submit",
		"permission: submit (inventories), read, work (on machines) or manage (everything)")
	numberFlag(add, "days", 0, 1, 3650, "days until the token expires (default: never)")
	numberFlag(add, "machines", 0, 1, 1000000, "for submit: number of machines that the token can add (default 10,000)")
	add.Flags().String("tag", "", "for submit: tag of the machines that the token adds")
	add.Flags().String("site", "", "for submit: site of the machines that the token adds")
	add.Flags().Bool("imported", false,
		"for submit: the token can update machines that only persons have imported")
	add.Flags().Int64("succeeds", 0,
		"for submit: id of an earlier token whose machines this token takes over")
	add.Flags().StringArray("only", nil,
		"for read and work: limit the token to this site (repeatable)")
	serviceFlags(add)
	end := &cobra.Command{
		Use:   "remove ID",
		Short: "Remove a token",
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

package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/server"
	"rolltop.example/rolltop/internal/store"
)

func usersCommand() *cobra.Command {
	list := func(cmd *cobra.Command, _ []string) error { return listUsers(cmd) }
	cmd := &cobra.Command{
		Use:   "users",
		Short: "People who sign in: list, add, change, remove",
		Args:  cobra.NoArgs,
		RunE:  list,
		Long:  help("users"),
	}
	formatFlag(cmd, "text", "json")
	serviceFlags(cmd)
	set := &cobra.Command{
		Use:   "set NAME",
		Short: "Add a user or change one; a new password is printed this once",
		Args:  cobra.ExactArgs(1),
		RunE:  setUser,
		Long:  help("people-set"),
	}
	set.Flags().String("role", server.RoleAdministrator, strings.Join(server.Roles(), ", "))
	set.Flags().Bool("renew", false, "give a new password")
	set.Flags().StringArray("only", nil, "a place, as the only one that they see; may be given several times")
	set.Flags().String("database", "", "database file of a service that is stopped, in place of a service")
	serviceFlags(set)
	remove := &cobra.Command{
		Use:   "remove NAME",
		Short: "Take a user out, and sign them out",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			return c.RemoveUser(contextOf(cmd), args[0])
		},
	}
	serviceFlags(remove)
	cmd.AddCommand(set, remove)
	return cmd
}

func listUsers(cmd *cobra.Command) error {
	form, c, err := asked(cmd)
	if err != nil {
		return err
	}
	l, err := c.Users(contextOf(cmd))
	if err != nil {
		return err
	}
	if form == "json" {
		return printJSON(cmd.OutOrStdout(), l)
	}
	rows := make([][]string, len(l.Users))
	for i, u := range l.Users {
		rows[i] = []string{u.Name, u.Role, first(strings.Join(u.Places, ", "), "all places")}
	}
	newPaper(cmd.OutOrStdout()).table([]string{"Name", "Role", "Sees"}, rows)
	return nil
}

func setUser(cmd *cobra.Command, args []string) error {
	role, _ := cmd.Flags().GetString("role")
	if !slices.Contains(server.Roles(), role) {
		return wrongUsage("there is no role %q; it may be %s", role, strings.Join(server.Roles(), ", "))
	}
	if path, _ := cmd.Flags().GetString("database"); path != "" {
		password, err := setStoppedUser(contextOf(cmd), cmd, path, args[0], role)
		if err == nil {
			fmt.Fprintln(cmd.OutOrStdout(), password)
		}
		return err
	}
	c, err := clientOf(cmd)
	if err != nil {
		return err
	}
	renew, _ := cmd.Flags().GetBool("renew")
	only, _ := cmd.Flags().GetStringArray("only")
	u, err := c.PutUser(contextOf(cmd), args[0], api.PutUser{Role: role, Renew: renew, Places: only})
	if err != nil {
		return err
	}
	if u.Password == "" {
		fmt.Fprintf(cmd.ErrOrStderr(), "%s is a %s now; the password stays.\n", u.Name, u.Role)
		return nil
	}
	fmt.Fprintln(cmd.OutOrStdout(), u.Password)
	return nil
}

// setStoppedUser works on the database of a service that does not run.
func setStoppedUser(ctx context.Context, cmd *cobra.Command, path, name, role string) (password string, err error) {
	if _, err := os.Stat(path); err != nil {
		return "", fmt.Errorf("%s cannot be read: %w", path, bare(err))
	}
	st, err := store.Open(path)
	if err != nil {
		return "", err
	}
	s, err := newServer(ctx, cmd, st, false, security{})
	if err == nil {
		password = server.NewSecret("")
		err = s.PutUser(ctx, name, role, password)
	}
	return password, errors.Join(err, st.Close())
}

func actsCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "acts",
		Short: "What was changed at the service, by whom, the latest first",
		Args:  cobra.NoArgs,
		RunE:  listActs,
		Long:  help("acts"),
	}
	cmd.Flags().String("who", "", "only changes by this user or token")
	cmd.Flags().String("subject", "", "only changes to this machine, user, release or kind of document")
	cmd.Flags().Int64("before", 0, "only changes before this number")
	cmd.Flags().Int("size", 50, "how many, 1000 at most")
	formatFlag(cmd, "text", "json", "csv")
	serviceFlags(cmd)
	return cmd
}

func listActs(cmd *cobra.Command, _ []string) error {
	form, c, err := asked(cmd)
	if err != nil {
		return err
	}
	who, _ := cmd.Flags().GetString("who")
	subject, _ := cmd.Flags().GetString("subject")
	before, _ := cmd.Flags().GetInt64("before")
	size, _ := cmd.Flags().GetInt("size")
	l, err := c.Acts(contextOf(cmd), who, subject, before, size)
	if err != nil {
		return asUsage(err)
	}
	if l.More && form != "text" {
		fmt.Fprintf(cmd.ErrOrStderr(), "There are earlier ones: --before %d goes on.\n", l.Acts[len(l.Acts)-1].ID)
	}
	if form == "json" {
		return printJSON(cmd.OutOrStdout(), l)
	}
	heads := []string{"Id", "When", "Who", "What", "On", "Was", "Becomes"}
	rows := make([][]string, len(l.Acts))
	for i, a := range l.Acts {
		rows[i] = []string{strconv.FormatInt(a.ID, 10), say.Moment(a.At), a.Who, a.Did, a.Subject, a.Was, a.Becomes}
		if form == "csv" { // sorts, and joins with other logs
			rows[i][1], rows[i][3] = a.At.UTC().Format(time.RFC3339), a.What
		}
	}
	if form == "csv" {
		return printCSV(cmd.OutOrStdout(), []string{"id", "at", "who", "what", "subject", "was", "becomes"}, rows)
	}
	p := newPaper(cmd.OutOrStdout())
	if len(rows) == 0 {
		p.line("Nothing was changed.")
		return nil
	}
	p.table(heads, rows)
	if l.More {
		p.line("There are earlier ones: --before %d shows them.", l.Acts[len(l.Acts)-1].ID)
	}
	return nil
}

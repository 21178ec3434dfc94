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
		Short: "Users: list, set, remove",
		Args:  cobra.NoArgs,
		RunE:  list,
		Long:  help("users"),
	}
	formatFlag(cmd, "text", "json")
	serviceFlags(cmd)
	set := &cobra.Command{
		Use:   "set NAME",
		Short: "Add or change a user; a new password is shown only once",
		Args:  cobra.ExactArgs(1),
		RunE:  setUser,
		Long:  help("people-set"),
	}
	set.Flags().String("role", server.RoleAdministrator, strings.Join(server.Roles(), ", "))
	set.Flags().Bool("renew", false, "create a new password")
	set.Flags().StringArray("only", nil, "limit the user to this site (repeatable)")
	set.Flags().String("database", "", "database file of a stopped service, instead of a running service")
	serviceFlags(set)
	remove := &cobra.Command{
		Use:   "remove NAME",
		Short: "Remove a user, and sign them out",
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
		rows[i] = []string{u.Name, u.Role, first(strings.Join(u.Sites, ", "), "all sites")}
	}
	newPaper(cmd.OutOrStdout()).table([]string{"Name", "Role", "Sees"}, rows)
	return nil
}

func setUser(cmd *cobra.Command, args []string) error {
	role, _ := cmd.Flags().GetString("role")
	if !slices.Contains(server.Roles(), role) {
		return wrongUsage("unknown role %q; use %s", role, strings.Join(server.Roles(), ", "))
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
	u, err := c.SetUser(contextOf(cmd), args[0], api.SetUser{Role: role, Renew: renew, Sites: only})
	if err != nil {
		return err
	}
	if u.Password == "" {
		fmt.Fprintf(cmd.ErrOrStderr(), "%s is a %s now; the password is unchanged.\n", u.Name, u.Role)
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
		err = s.SetUser(ctx, name, role, password)
	}
	return password, errors.Join(err, st.Close())
}

func auditCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "audit",
		Short: "Show the audit log, newest first",
		Args:  cobra.NoArgs,
		RunE:  listAudit,
		Long:  help("audit"),
	}
	cmd.Flags().String("who", "", "only changes by this user or token")
	cmd.Flags().String("subject", "", "only changes to this machine, user, release or kind of document")
	cmd.Flags().Int64("before", 0, "only changes before this number")
	numberFlag(cmd, "size", 50, 1, 1000, "number of entries (max 1000)")
	formatFlag(cmd, "text", "json", "csv")
	serviceFlags(cmd)
	return cmd
}

func listAudit(cmd *cobra.Command, _ []string) error {
	form, c, err := asked(cmd)
	if err != nil {
		return err
	}
	who, _ := cmd.Flags().GetString("who")
	subject, _ := cmd.Flags().GetString("subject")
	before, _ := cmd.Flags().GetInt64("before")
	size, _ := cmd.Flags().GetInt("size")
	l, err := c.Audit(contextOf(cmd), who, subject, before, size)
	if err != nil {
		return asUsage(err)
	}
	if l.More && form != "text" {
		fmt.Fprintf(cmd.ErrOrStderr(), "Earlier entries: --before %d\n", l.Entries[len(l.Entries)-1].ID)
	}
	if form == "json" {
		return printJSON(cmd.OutOrStdout(), l)
	}
	heads := []string{"Id", "When", "Who", "What", "On", "Was", "Becomes"}
	rows := make([][]string, len(l.Entries))
	for i, a := range l.Entries {
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
		p.line("No entries.")
		return nil
	}
	p.table(heads, rows)
	if l.More {
		p.line("Earlier entries: --before %d", l.Entries[len(l.Entries)-1].ID)
	}
	return nil
}

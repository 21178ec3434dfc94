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
	return noun("users", "Users: list, set, remove", "users", listUsers,
		with(command("set USER", "Add or change a user; a new password is shown only once", setUser), "people-set"),
		command("remove USER", "Remove a user, and sign them out", removeUser))
}

func listUsers(c *call[listed]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	l, err := s.Users(c.ctx())
	if err != nil {
		return err
	}
	table := listing[api.User]{format: "rolltop-users/1", none: "No users.", columns: []column[api.User]{
		{name: "name", head: "Name", value: func(u *api.User) string { return u.Name }},
		{name: "role", head: "Role", value: func(u *api.User) string { return u.Role }},
		{name: "sites", head: "Sees", value: func(u *api.User) string { return strings.Join(u.Sites, ", ") },
			text: func(u *api.User) string { return first(strings.Join(u.Sites, ", "), "all sites") }},
	}}
	return table.print(c.place, form, l, l.Users)
}

// userOptions are those of a user.
type userOptions struct {
	Role     string   `option:"role" default:"administrator" usage:"viewer, technician, administrator" complete:"role"`
	Renew    bool     `option:"renew" usage:"create a new password"`
	Only     []string `option:"only" usage:"limit the user to this site (repeatable)" complete:"site"`
	Database string   `option:"database" usage:"database file of a stopped service, instead of a running service" complete:"file"`
	serviceOptions
}

func setUser(c *call[userOptions]) error {
	if !slices.Contains(server.Roles(), c.o.Role) {
		return wrongUsage("unknown role %q; use %s", c.o.Role, strings.Join(server.Roles(), ", "))
	}
	name := c.args[0]
	if c.o.Database != "" {
		password, err := setStoppedUser(c.ctx(), c.cmd, c.o.Database, name, c.o.Role)
		if err == nil {
			c.note("%s is %s now. The password, shown only once:", name, withArticle(c.o.Role))
			fmt.Fprintln(c.cmd.OutOrStdout(), password)
		}
		return err
	}
	s, err := c.client()
	if err != nil {
		return err
	}
	was, err := standing(c.place, name, s.User)
	if err != nil {
		return err
	}
	u, err := s.SetUser(c.ctx(), name, api.SetUser{Role: c.o.Role, Renew: c.o.Renew, Sites: c.o.Only})
	if err != nil {
		return err
	}
	is := u.Name + " is " + withArticle(u.Role) + " now"
	if was != nil && was.Role != u.Role {
		is = fmt.Sprintf("%s was %s and is %s now", u.Name, withArticle(was.Role), withArticle(u.Role))
	}
	if u.Password == "" {
		c.done("%s; the password is unchanged.", is)
		return nil
	}
	c.note("%s. The password, shown only once:", is)
	fmt.Fprintln(c.cmd.OutOrStdout(), u.Password)
	return nil
}

func withArticle(role string) string {
	if role == server.RoleAdministrator {
		return "an " + role
	}
	return "a " + role
}

func removeUser(c *call[removeOptions]) error {
	s, err := c.client()
	if err != nil {
		return err
	}
	if _, err := s.User(c.ctx(), c.args[0]); err != nil {
		return err
	}
	if err := c.sure(c.o.Yes, "Remove the user %s?", c.args[0]); err != nil {
		return err
	}
	if err := s.RemoveUser(c.ctx(), c.args[0]); err != nil {
		return err
	}
	c.done("The user %s is removed and signed out.", c.args[0])
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
	s, err := newServer(ctx, cmd, st, &serving{}, security{})
	if err == nil {
		password = server.NewSecret("")
		err = s.SetUser(ctx, name, role, password)
	}
	return password, errors.Join(err, st.Close())
}

// auditOptions are those of the audit log.
type auditOptions struct {
	Who     string `option:"who" usage:"only changes by this user or token" complete:"USER"`
	Subject string `option:"subject" usage:"only changes to this machine, user, release or kind of document"`
	Cursor  string `option:"cursor" usage:"cursor of the next page, of earlier entries"`
	Size    int    `option:"size" usage:"number of entries (max 1000)" default:"50" least:"1" most:"1000"`
	listed
}

func auditCommand() *cobra.Command {
	return with(command("audit", "Show the audit log, newest first", listAudit), "audit",
		command("undo CHANGE", "Undo a change of many machines as one", undoChange))
}

func listAudit(c *call[auditOptions]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	l, err := s.Audit(c.ctx(), c.o.Who, c.o.Subject, c.o.Cursor, c.o.Size)
	if err != nil {
		return asUsage(err)
	}
	if l.Next != "" {
		defer c.note("Next page: --cursor %s", l.Next)
	}
	table := listing[api.AuditEntry]{format: "rolltop-audit/1", none: "No entries.", columns: []column[api.AuditEntry]{
		{name: "id", head: "Id", value: func(a *api.AuditEntry) string { return strconv.FormatInt(a.ID, 10) }},
		{name: "at", head: "When", value: func(a *api.AuditEntry) string { return a.At.UTC().Format(time.RFC3339) },
			text: func(a *api.AuditEntry) string { return say.Moment(a.At) }},
		{name: "who", head: "Who", value: func(a *api.AuditEntry) string { return a.Who }},
		{name: "what", head: "What", value: func(a *api.AuditEntry) string { return a.What },
			text: func(a *api.AuditEntry) string { return a.Did }},
		{name: "subject", head: "On", value: func(a *api.AuditEntry) string { return a.Subject }},
		{name: "was", head: "Was", value: func(a *api.AuditEntry) string { return a.Was }},
		{name: "becomes", head: "Becomes", value: func(a *api.AuditEntry) string { return a.Becomes }},
		{name: "change", head: "Change", value: func(a *api.AuditEntry) string {
			switch {
			case a.Change == 0:
				return ""
			case !a.Undone.IsZero():
				return fmt.Sprintf("%d (undone)", a.Change)
			}
			return strconv.FormatInt(a.Change, 10)
		}},
	}}
	return table.print(c.place, form, l, l.Entries)
}

package cli

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
)

func tokensCommand() *cobra.Command {
	return noun("tokens", "Tokens for programs: list, add, remove", "", listTokens,
		command("add NAME", "Create a token; its secret is shown only once", addToken),
		command("remove TOKEN", "Remove a token", removeToken))
}

func listTokens(c *call[listed]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	l, err := s.Tokens(c.ctx())
	if err != nil {
		return err
	}
	machines := func(t *api.TokenRow) string {
		if t.Machines == nil {
			return ""
		}
		return strconv.Itoa(*t.Machines)
	}
	table := listing[api.TokenRow]{format: "rolltop-tokens/1", none: "No tokens.", columns: []column[api.TokenRow]{
		{name: "id", head: "Id", value: func(t *api.TokenRow) string { return strconv.FormatInt(t.ID, 10) }},
		{name: "name", head: "Name", value: func(t *api.TokenRow) string { return t.Name }},
		{name: "scope", head: "May", value: func(t *api.TokenRow) string { return t.Scope }},
		{
			name:  "used_at",
			head:  "Use",
			value: func(t *api.TokenRow) string { return instant(t.UsedAt) },
			text:  tokenUse,
		},
		{name: "expires_at", only: true, value: func(t *api.TokenRow) string { return instant(t.ExpiresAt) }},
		{name: "machines", only: true, value: machines},
		{name: "sites", only: true, value: func(t *api.TokenRow) string { return strings.Join(t.Sites, ", ") }},
	}}
	return table.print(c.place, form, l, l.Tokens)
}

func tokenUse(t *api.TokenRow) string {
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
	return used
}

// tokenOptions are those of a new token.
type tokenOptions struct {
	Scope    string   `option:"scope" default:"submit" usage:"permission: submit (inventories), read, work (on machines) or manage (everything)" complete:"scope"`
	Days     int      `option:"days" default:"0" usage:"days until the token expires (default: never)" least:"1" most:"3650"`
	Machines int      `option:"machines" default:"0" usage:"for submit: number of machines that the token can add (default 10,000)" least:"1" most:"1000000"`
	Tag      string   `option:"tag" usage:"for submit: tag of the machines that the token adds" complete:"tag"`
	Site     string   `option:"site" usage:"for submit: site of the machines that the token adds" complete:"site"`
	Imported bool     `option:"imported" usage:"for submit: the token can update machines that only persons have imported"`
	Succeeds int64    `option:"succeeds" usage:"for submit: id of an earlier token whose machines this token takes over" complete:"TOKEN"`
	Only     []string `option:"only" usage:"for read and work: limit the token to this site (repeatable)" complete:"site"`
	serviceOptions
}

func addToken(c *call[tokenOptions]) error {
	s, err := c.client()
	if err != nil {
		return err
	}
	o := c.o
	m, err := s.AddToken(c.ctx(), api.NewToken{
		Name: c.args[0], Scope: o.Scope, Days: o.Days, Machines: o.Machines, Tag: o.Tag, Site: o.Site, Sites: o.Only,
		Imported: o.Imported, Succeeds: o.Succeeds,
	})
	if err != nil {
		return asUsage(err)
	}
	c.note("Token %d, %s, may %s. Its secret, shown only once:", m.ID, m.Name, m.Scope)
	fmt.Fprintln(c.cmd.OutOrStdout(), m.Secret)
	if o.Succeeds != 0 {
		c.note("It can submit for %s of token %d.", say.Count(int(m.Taken), "machine", "machines"), o.Succeeds)
	}
	return nil
}

func removeToken(c *call[removeOptions]) error {
	id, err := c.id(0, "the id of a token", "rolltop tokens")
	if err != nil {
		return err
	}
	s, err := c.client()
	if err != nil {
		return err
	}
	l, err := s.Tokens(c.ctx())
	if err != nil {
		return err
	}
	at := slices.IndexFunc(l.Tokens, func(t api.TokenRow) bool { return t.ID == id })
	if at < 0 {
		return fmt.Errorf("there is no token %d; rolltop tokens lists all", id)
	}
	if err := c.sure(c.o.Yes, "Remove the token %d, %s? Programs that use it are refused from then on.", id,
		l.Tokens[at].Name); err != nil {
		return err
	}
	if err := s.DeleteToken(c.ctx(), id); err != nil {
		return err
	}
	c.done("The token %d is removed.", id)
	return nil
}

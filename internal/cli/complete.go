package cli

import (
	"context"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/decision"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
	"rolltop.example/rolltop/internal/server"
)

// completionTakes is how long the shell waits for the service. After it, nothing is offered.
const completionTakes = 2 * time.Second

// maxOffered is how many machines a shell is offered.
const maxOffered = 200

// completer lists what may stand at a place. Behind a tab a candidate has a few words on it.
type completer func(ctx context.Context, cmd *cobra.Command, typed string) []string

// fixed offers the same words always.
func fixed(words ...string) completer {
	return func(context.Context, *cobra.Command, string) []string { return words }
}

// asking offers what the service lists.
func asking(list func(ctx context.Context, c *client.Client, typed string) ([]string, error)) completer {
	return func(ctx context.Context, cmd *cobra.Command, typed string) []string {
		c, err := clientOf(cmd)
		if err != nil {
			return nil
		}
		c.Patience = client.Backoff{} // nobody waits for a completion
		words, err := list(ctx, c, typed)
		if err != nil {
			return nil
		}
		return words
	}
}

// each makes candidates of the rows of a list.
func each[R any](rows []R, candidate func(*R) string) []string {
	out := make([]string, len(rows))
	for i := range rows {
		out[i] = candidate(&rows[i])
	}
	return out
}

func numberOf(id int64, says string) string { return strconv.FormatInt(id, 10) + "\t" + says }

var releaseIDs = asking(func(ctx context.Context, c *client.Client, _ string) ([]string, error) {
	l, err := c.Releases(ctx)
	ids := each(l.Releases, func(r *api.ReleaseRow) string { return r.ID + "\t" + r.Name })
	return slices.Compact(ids), err
})

var siteNames = asking(func(ctx context.Context, c *client.Client, _ string) ([]string, error) {
	l, err := c.Sites(ctx)
	names := each(l.Sites, func(s *api.Site) string { return s.Name })
	slices.Sort(names)
	return slices.Compact(names), err
})

// completers are by what options name in the tag complete, and by the words of usage lines. What is not here
// is a file, or nothing: see [files].
var completers map[string]completer

func init() { // it refers to itself through the commands
	completers = map[string]completer{
		"class":   fixed("pc", "mac"),
		"order":   fixed("name", "site", "disposition", "model", "installed", "fails", "taken"),
		"facts":   fixed(fact.Names()...),
		"role":    fixed(server.Roles()...),
		"scope":   fixed(server.ScopeSubmit, server.ScopeRead, server.ScopeWork, server.ScopeManage),
		"by":      fixed("machines", "time"),
		"for":     fixed("technician", "user", "visit"),
		"site":    siteNames,
		"release": releaseIDs,
		"filter": asking(func(ctx context.Context, c *client.Client, typed string) ([]string, error) {
			l, err := c.CompleteFilter(ctx, typed)
			return each(l.Completions, func(f *api.Completion) string { return f.Text + "\t" + f.Says }), err
		}),
		"saved": asking(func(ctx context.Context, c *client.Client, _ string) ([]string, error) {
			l, err := c.Filters(ctx)
			return each(l.Filters, func(f *api.SavedFilter) string { return f.Name + "\t" + f.Filter }), err
		}),
		"tag": asking(func(ctx context.Context, c *client.Client, _ string) ([]string, error) {
			l, err := c.Tags(ctx)
			return each(l.Tags, func(t *api.Count) string { return t.Name }), err
		}),
		"requirement": asking(func(ctx context.Context, c *client.Client, _ string) ([]string, error) {
			l, err := c.CompleteFilter(ctx, "fails=")
			return each(l.Completions, func(f *api.Completion) string {
				return strings.TrimPrefix(f.Text, "fails=") + "\t" + f.Says
			}), err
		}),
		"MACHINE": asking(func(ctx context.Context, c *client.Client, typed string) ([]string, error) {
			where := "retired=yes,no"
			if typed != "" && !strings.ContainsAny(typed, "\" ") {
				where += " name=" + typed + "*"
			}
			l, err := c.Machines(ctx, where, "name", 1, maxOffered)
			return each(
				l.Machines,
				func(m *api.MachineRow) string { return m.Name + "\t" + spaced(m.Site, m.Model) },
			), err
		}),
		"FACT": fixed(fact.Names()...),
		"FACT=VALUE": func(context.Context, *cobra.Command, string) []string {
			names := fact.Names()
			return each(names, func(n *string) string { return *n + "=" })
		},
		"USER": asking(func(ctx context.Context, c *client.Client, _ string) ([]string, error) {
			l, err := c.Users(ctx)
			return each(l.Users, func(u *api.User) string { return u.Name + "\t" + u.Role }), err
		}),
		"TOKEN": asking(func(ctx context.Context, c *client.Client, _ string) ([]string, error) {
			l, err := c.Tokens(ctx)
			return each(l.Tokens, func(t *api.TokenRow) string { return numberOf(t.ID, t.Name) }), err
		}),
		"WEBHOOK": asking(func(ctx context.Context, c *client.Client, _ string) ([]string, error) {
			l, err := c.Webhooks(ctx)
			return each(l.Webhooks, func(h *api.Webhook) string { return h.Name + "\t" + h.URL }), err
		}),
		"WAVE": asking(func(ctx context.Context, c *client.Client, _ string) ([]string, error) {
			l, err := c.Waves(ctx)
			return each(l.Waves, func(w *api.Wave) string { return numberOf(w.ID, w.Name) }), err
		}),
		"DECISION": asking(func(ctx context.Context, c *client.Client, _ string) ([]string, error) {
			l, err := c.Decisions(ctx, false)
			return each(l.Decisions, func(d *api.Decision) string { return numberOf(d.ID, d.Says) }), err
		}),
		"DUPLICATE": asking(func(ctx context.Context, c *client.Client, _ string) ([]string, error) {
			l, err := c.Duplicates(ctx)
			return each(l.Duplicates, func(d *api.Duplicate) string { return numberOf(d.ID, d.Says) }), err
		}),
		"EXPECTED": asking(func(ctx context.Context, c *client.Client, _ string) ([]string, error) {
			l, err := c.Expected(ctx)
			return each(l.Machines, func(e *api.ExpectedRow) string { return numberOf(e.ID, e.Name) }), err
		}),
		"CHANGE": asking(func(ctx context.Context, c *client.Client, _ string) ([]string, error) {
			l, err := c.RuleChanges(ctx)
			return each(l.Changes, func(r *api.RuleChange) string { return numberOf(r.ID, r.Says) }), err
		}),
		"PREFIX": asking(func(ctx context.Context, c *client.Client, _ string) ([]string, error) {
			l, err := c.Sites(ctx)
			return each(l.Sites, func(s *api.Site) string { return s.Prefix + "\t" + s.Name }), err
		}),
		"PART": asking(func(ctx context.Context, c *client.Client, _ string) ([]string, error) {
			w, err := c.Work(ctx, "")
			return each(w.Order, func(l *api.OrderLine) string { return l.Part }), err
		}),
		"KIND":       fixed(decision.Kinds()...),
		"REASON":     fixed("off", "no-rights", "refused", "no-network", "in-repair", "other"),
		"same|apart": fixed("same", "apart"),
		"SHELL":      fixed("bash", "zsh", "fish", "powershell"),
	}
	completers["FILTER"], completers["SAVED"] = completers["filter"], completers["saved"]
	completers["REQUIREMENT"] = completers["requirement"]
}

// files are the words that stand for files, beside ids of releases where a release is meant.
var files = []string{"FILE", "file", "directory"}

// offer registers what the shell offers for an option.
func offer(cmd *cobra.Command, name string, tag reflect.StructTag) {
	kind := tag.Get("complete")
	var from completer
	switch {
	case tag.Get("forms") != "":
		from = fixed(strings.Split(tag.Get("forms"), ",")...)
	case slices.Contains(files, kind):
		return // the shell offers files by itself
	default:
		from = completers[kind]
	}
	both := kind == "release" // a file, too
	_ = cmd.RegisterFlagCompletionFunc(name,
		func(cmd *cobra.Command, _ []string, typed string) ([]string, cobra.ShellCompDirective) {
			return offered(cmd, from, typed, both)
		})
}

// offerArguments is what the shell offers for the arguments of a usage line.
func offerArguments(use string) cobra.CompletionFunc {
	words := argumentWords(use)
	return func(cmd *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
		if len(words) == 0 {
			return nil, cobra.ShellCompDirectiveNoFileComp
		}
		word := words[min(len(args), len(words)-1)]
		if len(args) >= len(words) && !strings.Contains(word, "…") {
			return nil, cobra.ShellCompDirectiveNoFileComp
		}
		word = strings.Trim(word, "[]…")
		switch {
		case slices.Contains(files, word):
			return nil, cobra.ShellCompDirectiveDefault
		case strings.HasPrefix(word, "FILE|"):
			return offered(cmd, releaseIDs, typed, true)
		}
		return offered(cmd, completers[word], typed, false)
	}
}

// bareText is a text without what a filter may write in two ways.
func bareText(text string) string { return strings.ToLower(strings.ReplaceAll(text, `"`, "")) }

// offered is what a completer lists, in bounded time.
func offered(cmd *cobra.Command, from completer, typed string, filesToo bool) ([]string, cobra.ShellCompDirective) {
	directive := cobra.ShellCompDirectiveNoFileComp
	if filesToo {
		directive = cobra.ShellCompDirectiveDefault
	}
	if from == nil {
		return nil, directive
	}
	ctx, cancel := context.WithTimeout(contextOf(cmd), completionTakes)
	defer cancel()
	_ = fillFlags(cmd)
	var out []string
	for _, word := range from(ctx, cmd, typed) {
		switch {
		case len(word) >= len(typed) && strings.EqualFold(word[:len(typed)], typed):
			out = append(out, typed+word[len(typed):]) // bash and zsh offer only what begins exactly as it was typed
		case strings.HasPrefix(bareText(word), bareText(typed)):
			out = append(out, word)
		}
	}
	if len(out) == 1 && strings.HasSuffix(strings.SplitN(out[0], "\t", 2)[0], "=") {
		directive |= cobra.ShellCompDirectiveNoSpace
	}
	return out, directive
}

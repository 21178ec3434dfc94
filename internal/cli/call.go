package cli

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"strconv"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
)

// call is one call of a command: its options, its arguments, and where it reads and prints.
type call[O any] struct {
	*place
	o    *O
	args []string
}

// place is what a call has apart from its options.
type place struct {
	cmd  *cobra.Command
	file *bytes.Buffer // what --output gets; nil: standard output
}

// command makes a command of its usage line, what it does in a line, and the function that does it. The
// usage line says which arguments there are: NAME must be given, [NAME] may, NAME… once or more.
func command[O any](use, short string, run func(*call[O]) error) *cobra.Command {
	o := new(O)
	cmd := &cobra.Command{Use: use, Short: short, Args: argumentsOf(use)}
	bind(cmd, o)
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		c := &call[O]{place: &place{cmd: cmd}, o: o, args: args}
		to, ok := any(o).(interface{ path() string })
		if !ok || to.path() == "" || to.path() == "-" {
			return run(c)
		}
		path := to.path()
		if _, err := os.Lstat(path); err == nil {
			return exists(path)
		}
		c.file = new(bytes.Buffer)
		err := run(c)
		var st status
		if err != nil && !errors.As(err, &st) {
			return err
		}
		if c.file.Len() > 0 {
			if err := writeNew(path, c.file.Bytes()); err != nil {
				return err
			}
			c.note("%s written.", path)
		}
		return err
	}
	cmd.ValidArgsFunction = offerArguments(use)
	return cmd
}

// group is a command that only has commands below it.
func group(use, short string, below ...*cobra.Command) *cobra.Command {
	cmd := &cobra.Command{Use: use, Short: short, Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error { return cmd.Help() }}
	cmd.AddCommand(below...)
	return cmd
}

// with gives a command its help text and the commands below it.
func with(cmd *cobra.Command, long string, below ...*cobra.Command) *cobra.Command {
	if long != "" {
		cmd.Long = help(long)
	}
	cmd.AddCommand(below...)
	return cmd
}

// noun is a command that lists what its name is of, by itself and with list, and has commands below it.
func noun[O any](use, short, long string, list func(*call[O]) error, below ...*cobra.Command) *cobra.Command {
	again := command("list", "List, as the command alone does", list)
	return with(command(use, short, list), long, append([]*cobra.Command{again}, below...)...)
}

// argumentWords are the words of a usage line that stand for arguments, without options.
func argumentWords(use string) []string {
	var out []string
	for _, word := range strings.Fields(use)[1:] {
		if strings.HasPrefix(word, "-") || strings.HasPrefix(word, "[-") {
			break
		}
		out = append(out, word)
	}
	return out
}

func argumentsOf(use string) cobra.PositionalArgs {
	words := argumentWords(use)
	least, most := 0, len(words)
	for _, word := range words {
		if !strings.HasPrefix(word, "[") {
			least++
		}
		if strings.Contains(word, "…") {
			most = -1
		}
	}
	if most < 0 {
		return cobra.MinimumNArgs(least)
	}
	return cobra.RangeArgs(least, most)
}

// ctx is the context of the call.
func (p *place) ctx() context.Context { return contextOf(p.cmd) }

// out is where what was asked for goes.
func (p *place) out() io.Writer {
	if p.file != nil {
		return p.file
	}
	return p.cmd.OutOrStdout()
}

// errOut is where remarks and errors go.
func (p *place) errOut() io.Writer { return p.cmd.ErrOrStderr() }

func (p *place) paper() *paper { return newPaper(p.out()) }

// client is the client of the service that the options name.
func (p *place) client() (*client.Client, error) { return clientOf(p.cmd) }

// asked is the output format and the service.
func (p *place) asked() (form string, c *client.Client, err error) { return asked(p.cmd) }

// changed says whether an option was given.
func (p *place) changed(option string) bool { return p.cmd.Flags().Changed(option) }

// standing reads what a change replaces; nil where there is nothing yet. The change is refused if somebody
// else makes one after this: see [client.Client].
func standing[T any](p *place, name string, read func(context.Context, string) (T, error)) (*T, error) {
	is, err := read(p.ctx(), name)
	var problem *api.Problem
	switch {
	case errors.As(err, &problem) && problem.Status == http.StatusNotFound:
		return nil, nil
	case err != nil:
		return nil, err
	}
	return &is, nil
}

// done says in one line what a change did, unless --quiet.
func (p *place) done(format string, args ...any) {
	if !quiet(p.cmd) {
		fmt.Fprintf(p.cmd.OutOrStdout(), format+"\n", args...)
	}
}

// note is a remark beside what is printed, unless --quiet.
func (p *place) note(format string, args ...any) {
	if !quiet(p.cmd) {
		fmt.Fprintf(p.errOut(), format+"\n", args...)
	}
}

func quiet(cmd *cobra.Command) bool {
	q, _ := cmd.Flags().GetBool("quiet")
	return q
}

// sure asks before something is deleted, which the question says. Where nobody can be asked, --yes is needed.
func (p *place) sure(yes bool, question string, args ...any) error {
	if yes {
		return nil
	}
	said := fmt.Sprintf(question, args...)
	in, ok := p.cmd.InOrStdin().(*os.File)
	if !ok || !term.IsTerminal(int(in.Fd())) {
		return wrongUsage("%s Nothing was changed; give --yes", said)
	}
	fmt.Fprintf(p.errOut(), "%s [y/N] ", said)
	answer, err := bufio.NewReader(in).ReadString('\n')
	if err != nil && !errors.Is(err, io.EOF) {
		return err
	}
	if a := strings.ToLower(strings.TrimSpace(answer)); a != "y" && a != "yes" {
		return errors.New("nothing was removed")
	}
	return nil
}

// id reads an argument that is the number of something; list is the command that lists them.
func (c *call[O]) id(at int, what, list string) (int64, error) {
	id, err := strconv.ParseInt(c.args[at], 10, 64)
	if err != nil || id < 1 {
		return 0, wrongUsage("%q is not %s; %s lists all", c.args[at], what, list)
	}
	return id, nil
}

// Package cli is the commands of rolltop and what they print.
package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/internal/build"
	"rolltop.example/rolltop/internal/client"
)

// Exit statuses, the contract with scripts.
const (
	ExitReady        = 0
	ExitFailed       = 1 // the command could not do its work
	ExitUsage        = 2 // wrong usage, or the wrong class of hardware
	ExitNotReady     = 10
	ExitUndetermined = 11
)

// status is an error that is only an exit status: everything has been said.
type status int

func (s status) Error() string { return fmt.Sprintf("exit status %d", int(s)) }

// usage is an error in how the command was called.
type usage struct{ error }

func wrongUsage(format string, args ...any) error { return usage{fmt.Errorf(format, args...)} }

// Run runs a command line and returns its exit status.
func Run(ctx context.Context, args []string, out, errOut io.Writer) int {
	return RunWith(ctx, args, os.Stdin, out, errOut)
}

// RunWith runs a command line that reads from in.
func RunWith(ctx context.Context, args []string, in io.Reader, out, errOut io.Writer) int {
	root := rootCommand()
	root.SetIn(in)
	root.SetArgs(args)
	root.SetOut(out)
	root.SetErr(errOut)
	completionCommand(root)
	err := root.ExecuteContext(ctx)
	var st status
	var u usage
	switch {
	case err == nil:
		return ExitReady
	case errors.As(err, &st):
		return int(st)
	case ctx.Err() != nil:
		fmt.Fprintln(errOut, "rolltop: interrupted")
		return ExitFailed
	case errors.As(err, &u):
		fmt.Fprintf(errOut, "rolltop: %v\n", err)
		return ExitUsage
	}
	fmt.Fprintf(errOut, "rolltop: %v\n", err)
	return ExitFailed
}

// Root is the command rolltop with all commands below it, for the reference and the manual pages.
func Root() *cobra.Command {
	root := rootCommand()
	completionCommand(root)
	return root
}

func rootCommand() *cobra.Command {
	root := &cobra.Command{
		Use:           "rolltop",
		Short:         "Inventory PCs and Macs and check them against a target release",
		Long:          help("rolltop"),
		Version:       build.Version,
		SilenceUsage:  true,
		SilenceErrors: true,
		Args:          cobra.NoArgs,
		RunE:          func(cmd *cobra.Command, _ []string) error { return cmd.Help() },
	}
	root.SetFlagErrorFunc(func(cmd *cobra.Command, err error) error {
		return usage{optionMistake(cmd, err)}
	})
	root.PersistentFlags().String("config", "", "YAML `file` with default values for options")
	root.PersistentFlags().BoolP("quiet", "q", false, "print results and errors only")
	root.PersistentPreRunE = func(cmd *cobra.Command, _ []string) error { return fillFlags(cmd) }
	root.AddCommand(inspectCommand(), checkCommand(), planCommand(), compareCommand(), submitCommand(),
		machinesCommand(), releasesCommand(), sitesCommand(), tokensCommand(), serveCommand(),
		demoCommand(), usersCommand(), auditCommand(), backupCommand(), restoreCommand())
	root.AddCommand(
		workCommand(),
		techniciansCommand(),
		ordersCommand(),
		replacementsCommand(),
		applicationsCommand(),
		decisionsCommand(),
		wavesCommand(),
		duplicatesCommand(),
	)
	root.AddCommand(knowledgeCommands()...)
	root.AddCommand(loginCommand(), logoutCommand(), passwordCommand(), fleetCommand(), filtersCommand(),
		expectedCommand(), sheetCommand(), webhooksCommand(), settingsCommand(), versionCommand())
	usageArgs(root)
	return root
}

// completionCommand adds the library's command that prints scripts for shells, and refuses other shells. It
// prints where the root prints at this moment.
func completionCommand(root *cobra.Command) {
	root.InitDefaultCompletionCmd("completion")
	for _, cmd := range root.Commands() {
		if cmd.Name() == "completion" {
			cmd.Args = cobra.NoArgs
			cmd.RunE = func(cmd *cobra.Command, _ []string) error { return cmd.Help() }
			usageArgs(cmd)
		}
	}
}

// usageArgs makes wrong arguments, of any command, wrong usage, and says which of them is
// missing or too much.
func usageArgs(cmd *cobra.Command) {
	if check := cmd.Args; check != nil {
		cmd.Args = func(cmd *cobra.Command, args []string) error {
			if err := check(cmd, args); err != nil {
				return usage{argumentMistake(cmd, args, err)}
			}
			return nil
		}
	}
	for _, c := range cmd.Commands() {
		usageArgs(c)
	}
}

// argumentMistake says what is wrong with the arguments by the words of the usage line, in
// which each that must be given is in capitals, or a choice.
func argumentMistake(cmd *cobra.Command, args []string, err error) error {
	var needed []string
	for _, word := range strings.Fields(cmd.Use)[1:] {
		if strings.HasPrefix(word, "-") || strings.HasPrefix(word, "[") {
			break
		}
		needed = append(needed, word)
	}
	line := strings.TrimSpace(strings.TrimSuffix(cmd.CommandPath(), cmd.Name()) + cmd.Use)
	switch {
	case len(args) < len(needed):
		return fmt.Errorf("%s is missing: %s", needed[len(args)], line)
	case len(needed) > 0 && len(args) > len(needed) && !strings.HasSuffix(needed[len(needed)-1], "…"):
		return fmt.Errorf("unexpected argument %q: %s", args[len(needed)], line)
	case len(needed) == 0 && len(args) > 0 && cmd.HasSubCommands():
		return errors.New(doc.With(fmt.Sprintf("unknown command %q", cmd.CommandPath()+" "+args[0]),
			commandMeant(cmd, args[0])))
	case len(needed) == 0 && len(args) > 0:
		return fmt.Errorf("unexpected argument %q: %s takes options only", args[0], cmd.CommandPath())
	}
	return fmt.Errorf("%w; see %s --help", err, cmd.CommandPath())
}

func commandMeant(cmd *cobra.Command, word string) string {
	var names []string
	for _, c := range cmd.Commands() {
		if c.IsAvailableCommand() {
			names = append(names, c.Name())
		}
	}
	if near := doc.Nearest(word, names); near == "" && slices.Contains(names, "show") {
		return fmt.Sprintf("to show one, run %s show %s; for the commands, see %[1]s --help", cmd.CommandPath(), word)
	}
	return first(doc.Suggest(word, names), "see "+cmd.CommandPath()+" --help")
}

// readFile reads a file, “-” being standard input, up to the size that a
// document may have and one byte more, so that the reader can say it is larger.
func readFile(cmd *cobra.Command, path string) ([]byte, error) {
	from := cmd.InOrStdin()
	if path != "-" {
		st, err := os.Stat(path)
		switch {
		case err != nil:
			return nil, fmt.Errorf("%s cannot be read: %w", path, bare(err))
		case st.IsDir():
			return nil, fmt.Errorf("%s is a directory; name a file in it", path)
		}
		f, err := os.Open(path)
		if err != nil {
			return nil, fmt.Errorf("%s cannot be read: %w", path, bare(err))
		}
		defer f.Close()
		from = f
	}
	b, err := io.ReadAll(io.LimitReader(from, doc.MaxBytes+1))
	if err != nil {
		return nil, fmt.Errorf("%s cannot be read: %w", path, bare(err))
	}
	return b, nil
}

// bare drops the path that the system's errors repeat.
func bare(err error) error {
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return errors.New("the file does not exist")
	case errors.Is(err, fs.ErrPermission):
		return errors.New("you have no permission to read it")
	}
	var pe *os.PathError
	if errors.As(err, &pe) {
		return pe.Err
	}
	return err
}

// serviceKnown says whether the options, the environment or rolltop login name a service.
func serviceKnown(cmd *cobra.Command) bool {
	if server, _ := cmd.Flags().GetString("server"); server != "" {
		return true
	}
	p, err := readProfile()
	return err == nil && p.Server != ""
}

// clientOf is the client of the service that the options, the environment or rolltop login name.
func clientOf(cmd *cobra.Command) (*client.Client, error) {
	server, _ := cmd.Flags().GetString("server")
	pin, _ := cmd.Flags().GetString("pin")
	token, err := tokenOf(cmd)
	if err != nil {
		return nil, err
	}
	if server == "" || token == "" {
		p, err := readProfile()
		if err != nil {
			return nil, err
		}
		if server == "" || server == p.Server { // a token is for its own service only
			server, token, pin = cmp.Or(server, p.Server), cmp.Or(token, p.Token), cmp.Or(pin, p.Pin)
		}
	}
	if server == "" {
		return nil, wrongUsage("no service is configured; run rolltop login, give --server http://host:port, or " +
			"set ROLLTOP_SERVER")
	}
	c, err := dial(server, token, pin)
	if err != nil {
		return nil, err
	}
	c.Patience.Waits = func(wait time.Duration) {
		fmt.Fprintf(cmd.ErrOrStderr(), "The service is busy. Trying again in %d seconds.\n", int(wait.Seconds()+0.5))
	}
	if token != "" && c.InTheOpen() != "" {
		fmt.Fprintf(cmd.ErrOrStderr(), "Warning: %s.\n", c.InTheOpen())
	}
	return c, nil
}

// tokenOf is the token that the options name, or a file of theirs holds. Both options
// come from one place: see [fillFlags].
func tokenOf(cmd *cobra.Command) (string, error) {
	token, _ := cmd.Flags().GetString("token")
	file, _ := cmd.Flags().GetString("token-file")
	switch {
	case file == "":
		return token, nil
	case token != "":
		return "", wrongUsage("--token and --token-file exclude each other; use one of them")
	}
	b, err := readFile(cmd, file)
	if err != nil {
		return "", err
	}
	if token = strings.TrimSpace(string(b)); token == "" {
		return "", fmt.Errorf("%s contains no token", file)
	}
	return token, nil
}

// format is the output format that was asked for.
func format(cmd *cobra.Command) (string, error) {
	f, _ := cmd.Flags().GetString("format")
	forms := strings.Split(cmd.Annotations["forms"], ",")
	for _, known := range forms {
		if f == known {
			return f, nil
		}
	}
	return "", wrongUsage("--format %q is not a valid value; %s", f, doc.Suggest(f, forms))
}

// asked is the format and the service that a command was called with.
func asked(cmd *cobra.Command) (form string, c *client.Client, err error) {
	if form, err = format(cmd); err == nil {
		c, err = clientOf(cmd)
	}
	return form, c, err
}

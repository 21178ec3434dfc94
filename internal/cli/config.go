package cli

import (
	"fmt"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"rolltop.example/rolltop/core/doc"
)

// settable are the options that the environment and the configuration file may set: what
// service is meant, and how one runs. None of them confirms anything or picks machines.
var settable = []string{
	"server", "token", "token-file", "pin",
	"database", "listen", "existing", "collectors", "keep-free", "verbose",
	"tls-cert", "tls-key", "tls-self", "behind-proxy", "public-url",
}

// oneOf are options of which one is given: where the command line has one of them, the
// environment and the file have no say on the others.
var oneOf = map[string][]string{"token": {"token", "token-file"}, "token-file": {"token", "token-file"}}

func variable(option string) string {
	return "ROLLTOP_" + strings.ToUpper(strings.ReplaceAll(option, "-", "_"))
}

// fillFlags gives options that were not set on the command line their value from the
// environment, or else from the configuration file.
func fillFlags(cmd *cobra.Command) error {
	path, _ := cmd.Flags().GetString("config")
	if path == "" {
		path = os.Getenv("ROLLTOP_CONFIG")
	}
	file, err := readConfig(cmd, path)
	if err != nil {
		return err
	}
	environment := map[string]string{}
	for _, option := range settable {
		if v, ok := os.LookupEnv(variable(option)); ok {
			environment[option] = v
		}
	}
	for _, from := range []source{
		{environment, variable}, {file, func(option string) string { return path + ": " + option }},
	} {
		if err := from.fill(cmd.Flags()); err != nil {
			return err
		}
	}
	return nil
}

// source is where options come from beside the command line.
type source struct {
	values map[string]string
	name   func(option string) string // of an option there
}

// fill sets the options that nothing before has set.
func (s source) fill(flags *pflag.FlagSet) error {
	var set []string
	for _, option := range settable {
		v, ok := s.values[option]
		f := flags.Lookup(option)
		if !ok || f == nil || f.Changed || s.decided(flags, option) {
			continue
		}
		if err := f.Value.Set(v); err != nil {
			return wrongUsage("%s: %q is not a valid value; %s", s.name(option), v, valueOf(f))
		}
		set = append(set, option)
	}
	for _, option := range set { // now, so that two of one source do not hide each other
		flags.Lookup(option).Changed = true
	}
	return nil
}

// decided says that an option is left out because one that excludes it was given before.
func (s source) decided(flags *pflag.FlagSet, option string) bool {
	return slices.ContainsFunc(oneOf[option], func(other string) bool {
		f := flags.Lookup(other)
		return f != nil && f.Changed
	})
}

// valueOf says what an option takes.
func valueOf(f *pflag.Flag) string {
	switch f.Value.Type() {
	case "bool":
		return "write true or false"
	case "int", "int64":
		return "write a whole number"
	}
	return "write text"
}

// readConfig reads a configuration file. A key that is none is refused: a service that
// starts with another database than was meant looks as if everything were lost.
func readConfig(cmd *cobra.Command, path string) (map[string]string, error) {
	if path == "" {
		return nil, nil
	}
	src, err := readFile(cmd, path)
	if err != nil {
		return nil, fmt.Errorf("the configuration: %w", err)
	}
	file := map[string]doc.Scalar{}
	if err := doc.Decode(path, src, &file); err != nil {
		return nil, err
	}
	out := map[string]string{}
	for key, v := range file {
		if !slices.Contains(settable, key) {
			return nil, wrongUsage("%s: %s", path, doc.With(fmt.Sprintf("unknown setting %q", key),
				first(doc.Suggest(key, settable), "use "+strings.Join(settable, ", "))))
		}
		out[key] = string(v)
	}
	return out, nil
}

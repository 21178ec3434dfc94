package gen

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"
	"github.com/spf13/pflag"

	"rolltop.example/rolltop/internal/cli"
)

// commands adds the reference of all commands as one page, and a manual page of each.
func commands(out map[string][]byte) error {
	root := cli.Root()
	root.DisableAutoGenTag = true
	var b bytes.Buffer
	b.WriteString("# Commands\n\nGenerated from the commands themselves. `rolltop COMMAND --help` prints the same, " +
		"and [man](man) has a manual\npage of each: `man -l docs/man/rolltop-machines.1`. Options of every command " +
		"that calls the service are in\n[Options of the service](#options-of-the-service).\n\n")
	reference(&b, root)
	out["docs/commands.md"] = b.Bytes()

	forManual(root)
	dir, err := os.MkdirTemp("", "rolltop-man-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	day := time.Date(2026, 11, 29, 0, 0, 0, 0, time.UTC) // of the pages; today's would change them every day
	head := &doc.GenManHeader{Section: "1", Source: "Rolltop", Manual: "Rolltop", Date: &day}
	if err := doc.GenManTree(root, head, dir); err != nil {
		return err
	}
	pages, err := filepath.Glob(filepath.Join(dir, "*.1"))
	if err != nil {
		return err
	}
	for _, page := range pages {
		text, err := os.ReadFile(page)
		if err != nil {
			return err
		}
		out["docs/man/"+filepath.Base(page)] = text
	}
	return nil
}

// forManual puts the examples of help texts where the writer of manual pages expects them. It reads Markdown,
// which the texts are not.
func forManual(cmd *cobra.Command) {
	plain := strings.NewReplacer("*", `\*`, "<", `\<`, "`", "\\`", "_", `\_`)
	cmd.Long, cmd.Example = parts(cmd.Long)
	cmd.Long = plain.Replace(cmd.Long)
	for _, sub := range cmd.Commands() {
		forManual(sub)
	}
}

// ofService are the options that every command with a service has.
var ofService = []string{"server", "token", "token-file", "pin"}

func reference(b *bytes.Buffer, cmd *cobra.Command) {
	if !cmd.IsAvailableCommand() && cmd.HasParent() || cmd.Name() == "help" || cmd.Name() == "completion" {
		return
	}
	usage := strings.TrimSuffix(cmd.UseLine(), " [flags]")
	fmt.Fprintf(b, "## %s\n\n%s.\n\nUsage: `%s`\n\n", cmd.CommandPath(), cmd.Short, usage)
	long, examples := parts(cmd.Long)
	if long != "" {
		b.WriteString(long + "\n\n")
	}
	if examples != "" {
		b.WriteString("```\n" + examples + "\n```\n\n")
	}
	var rows [][2]string
	calls := cmd.Flags().Lookup("server") != nil
	cmd.LocalFlags().VisitAll(func(f *pflag.Flag) {
		if f.Hidden || f.Name == "help" || calls && slices.Contains(ofService, f.Name) {
			return
		}
		rows = append(rows, [2]string{optionName(f), optionText(f)})
	})
	if len(rows) > 0 {
		b.WriteString("| option | meaning |\n|---|---|\n")
		for _, r := range rows {
			fmt.Fprintf(b, "| `%s` | %s |\n", r[0], r[1])
		}
		b.WriteString("\n")
	}
	if !cmd.HasParent() {
		serviceOptions(b, cmd)
	}
	for _, sub := range cmd.Commands() {
		reference(b, sub)
	}
}

// serviceOptions are the options that are the same for every command with a service, told once.
func serviceOptions(b *bytes.Buffer, root *cobra.Command) {
	b.WriteString("### Options of the service\n\n| option | meaning |\n|---|---|\n")
	machines, _, err := root.Find([]string{"machines"})
	if err != nil {
		return
	}
	for _, name := range ofService {
		f := machines.Flags().Lookup(name)
		fmt.Fprintf(b, "| `%s` | %s |\n", optionName(f), optionText(f))
	}
	b.WriteString("\n")
}

// optionName is an option as it is written, with its letter and what its value is.
func optionName(f *pflag.Flag) string {
	name := "--" + f.Name
	if f.Shorthand != "" {
		name = "-" + f.Shorthand + ", " + name
	}
	if value, _ := pflag.UnquoteUsage(f); value != "" {
		name += " " + value
	}
	return name
}

func optionText(f *pflag.Flag) string {
	_, text := pflag.UnquoteUsage(f)
	if f.DefValue != "" && f.DefValue != "false" && f.DefValue != "[]" && f.DefValue != "0" {
		text += fmt.Sprintf(" (default: %s)", f.DefValue)
	}
	return strings.ReplaceAll(text, "|", "\\|")
}

// parts are the prose of a help text and the examples in it, which are indented. Prose behind the examples
// follows the other prose.
func parts(long string) (prose, examples string) {
	var text, lines []string
	for _, line := range strings.Split(long, "\n") {
		if strings.HasPrefix(line, "  ") {
			lines = append(lines, strings.TrimSpace(line))
			continue
		}
		text = append(text, line)
	}
	for strings.Contains(strings.Join(text, "\n"), "\n\n\n") {
		text = strings.Split(strings.ReplaceAll(strings.Join(text, "\n"), "\n\n\n", "\n\n"), "\n")
	}
	return strings.TrimSpace(strings.Join(text, "\n")), strings.Join(lines, "\n")
}

// Rolltop-collect inventories the machine it runs on. It only reads, leaves
// nothing behind, and sends only what it is told to send where it is told.
package main

import (
	"context"
	"crypto/ed25519"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"os/signal"
	"path/filepath"
	"runtime"
	"strings"
	"syscall"
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/pattern"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/build"
	"rolltop.example/rolltop/internal/client"
	"rolltop.example/rolltop/internal/collect"
	"rolltop.example/rolltop/internal/machinekey"
	"rolltop.example/rolltop/internal/safefile"
)

// Exit statuses, as those of rolltop check.
const (
	exitFailed       = 1
	exitUsage        = 2
	exitNotReady     = 10
	exitUndetermined = 11
)

// keyPath is where the machine's key is; tests have another place.
var keyPath = machinekey.DefaultPath()

// patience with a service that does not answer; tests have less.
var patience = client.Collector

type options struct {
	out, release, server, token, tokenFile, pin, root string
	saveCapture, fromCapture, redactKey, key          string
	software                                          string
	format                                            string
	redact, explain, version, noKey, quiet, attest    bool
	mustAttest                                        bool // --attest was given
}

func main() {
	if collect.Probe() {
		return
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	ctx, cancel := context.WithTimeout(ctx, longestRun)
	defer cancel()
	done := make(chan int, 1)
	go func() { done <- run(ctx, os.Args[1:], os.Stdout, os.Stderr) }()
	os.Exit(result(ctx, done, os.Stderr))
}

// longestRun is the limit of a whole run, sending included. A run takes a second or two.
const longestRun = 5 * time.Minute

// result waits for a run, and not longer than it may take. A reading that the system does
// not give back must not keep this program from ending: files are whole or not there, so it
// may end at any time.
func result(ctx context.Context, done <-chan int, errOut io.Writer) int {
	select {
	case code := <-done:
		return code
	case <-ctx.Done():
	}
	select {
	case code := <-done: // it heard of that itself
		return code
	case <-time.After(time.Second):
	}
	why := "it was interrupted"
	if errors.Is(ctx.Err(), context.DeadlineExceeded) {
		why = fmt.Sprintf("it took longer than %d minutes", int(longestRun.Minutes()))
	}
	fmt.Fprintf(errOut, "rolltop-collect: stopped, because %s\n", why)
	return exitFailed
}

func run(ctx context.Context, args []string, out, errOut io.Writer) int {
	var o options
	fs := flag.NewFlagSet("rolltop-collect", flag.ContinueOnError)
	fs.SetOutput(io.Discard) // mistakes are said in our words
	o.bind(fs)
	switch err := fs.Parse(args); {
	case errors.Is(err, flag.ErrHelp):
		help(out, fs)
		return 0
	case err != nil:
		fmt.Fprintf(errOut, "rolltop-collect: %s; see rolltop-collect --help\n", optionMistake(err))
		return exitUsage
	case fs.NArg() > 0:
		fmt.Fprintf(errOut, "rolltop-collect: unexpected argument %q; only options are accepted\n", fs.Arg(0))
		return exitUsage
	case o.version:
		fmt.Fprintf(
			out,
			"rolltop-collect %s (%s, %s/%s)\n",
			build.Version,
			runtime.Version(),
			runtime.GOOS,
			runtime.GOARCH,
		)
		return 0
	case o.explain:
		explain(out)
		return 0
	}
	fs.Visit(func(f *flag.Flag) { o.mustAttest = o.mustAttest || f.Name == "attest" && o.attest })
	if err := o.mistake(); err != nil {
		fmt.Fprintf(errOut, "rolltop-collect: %v\n", err)
		return exitUsage
	}
	code, err := work(ctx, &o, out, errOut)
	if err != nil {
		fmt.Fprintf(errOut, "rolltop-collect: %v\n", err)
	}
	return code
}

// optionMistake says what the reader of options found, in words that name the option as it is
// written in the help.
func optionMistake(err error) string {
	text := err.Error()
	_, name, _ := strings.Cut(text, ": -")
	switch {
	case strings.HasPrefix(text, "flag provided but not defined"):
		return "there is no option --" + name
	case strings.HasPrefix(text, "flag needs an argument"):
		return "--" + name + " has no value"
	}
	if m := wrongValue().FindStringSubmatch(text); m != nil {
		return fmt.Sprintf("--%s %q is not a valid value", m[2], m[1])
	}
	return "an option has a value that is not valid"
}

// wrongValue is what the reader of options says of a value.
var wrongValue = pattern.Of(`^invalid (?:boolean )?value "(.*)" for (?:flag )?-(\S+):`)

func work(ctx context.Context, o *options, out, errOut io.Writer) (int, error) {
	rel, err := readRelease(o.release)
	if err == nil && o.server != "" {
		_, err = dial(o) // a token that cannot be read is said before the machine is read
	}
	if err != nil {
		return exitFailed, err
	}
	o.software = titlesFor(ctx, o, rel)
	notes := errOut
	if o.quiet {
		notes = io.Discard
	}
	beforehand(o, notes)
	slow := time.AfterFunc(time.Second, func() {
		fmt.Fprintln(notes, "Still reading. Sources that do not respond within a few seconds are skipped.")
	})
	d, err := gather(o, notes)
	slow.Stop()
	if err != nil {
		return exitFailed, err
	}
	var body []byte
	printed := o.out == "-" || o.out == "" && o.format == "json" && rel == nil // the inventory, on standard output
	if o.out != "" || o.server != "" || printed {                              // nobody takes another document
		if body, err = json.MarshalIndent(d, "", "  "); err != nil {
			return exitFailed, err
		}
	}
	switch {
	case printed:
		fmt.Fprintf(out, "%s\n", body)
	case o.out == "":
		if rel == nil && o.saveCapture == "" && !o.quiet {
			summary(out, d)
		}
	default:
		if err := safefile.Write(o.out, append(body, '\n')); err != nil {
			return exitFailed, fmt.Errorf("the inventory cannot be written: %w", err)
		}
	}
	if o.server != "" {
		if err := send(ctx, o, body, out, errOut); err != nil {
			return exitFailed, err
		}
	}
	if rel == nil {
		return 0, nil
	}
	return checked(rel, d, out, o)
}

// titlesFor are the titles to read: those asked for, or else those that matter
// to the release or the service. A service that does not answer is tried again
// when the inventory is sent.
func titlesFor(ctx context.Context, o *options, rel *release.Release) string {
	switch {
	case strings.EqualFold(o.software, "none"):
		return ""
	case o.software != "" || o.fromCapture != "":
		return o.software
	case rel != nil:
		return strings.Join(rel.Titles(), ",")
	case o.server == "":
		return ""
	}
	c, err := dial(o)
	if err != nil {
		return ""
	}
	t, err := c.Titles(ctx)
	if err != nil {
		return ""
	}
	return strings.Join(namesOnly(t.Titles), ",")
}

// namesOnly are the titles that a service asks for: names, and not the words that read
// everything, whatever it answers.
func namesOnly(titles []string) []string {
	var out []string
	for _, title := range titles {
		if title != "" && !strings.EqualFold(title, "all") && !strings.EqualFold(title, "none") &&
			!strings.Contains(title, ",") {
			out = append(out, title)
		}
	}
	return out[:min(len(out), inventory.MaxRows)]
}

// readInput reads a file, - being standard input, up to a size.
func readInput(path string, most int64) ([]byte, error) {
	from := io.Reader(os.Stdin)
	if path != "-" {
		f, err := os.Open(path)
		if err != nil {
			return nil, err
		}
		defer f.Close()
		from = f
	}
	return io.ReadAll(io.LimitReader(from, most))
}

func readRelease(path string) (*release.Release, error) {
	if path == "" {
		return nil, nil
	}
	src, err := readInput(path, doc.MaxBytes+1)
	if err != nil {
		return nil, fmt.Errorf("the release document cannot be read: %w", err)
	}
	return release.Read(path, src, func(name string) ([]byte, error) {
		return os.ReadFile(filepath.Join(filepath.Dir(path), name))
	})
}

func summary(out io.Writer, d *inventory.Document) {
	for _, l := range say.Overview(d) {
		value := l.Value
		if value == "" {
			value = "unknown"
			if len(l.Unknown) > 0 {
				value += ": " + l.Unknown[0].Why
			}
		}
		fmt.Fprintf(out, "%-14s%s\n", l.Label, value)
	}
}

// dial is the client of the service that the options name.
func dial(o *options) (*client.Client, error) {
	token := o.token
	switch { // the command line counts more than the environment
	case o.tokenFile != "":
		b, err := readInput(o.tokenFile, 4096)
		if err != nil {
			return nil, fmt.Errorf("the token cannot be read: %w", err)
		}
		token = strings.TrimSpace(string(b))
		o.token, o.tokenFile = token, "" // standard input is read once
	case token == "":
		token = os.Getenv("ROLLTOP_TOKEN")
	}
	c, err := client.New(o.server, token)
	if err != nil {
		return nil, err
	}
	c.Patience = client.Backoff{} // sending has a patience of its own
	if o.pin != "" {
		err = c.Pin(o.pin)
	}
	return c, err
}

func send(ctx context.Context, o *options, body []byte, out, errOut io.Writer) error {
	c, err := dial(o)
	if err != nil {
		return err
	}
	if open := c.InTheOpen(); open != "" {
		fmt.Fprintf(errOut, "Warning: %s.\n", open)
	}
	key := signingKey(o, errOut)
	var s api.Submitted
	err = patience.Try(ctx, func() (err error) {
		s, err = c.SubmitSigned(ctx, body, key) // with a signature of its own each time
		return err
	})
	if err != nil {
		return err
	}
	if o.out != "-" && o.format != "json" && !o.quiet {
		fmt.Fprintf(out, "Sent to %s as %s.\n", o.server, inventory.Clean(s.Machine))
		if s.Beside {
			fmt.Fprintf(out, "It changes nothing until somebody reviews it. %s\n", inventory.Clean(s.Note))
		}
	}
	return prove(ctx, o, c, key, s.Attest, out, errOut)
}

// signingKey is the key of this machine; nil where what is sent is not of this machine, or
// not read with the rights to keep one.
func signingKey(o *options, errOut io.Writer) ed25519.PrivateKey {
	if o.noKey || o.root != "" || o.fromCapture != "" || o.redact || !collect.Elevated() {
		return nil
	}
	key, err := machinekey.Load(o.key)
	if err != nil {
		fmt.Fprintf(errOut, "rolltop-collect: the inventory could not be signed: %v\n", err)
		return nil
	}
	return key
}

func checked(rel *release.Release, d *inventory.Document, out io.Writer, o *options) (int, error) {
	a, err := assess.Run(rel, d)
	if err != nil {
		if wrong := new(check.WrongClass); errors.As(err, &wrong) {
			return exitUsage, err
		}
		return exitFailed, err
	}
	c := a.Document(time.Now(), build.Version)
	switch {
	case o.out == "-": // with the inventory on standard output, nothing else is
	case o.format == "json":
		text, err := json.MarshalIndent(c, "", "  ")
		if err != nil {
			return exitFailed, err
		}
		fmt.Fprintf(out, "%s\n", text)
	case !o.quiet:
		fmt.Fprintf(out, "%s against %s: %s\n", say.Capital(c.Disposition), c.Release.Name, c.Answer)
		for _, f := range c.Findings {
			if f.Level == release.Must && f.Outcome != "pass" && f.Outcome != "not-applicable" {
				fmt.Fprintf(out, "  %s: has %s, needs %s. %s\n", f.Title, f.Has, f.Needs, f.Reason)
			}
		}
	}
	switch c.Disposition {
	case "ready", "done":
		return 0, nil
	case "undetermined":
		return exitUndetermined, nil
	}
	return exitNotReady, nil
}

package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/decode"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/core/manual"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/spec"
	"rolltop.example/rolltop/internal/collect"
)

// checkOptions are what is checked, against what, and how that is printed.
type checkOptions struct {
	Release   []string `option:"release" usage:"release document (file), or the id of a release of the service; for machines of the service: their target, if omitted (repeatable)" complete:"release"`
	Inventory []string `option:"inventory" usage:"inventory or capture file to check instead of this machine (repeatable; -: standard input)" complete:"file"`
	Spec      []string `option:"spec" usage:"specification of a planned machine (YAML), to check instead of this machine (repeatable)" complete:"file"`
	Fact      []string `option:"fact" usage:"fact entered by hand, such as processor.built_in_tpm=true; it fills a gap and never replaces a reading silently (repeatable)" complete:"FACT=VALUE"`
	Since     string   `option:"since" usage:"earlier inventory or capture of the same machine; shows which steps of its plan worked since, and what is left" complete:"file"`
	Verbose   bool     `option:"verbose,v" usage:"print the whole plan and every finding with its evidence"`
	Format    string   `option:"format" forms:"text,json,ndjson,csv,html,markdown,eml"`
	knowledgeFiles
	reportOptions
	output
	serviceOptions
}

func checkCommand() *cobra.Command {
	return with(command("check [MACHINE…] [--release FILE|ID…] [--inventory FILE… | --spec FILE…]",
		"Check this machine, inventory files, machines of the service or a planned purchase against releases",
		func(c *call[checkOptions]) error { return runCheck(c, false) }), "check")
}

// planCommand is a check of which only the plan is printed, in full.
func planCommand() *cobra.Command {
	return with(command("plan [MACHINE…] [--release FILE|ID] [--inventory FILE… | --spec FILE…]",
		"Print the plan of this machine, of inventory files or of machines of the service, step by step",
		func(c *call[checkOptions]) error { return runCheck(c, true) }), "plan")
}

// subject is a machine to check, with where it comes from.
type subject struct {
	file    string // "" is this machine
	spec    bool
	machine string // of the service
}

func (o *checkOptions) subjects(machines []string) []subject {
	var out []subject
	for _, m := range machines {
		out = append(out, subject{machine: m})
	}
	for _, f := range o.Inventory {
		out = append(out, subject{file: f})
	}
	for _, f := range o.Spec {
		out = append(out, subject{file: f, spec: true})
	}
	if len(out) == 0 {
		out = append(out, subject{})
	}
	return out
}

// checking is one run of check or plan.
type checking struct {
	*call[checkOptions]
	form   string
	rels   []*release.Release
	newest map[string]int
	base   *knowledge.Base
	hand   []manual.Fact
	paper  *sheaf
	since  *earlier
	groups [][]*assess.Document // of each machine, one for each release
	result int
}

func runCheck(c *call[checkOptions], plan bool) error {
	k := &checking{call: c, result: ExitReady}
	if err := k.prepare(); err != nil {
		return err
	}
	for _, one := range c.o.subjects(c.args) {
		if err := k.check(one); err != nil {
			return err
		}
	}
	var err error
	switch {
	case k.since != nil: // it is printed
	case plan && k.form == "text":
		printPlans(c.place.paper(), k.groups)
	case k.paper != nil:
		err = k.paper.write(c.out())
	default:
		err = printChecks(c.place, k.form, k.groups, c.o.Verbose)
	}
	if err == nil && k.result != ExitReady {
		err = status(k.result)
	}
	return err
}

// prepare reads what machines are checked against.
func (k *checking) prepare() (err error) {
	c := k.call
	if k.form, err = format(c.cmd); err != nil {
		return err
	}
	if k.paper, err = sheafOf(c.place, &c.o.reportOptions, k.form); err != nil {
		return err
	}
	names := slices.Clone(c.o.Release)
	if len(names) == 0 && len(c.args) == 0 {
		return wrongUsage("the release is missing; give --release FILE, or --release ID with --server")
	}
	fromService := len(c.args) > 0
	for _, name := range names {
		fromService = fromService || !isFile(name)
		rel, err := findRelease(c.cmd, name)
		if err != nil {
			return err
		}
		k.rels = append(k.rels, rel)
	}
	if k.base, err = c.o.base(c.cmd, fromService); err != nil {
		return err
	}
	if k.newest, err = newestOf(c.cmd, names, k.rels); err != nil {
		return err
	}
	if k.hand, err = handFacts(c.o.Fact); err != nil {
		return err
	}
	k.since, err = earlierOf(c.place, c.o.Since, k.form, k.base, k.rels, c.o.subjects(c.args), k.hand)
	return err
}

// fail says what is wrong with one machine; others are checked all the same.
func (k *checking) fail(err error) {
	fmt.Fprintf(k.errOut(), "rolltop: %v\n", err)
	code := ExitFailed
	if wrong := new(check.WrongClass); errors.As(err, &wrong) {
		code = ExitUsage
	}
	k.result = worse(k.result, code)
}

// check checks one machine against every release.
func (k *checking) check(one subject) error {
	inv, hand, rels, err := k.read(one)
	if err != nil {
		k.fail(err)
		return nil
	}
	inv, left := manual.Enter(inv, append(slices.Clone(k.hand), hand...))
	for _, err := range left {
		k.fail(err)
	}
	var docs []*assess.Document
	for _, rel := range rels {
		d, err := checked(k.base, rel, inv)
		if err != nil {
			k.fail(err)
			continue
		}
		d.Superseded(k.newest[rel.ID])
		docs = append(docs, d)
		k.paper.add(d, inv)
		if k.since != nil {
			if err := k.since.print(k.place, k.form, inv, d); err != nil {
				return usage{err}
			}
		}
		k.result = worse(k.result, exitOf(d.Disposition))
	}
	if docs != nil {
		k.groups = append(k.groups, docs)
	}
	return nil
}

// read is the inventory of a machine, what was entered for it by hand at the service, and the releases that
// it is checked against.
func (k *checking) read(one subject) (*inventory.Document, []manual.Fact, []*release.Release, error) {
	if one.machine == "" {
		inv, err := one.read(k.cmd, k.rels)
		return inv, nil, k.rels, err
	}
	s, err := k.client()
	if err != nil {
		return nil, nil, nil, err
	}
	m, err := s.Machine(k.ctx(), one.machine)
	if err != nil {
		return nil, nil, nil, err
	}
	text, err := s.ProvenInventory(k.ctx(), m.Key)
	if err != nil {
		return nil, nil, nil, err
	}
	inv, err := inventory.Read(m.Name, text)
	if err != nil {
		return nil, nil, nil, err
	}
	var hand []manual.Fact
	for _, h := range m.Hand {
		if h.Problem == "" {
			hand = append(hand, h.Fact)
		}
	}
	if len(k.rels) > 0 {
		return inv, hand, k.rels, nil
	}
	target, err := s.Targets(k.ctx())
	if err != nil {
		return nil, nil, nil, err
	}
	id := map[string]string{"pc": target.PC, "mac": target.Mac}[m.Class]
	if id == "" {
		return nil, nil, nil, fmt.Errorf(
			"%s: the service has no target for its class of hardware; give --release",
			m.Name,
		)
	}
	rel, err := findRelease(k.cmd, id)
	return inv, hand, []*release.Release{rel}, err
}

// handFacts are the facts of --fact.
func handFacts(texts []string) ([]manual.Fact, error) {
	var out []manual.Fact
	for _, t := range texts {
		name, value, ok := strings.Cut(t, "=")
		if !ok {
			return nil, wrongUsage("--fact %q has no value; write it as processor.built_in_tpm=true", t)
		}
		f := manual.Fact{Fact: name, Value: value, At: time.Now(), Note: "on the command line"}
		if err := f.Check(); err != nil {
			return nil, wrongUsage("--fact %s: %v", t, err)
		}
		out = append(out, f)
	}
	return out, nil
}

// read is the inventory of the machine. This machine is asked for the titles
// that the releases know.
func (s subject) read(cmd *cobra.Command, rels []*release.Release) (*inventory.Document, error) {
	if s.file == "" {
		var titles []string
		for _, rel := range rels {
			titles = append(titles, rel.Titles()...)
		}
		return collect.Machine(collect.Options{Software: strings.Join(titles, ",")})
	}
	src, err := readFile(cmd, s.file)
	if err != nil {
		return nil, err
	}
	if s.spec {
		return spec.Read(s.file, src, time.Now())
	}
	return decode.Read(s.file, src)
}

// readRelease reads a release document with the files beside it.
func readRelease(cmd *cobra.Command, path string) (*release.Release, error) {
	src, err := readFile(cmd, path)
	if err != nil {
		return nil, err
	}
	return release.Read(path, src, beside(cmd, path))
}

// beside reads files in the directory of a document.
func beside(cmd *cobra.Command, path string) release.Files {
	return func(name string) ([]byte, error) { return readFile(cmd, filepath.Join(filepath.Dir(path), name)) }
}

// findRelease reads the release document that a name is of: a file, or one that
// the service has, as ID or ID@REVISION.
func findRelease(cmd *cobra.Command, name string) (*release.Release, error) {
	id, revision := splitRevision(name)
	if part, text, ok := strings.Cut(name, "@"); ok && release.ValidID(part) && revision == 0 && !isThere(name) {
		return nil, wrongUsage("%q is not a revision; write a number after the @, such as %s@4", text, part)
	}
	if isFile(name) {
		return readRelease(cmd, name)
	}
	if !serviceKnown(cmd) {
		return nil, fmt.Errorf("the file %s does not exist; to use a release of a service by its id, give --server",
			name)
	}
	c, err := clientOf(cmd)
	if err != nil {
		return nil, err
	}
	src, err := c.ReleaseDocument(contextOf(cmd), id, revision)
	if err != nil {
		return nil, err
	}
	return release.Read(name, src, nil)
}

// newestOf is the highest revision that is known of each release: of those that are
// checked against, and of the service's where one of its earlier revisions was asked for.
func newestOf(cmd *cobra.Command, names []string, rels []*release.Release) (map[string]int, error) {
	out := map[string]int{}
	for i, rel := range rels {
		out[rel.ID] = max(out[rel.ID], rel.Revision)
		id, revision := splitRevision(names[i])
		if revision == 0 || isFile(names[i]) {
			continue
		}
		latest, err := findRelease(cmd, id)
		if err != nil {
			return nil, err
		}
		out[rel.ID] = max(out[rel.ID], latest.Revision)
	}
	return out, nil
}

func isThere(name string) bool {
	_, err := os.Stat(name)
	return err == nil
}

// isFile says whether a name is that of a file, and not the id of a release that
// a service has.
func isFile(name string) bool {
	id, _ := splitRevision(name)
	_, err := os.Stat(name)
	return err == nil || name == "-" || !release.ValidID(id)
}

// splitRevision parts skerry-12@4.
func splitRevision(name string) (id string, revision int) {
	id, text, ok := strings.Cut(name, "@")
	if !ok {
		return name, 0
	}
	revision, err := strconv.Atoi(text)
	if err != nil || revision < 1 {
		return name, 0
	}
	return id, revision
}

func contextOf(cmd *cobra.Command) context.Context {
	if ctx := cmd.Context(); ctx != nil {
		return ctx
	}
	return context.Background()
}

func exitOf(disposition string) int {
	switch disposition {
	case "ready", "done":
		return ExitReady
	case "undetermined":
		return ExitUndetermined
	}
	return ExitNotReady
}

// worse keeps the status that wins over several machines: 1 and 2, then 10,
// then 11, then 0.
func worse(a, b int) int {
	rank := map[int]int{ExitReady: 0, ExitUndetermined: 1, ExitNotReady: 2, ExitUsage: 3, ExitFailed: 4}
	if rank[b] > rank[a] {
		return b
	}
	return a
}

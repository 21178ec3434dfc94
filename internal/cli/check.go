package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/decode"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/manual"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/spec"
	"rolltop.example/rolltop/internal/collect"
)

func checkCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "check --release FILE|ID… [--inventory FILE… | --spec FILE…]",
		Short: "Check this machine, inventory files or a planned purchase against releases",
		Long:  help("check"),
		Args:  cobra.NoArgs,
		RunE:  runCheck,
	}
	cmd.Flags().StringArray("release", nil,
		"release document (file), or the id of a release of the service (repeatable)")
	cmd.Flags().StringArray("inventory", nil,
		"inventory or capture file to check instead of this machine (repeatable; -: standard input)")
	cmd.Flags().StringArray("spec", nil, "specification of a planned machine (YAML), to check instead of this "+
		"machine (repeatable)")
	cmd.Flags().StringArray("fact", nil,
		"fact entered by hand, such as processor.built_in_tpm=true; it fills a gap and never replaces a reading "+
			"silently (repeatable)")
	cmd.Flags().String("since", "",
		"earlier inventory or capture of the same machine; shows which steps of its plan worked since, and what is "+
			"left")
	cmd.Flags().BoolP("verbose", "v", false, "print the whole plan and every finding with its evidence")
	formatFlag(cmd, "text", "json", "csv", "html", "markdown", "eml")
	knowledgeFlag(cmd)
	reportFlags(cmd)
	serviceFlags(cmd)
	return cmd
}

// planCommand is a check of which only the plan is printed, in full.
func planCommand() *cobra.Command {
	cmd := checkCommand()
	cmd.Use = "plan --release FILE|ID [--inventory FILE… | --spec FILE…]"
	cmd.Short = "Print the plan of this machine or of inventory files, step by step"
	cmd.Long = "Prints the plan that a check comes to, with everything that whoever does it needs:\nwhat to do, " +
		"where the setting stands, cautions, parts, the way back, and how to see\nthat each step worked.\n\n  " +
		"rolltop plan --release skerry-12.yaml --inventory gull-014.json\n  rolltop plan --release skerry-12.yaml " +
		"--knowledge guides.yaml\n  rolltop check --release skerry-12.yaml --format html --for visit --output " +
		"visit.html\n\nThe last one is a page for one visit. Exit status: as of a check."
	return cmd
}

// subject is a machine to check, with where it comes from.
type subject struct {
	file string // "" is this machine
	spec bool
}

func subjects(cmd *cobra.Command) []subject {
	files, _ := cmd.Flags().GetStringArray("inventory")
	specs, _ := cmd.Flags().GetStringArray("spec")
	var out []subject
	for _, f := range files {
		out = append(out, subject{f, false})
	}
	for _, f := range specs {
		out = append(out, subject{f, true})
	}
	if len(out) == 0 {
		out = append(out, subject{})
	}
	return out
}

func runCheck(cmd *cobra.Command, _ []string) error {
	form, err := format(cmd)
	if err != nil {
		return err
	}
	paper, err := reportOf(cmd, form)
	if err != nil {
		return err
	}
	names, _ := cmd.Flags().GetStringArray("release")
	if len(names) == 0 {
		return wrongUsage("the release is missing; give --release FILE, or --release ID with --server")
	}
	var rels []*release.Release
	fromService := false
	for _, name := range names {
		fromService = fromService || !isFile(name)
		rel, err := findRelease(cmd, name)
		if err != nil {
			return err
		}
		rels = append(rels, rel)
	}
	m, err := knowledgeOf(cmd, fromService)
	if err != nil {
		return err
	}
	newest, err := newestOf(cmd, names, rels)
	if err != nil {
		return err
	}
	hand, err := handFacts(cmd)
	if err != nil {
		return err
	}
	list := subjects(cmd)
	before, err := earlierOf(cmd, form, m, rels, list, hand)
	if err != nil {
		return err
	}
	var groups [][]*assess.Document // of each machine, one for each release
	result := ExitReady
	fail := func(err error) {
		fmt.Fprintf(cmd.ErrOrStderr(), "rolltop: %v\n", err)
		code := ExitFailed
		if wrong := new(check.WrongClass); errors.As(err, &wrong) {
			code = ExitUsage
		}
		result = worse(result, code)
	}
	for _, one := range list {
		inv, err := one.read(rels)
		if err != nil {
			fail(err)
			continue
		}
		inv, left := manual.Enter(inv, hand)
		for _, err := range left {
			fail(err)
		}
		var docs []*assess.Document
		for _, rel := range rels {
			d, err := checked(m, rel, inv)
			if err != nil {
				fail(err)
				continue
			}
			d.Superseded(newest[rel.ID])
			docs = append(docs, d)
			paper.add(d, inv)
			if before != nil {
				if err := before.print(cmd, form, inv, d); err != nil {
					return usage{err}
				}
			}
			result = worse(result, exitOf(d.Disposition))
		}
		if docs != nil {
			groups = append(groups, docs)
		}
	}
	all, _ := cmd.Flags().GetBool("verbose")
	switch {
	case before != nil: // it is printed
	case cmd.Name() == "plan" && form == "text":
		printPlans(newPaper(cmd.OutOrStdout()), groups)
	case paper != nil:
		err = paper.write(cmd)
	default:
		err = printChecks(cmd, form, groups, all)
	}
	if err != nil {
		return err
	}
	if result != ExitReady {
		return status(result)
	}
	return nil
}

// handFacts are the facts of --fact.
func handFacts(cmd *cobra.Command) ([]manual.Fact, error) {
	texts, _ := cmd.Flags().GetStringArray("fact")
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
func (s subject) read(rels []*release.Release) (*inventory.Document, error) {
	if s.file == "" {
		var titles []string
		for _, rel := range rels {
			titles = append(titles, rel.Titles()...)
		}
		return collect.Machine(collect.Options{Software: strings.Join(titles, ",")})
	}
	src, err := readFile(s.file)
	if err != nil {
		return nil, err
	}
	if s.spec {
		return spec.Read(s.file, src, time.Now())
	}
	return decode.Read(s.file, src)
}

// readRelease reads a release document with the files beside it.
func readRelease(path string) (*release.Release, error) {
	src, err := readFile(path)
	if err != nil {
		return nil, err
	}
	return release.Read(path, src, beside(path))
}

// beside reads files in the directory of a document.
func beside(path string) release.Files {
	return func(name string) ([]byte, error) { return readFile(filepath.Join(filepath.Dir(path), name)) }
}

// findRelease reads the release document that a name is of: a file, or one that
// the service has, as ID or ID@REVISION.
func findRelease(cmd *cobra.Command, name string) (*release.Release, error) {
	id, revision := splitRevision(name)
	if part, text, ok := strings.Cut(name, "@"); ok && release.ValidID(part) && revision == 0 && !isThere(name) {
		return nil, wrongUsage("%q is not a revision; write a number after the @, such as %s@4", text, part)
	}
	if isFile(name) {
		return readRelease(name)
	}
	if server, _ := cmd.Flags().GetString("server"); server == "" {
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

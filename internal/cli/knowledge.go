package cli

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
)

func knowledgeFlag(cmd *cobra.Command) {
	cmd.Flags().StringArray("knowledge", nil,
		"file with your own steps, firmware guides or prices (repeatable)")
}

// knowledgeOf reads what plans are made with: the files of --knowledge; what the service has
// in force, if a release comes from it; otherwise what the program ships.
func knowledgeOf(cmd *cobra.Command, fromService bool) (*knowledge.Base, error) {
	files, _ := cmd.Flags().GetStringArray("knowledge")
	var docs []knowledge.Document
	for _, f := range files {
		src, err := readFile(f)
		if err != nil {
			return nil, err
		}
		docs = append(docs, knowledge.Document{Name: f, Text: src})
	}
	if docs == nil && fromService {
		c, err := clientOf(cmd)
		if err != nil {
			return nil, err
		}
		for _, kind := range knowledge.Kinds() {
			h, err := c.Knowledge(contextOf(cmd), kind)
			if err != nil {
				return nil, err
			}
			if h.Own {
				docs = append(docs, knowledge.Document{Name: kind, Text: []byte(h.Text)})
			}
		}
	}
	return knowledge.Read(docs...)
}

// knowledgeCommands are the commands of each kind of knowledge: steps, guides and prices.
func knowledgeCommands() []*cobra.Command {
	steps := knowledgeCommand(knowledge.Steps, "Your own steps, which plans are made of")
	add := &cobra.Command{
		Use:   "new REQUIREMENT…",
		Short: "Print the start of a step that settles requirements",
		Args:  cobra.MinimumNArgs(1),
		RunE:  newStep,
		Long:  help("steps-new"),
	}
	add.Flags().String("release", "", "release with the requirements: a file, or the id of a release of the service")
	serviceFlags(add)
	steps.AddCommand(add)
	return []*cobra.Command{
		steps,
		knowledgeCommand(knowledge.Guides, "Your own firmware guides, by maker and model of the board"),
		knowledgeCommand(knowledge.Prices, "Your own prices of parts and machines"),
	}
}

func knowledgeCommand(kind, short string) *cobra.Command {
	cmd := &cobra.Command{
		Use:   kind,
		Short: short + ": get, set, remove, validate",
		Args:  cobra.NoArgs,
		RunE:  func(cmd *cobra.Command, _ []string) error { return listKnowledge(cmd, kind) },
		Long:  help("knowledge"),
	}
	formatFlag(cmd, "text", "json")
	serviceFlags(cmd)
	get := &cobra.Command{
		Use:   "get",
		Short: "Print the " + kind + " in force; without a service, what the program ships",
		Args:  cobra.NoArgs,
		RunE:  func(cmd *cobra.Command, _ []string) error { return getKnowledge(cmd, kind) },
	}
	get.Flags().Bool("shipped", false, "print what the program ships, or an example to start from")
	serviceFlags(get)
	validate := &cobra.Command{
		Use:   "validate FILE…",
		Short: "Validate documents and list all mistakes",
		Args:  cobra.MinimumNArgs(1),
		RunE:  func(cmd *cobra.Command, args []string) error { return validateKnowledge(cmd, kind, args) },
	}
	set := &cobra.Command{
		Use:   "set FILE",
		Short: "Put " + kind + " of your own in force at the service; the earlier document is kept",
		Args:  cobra.ExactArgs(1),
		RunE:  func(cmd *cobra.Command, args []string) error { return setKnowledge(cmd, kind, args[0]) },
	}
	serviceFlags(set)
	remove := &cobra.Command{
		Use:   "remove",
		Short: "Return to the " + kind + " that the program ships",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			if _, err := c.RemoveKnowledge(contextOf(cmd), kind); err != nil {
				return err
			}
			fmt.Fprintf(cmd.OutOrStdout(), "The %s of the program are in force; yours are kept in the history.\n", kind)
			return nil
		},
	}
	serviceFlags(remove)
	cmd.AddCommand(get, validate, set, remove)
	return cmd
}

// newStep prints the start of own steps for requirements of a release.
func newStep(cmd *cobra.Command, args []string) error {
	name, _ := cmd.Flags().GetString("release")
	if name == "" {
		return wrongUsage("the release is missing; give --release skerry-12.yaml")
	}
	rel, err := findRelease(cmd, name)
	if err != nil {
		return err
	}
	var list []*release.Requirement
	for _, id := range args {
		q := rel.Requirement(id)
		if q == nil {
			ids := make([]string, len(rel.Requirements))
			for i := range rel.Requirements {
				ids[i] = rel.Requirements[i].ID
			}
			return wrongUsage("%s has no requirement %q; %s", rel.Name, id,
				cmp.Or(doc.Suggest(id, ids), "it has "+strings.Join(ids, ", ")))
		}
		if !say.Changeable(q) {
			return wrongUsage("%s: nothing on a machine can change what this requirement reads, so no step settles "+
				"it; waive it, or let the machine stay or be replaced", id)
		}
		list = append(list, q)
	}
	fmt.Fprint(cmd.OutOrStdout(), say.OwnStep(list))
	return nil
}

func listKnowledge(cmd *cobra.Command, kind string) error {
	form, c, err := asked(cmd)
	if err != nil {
		return err
	}
	l, err := c.AllKnowledge(contextOf(cmd))
	if err != nil {
		return err
	}
	if form == "json" {
		return printJSON(cmd.OutOrStdout(), l.Documents[slices.IndexFunc(l.Documents,
			func(h api.Knowledge) bool { return h.Kind == kind })])
	}
	for _, h := range l.Documents {
		switch {
		case h.Kind != kind:
		case h.Own:
			fmt.Fprintf(cmd.OutOrStdout(), "Your own %s are in force: number %d, added on %s by %s.\n", kind, h.Number,
				say.Day(*h.AddedAt), h.AddedBy)
		case kind == knowledge.Prices:
			fmt.Fprintln(cmd.OutOrStdout(), "No prices are in force.")
		default:
			fmt.Fprintf(cmd.OutOrStdout(), "The %s that the program ships are in force.\n", kind)
		}
	}
	return nil
}

func getKnowledge(cmd *cobra.Command, kind string) error {
	shipped, _ := cmd.Flags().GetBool("shipped")
	address, _ := cmd.Flags().GetString("server")
	text := knowledge.ShippedText(kind)
	if !shipped && address != "" {
		c, err := clientOf(cmd)
		if err != nil {
			return err
		}
		h, err := c.Knowledge(contextOf(cmd), kind)
		if err != nil {
			return err
		}
		if h.Own {
			text = []byte(h.Text)
		}
	}
	_, err := cmd.OutOrStdout().Write(text)
	return err
}

func validateKnowledge(cmd *cobra.Command, kind string, files []string) error {
	failed := false
	for _, path := range files {
		if _, err := readKnowledge(kind, path); err != nil {
			failed = true
			fmt.Fprintln(cmd.ErrOrStderr(), err)
			continue
		}
		fmt.Fprintf(cmd.OutOrStdout(), "%s: valid.\n", path)
	}
	if failed {
		return status(ExitFailed)
	}
	return nil
}

// readKnowledge reads and validates a document of one kind.
func readKnowledge(kind, path string) ([]byte, error) {
	src, err := readFile(path)
	if err != nil {
		return nil, err
	}
	one := knowledge.Document{Name: path, Text: src}
	is, err := knowledge.Kind(one)
	if err != nil {
		return nil, err
	}
	if is != kind {
		return nil, wrongUsage("%s has %s; use rolltop %s", path, is, is)
	}
	_, err = knowledge.Read(one)
	return src, err
}

func setKnowledge(cmd *cobra.Command, kind, path string) error {
	src, err := readKnowledge(kind, path)
	if err != nil {
		return err // with the name of the file
	}
	c, err := clientOf(cmd)
	if err != nil {
		return err
	}
	h, err := c.SetKnowledge(contextOf(cmd), kind, src)
	if err != nil {
		return err
	}
	fmt.Fprintf(cmd.OutOrStdout(), "Your %s are in force (number %d).\n", kind, h.Number)
	return nil
}

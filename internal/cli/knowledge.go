package cli

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
)

// knowledgeFiles are the options of a command that makes plans.
type knowledgeFiles struct {
	Knowledge []string `option:"knowledge" usage:"file with your own steps, firmware guides or prices (repeatable)" complete:"file"`
}

// base reads what plans are made with: the files of --knowledge; what the service has in force, if a release
// or a machine comes from it; otherwise what the program ships.
func (k *knowledgeFiles) base(cmd *cobra.Command, fromService bool) (*knowledge.Base, error) {
	var docs []knowledge.Document
	for _, f := range k.Knowledge {
		src, err := readFile(cmd, f)
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
	steps.AddCommand(with(command("new REQUIREMENT…", "Print the start of a step that settles requirements", newStep),
		"steps-new"))
	return []*cobra.Command{
		steps,
		knowledgeCommand(knowledge.Guides, "Your own firmware guides, by maker and model of the board"),
		knowledgeCommand(knowledge.Prices, "Your own prices of parts and machines"),
	}
}

// getKnowledgeOptions are those of the document in force.
type getKnowledgeOptions struct {
	Shipped bool `option:"shipped" usage:"print what the program ships, or an example to start from"`
	Number  int  `option:"number" least:"1" most:"1000000" usage:"print an earlier document, by its number in the history"`
	documentOptions
}

func knowledgeCommand(kind, short string) *cobra.Command {
	return with(command(kind, short+": get, set, remove, validate, history, activate",
		func(c *call[listed]) error { return listKnowledge(c, kind) }), "knowledge",
		command("get", "Print the "+kind+" in force; without a service, what the program ships",
			func(c *call[getKnowledgeOptions]) error { return getKnowledge(c, kind) }),
		command("validate FILE…", "Validate documents and list all mistakes",
			func(c *call[none]) error { return validateKnowledge(c, kind) }),
		command("set FILE", "Put "+kind+" of your own in force at the service; the earlier document is kept",
			func(c *call[serviceOptions]) error { return setKnowledge(c, kind) }),
		command("history", "List the "+kind+" that were in force",
			func(c *call[listed]) error { return knowledgeHistory(c, kind) }),
		command("activate NUMBER", "Put earlier "+kind+" in force again, by their number in the history",
			func(c *call[removeOptions]) error { return activateKnowledge(c, kind) }),
		command("remove", "Return to the "+kind+" that the program ships",
			func(c *call[removeOptions]) error { return removeKnowledge(c, kind) }))
}

// stepOptions are those of the start of a step.
type stepOptions struct {
	Release string `option:"release" usage:"release with the requirements: a file, or the id of a release of the service" complete:"release"`
	serviceOptions
}

// newStep prints the start of own steps for requirements of a release.
func newStep(c *call[stepOptions]) error {
	if c.o.Release == "" {
		return wrongUsage("the release is missing; give --release skerry-12.yaml")
	}
	rel, err := findRelease(c.cmd, c.o.Release)
	if err != nil {
		return err
	}
	var settled []*release.Requirement
	for _, id := range c.args {
		q := rel.Requirement(id)
		if q == nil {
			ids := make([]string, len(rel.Requirements))
			for i := range rel.Requirements {
				ids[i] = rel.Requirements[i].ID
			}
			return wrongUsage("%s has no requirement %q; %s", rel.Name, id,
				cmp.Or(doc.Suggest(id, ids), "it has "+say.And(ids)))
		}
		if !say.Changeable(q) {
			return wrongUsage("%s: nothing on a machine can change what this requirement reads, so no step settles "+
				"it; waive it, or let the machine stay or be replaced", id)
		}
		settled = append(settled, q)
	}
	fmt.Fprint(c.out(), say.OwnStep(settled))
	return nil
}

func listKnowledge(c *call[listed], kind string) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	l, err := s.AllKnowledge(c.ctx())
	if err != nil {
		return err
	}
	l.Documents = slices.DeleteFunc(l.Documents, func(h api.Knowledge) bool { return h.Kind != kind })
	if form == "text" {
		for _, h := range l.Documents {
			c.paper().text("", inForce(&h))
		}
		return nil
	}
	table := listing[api.Knowledge]{format: "rolltop-knowledge/1", columns: []column[api.Knowledge]{
		{name: "kind", value: func(h *api.Knowledge) string { return h.Kind }},
		{name: "own", value: func(h *api.Knowledge) string { return fmt.Sprint(h.Own) }},
		{name: "number", value: func(h *api.Knowledge) string { return fmt.Sprint(h.Number) }},
		{name: "added_at", value: func(h *api.Knowledge) string { return instant(h.AddedAt) }},
		{name: "added_by", value: func(h *api.Knowledge) string { return h.AddedBy }},
	}}
	return table.print(c.place, form, l, l.Documents)
}

func inForce(h *api.Knowledge) string {
	switch {
	case h.Own:
		return fmt.Sprintf("Your own %s are in force: number %d, added on %s by %s.", h.Kind, h.Number,
			say.Day(*h.AddedAt), h.AddedBy)
	case h.Kind == knowledge.Prices:
		return "No prices are in force."
	}
	return fmt.Sprintf("The %s that the program ships are in force.", h.Kind)
}

func getKnowledge(c *call[getKnowledgeOptions], kind string) error {
	text := knowledge.ShippedText(kind)
	switch {
	case c.o.Shipped && c.o.Number > 0:
		return wrongUsage("--shipped and --number exclude each other")
	case c.o.Number > 0:
		s, err := c.client()
		if err != nil {
			return err
		}
		h, err := s.KnowledgeVersion(c.ctx(), kind, c.o.Number)
		if err != nil {
			return asUsage(err)
		}
		if h.Own {
			text = []byte(h.Text)
		}
		_, err = c.out().Write(text)
		return err
	}
	if !c.o.Shipped && serviceKnown(c.cmd) {
		s, err := c.client()
		if err != nil {
			return err
		}
		h, err := s.Knowledge(c.ctx(), kind)
		if err != nil {
			return err
		}
		if h.Own {
			text = []byte(h.Text)
		}
	}
	_, err := c.out().Write(text)
	return err
}

func validateKnowledge(c *call[none], kind string) error {
	failed := false
	for _, path := range c.args {
		if _, err := readKnowledge(c.cmd, kind, path); err != nil {
			failed = true
			fmt.Fprintln(c.errOut(), err)
			continue
		}
		c.done("%s: valid.", path)
	}
	if failed {
		return status(ExitFailed)
	}
	return nil
}

// readKnowledge reads and validates a document of one kind.
func readKnowledge(cmd *cobra.Command, kind, path string) ([]byte, error) {
	src, err := readFile(cmd, path)
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

func setKnowledge(c *call[serviceOptions], kind string) error {
	src, err := readKnowledge(c.cmd, kind, c.args[0])
	if err != nil {
		return err // with the name of the file
	}
	s, err := c.client()
	if err != nil {
		return err
	}
	was, err := s.Knowledge(c.ctx(), kind)
	if err != nil {
		return err
	}
	h, err := s.SetKnowledge(c.ctx(), kind, src)
	if err != nil {
		return err
	}
	replaced := ""
	if was.Own && was.AddedAt != nil {
		replaced = fmt.Sprintf(" They replace number %d, added on %s by %s; it is kept.",
			was.Number, say.Day(*was.AddedAt), was.AddedBy)
	}
	c.done("Your %s are in force (number %d).%s", kind, h.Number, replaced)
	return nil
}

func knowledgeHistory(c *call[listed], kind string) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	h, err := s.KnowledgeHistory(c.ctx(), kind)
	if err != nil {
		return err
	}
	own := func(v *api.KnowledgeVersion) string {
		if v.Own {
			return "your own"
		}
		return "the program's"
	}
	table := listing[api.KnowledgeVersion]{
		format: "rolltop-knowledge-history/1",
		none:   fmt.Sprintf("No %s of your own were ever in force.", kind),
		columns: []column[api.KnowledgeVersion]{
			{name: "number", head: "Number", value: func(v *api.KnowledgeVersion) string {
				return fmt.Sprint(v.Number)
			}},
			{name: "what", head: "What", value: own},
			{
				name: "added_at", head: "Since",
				value: func(v *api.KnowledgeVersion) string { return instant(&v.AddedAt) },
				text:  func(v *api.KnowledgeVersion) string { return say.Moment(v.AddedAt) },
			},
			{name: "added_by", head: "By", value: func(v *api.KnowledgeVersion) string { return v.AddedBy }},
			{name: "in_force", head: "In force", value: func(v *api.KnowledgeVersion) string {
				return map[bool]string{true: "yes", false: "no"}[v.InForce]
			}},
		},
	}
	return table.print(c.place, form, h, h.Versions)
}

func activateKnowledge(c *call[removeOptions], kind string) error {
	number, err := strconv.Atoi(c.args[0])
	if err != nil || number < 1 {
		return wrongUsage("%q is not a number of the history; rolltop %s history lists all", c.args[0], kind)
	}
	s, err := c.client()
	if err != nil {
		return err
	}
	if err := c.sure(c.o.Yes, "Put number %d of the %s in force again?", number, kind); err != nil {
		return err
	}
	h, err := s.ActivateKnowledge(c.ctx(), kind, number)
	if err != nil {
		return asUsage(err)
	}
	whose := "Your"
	if !h.Own {
		whose = "The program's"
	}
	c.done("%s %s of number %d are in force again, as number %d.", whose, kind, number, h.Number)
	return nil
}

func removeKnowledge(c *call[removeOptions], kind string) error {
	s, err := c.client()
	if err != nil {
		return err
	}
	if err := c.sure(c.o.Yes, "Return to the %s that the program ships?", kind); err != nil {
		return err
	}
	if _, err := s.RemoveKnowledge(c.ctx(), kind); err != nil {
		return err
	}
	c.done("The %s of the program are in force; yours are kept in the history.", kind)
	return nil
}

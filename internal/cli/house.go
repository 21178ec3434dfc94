package cli

import (
	"cmp"
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/means"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
)

func houseFlag(cmd *cobra.Command) {
	cmd.Flags().StringArray("house", nil,
		"your own steps, firmware guides or prices (a file); may be given several times")
}

// meansOf are the means to make plans with: those of --house; those of the
// service, where a release comes from it; otherwise those of the program.
func meansOf(cmd *cobra.Command, fromService bool) (*means.Means, error) {
	files, _ := cmd.Flags().GetStringArray("house")
	var docs []means.Document
	for _, f := range files {
		src, err := readFile(f)
		if err != nil {
			return nil, err
		}
		docs = append(docs, means.Document{Name: f, Text: src})
	}
	if docs == nil && fromService {
		c, err := clientOf(cmd)
		if err != nil {
			return nil, err
		}
		for _, kind := range means.Kinds() {
			h, err := c.House(contextOf(cmd), kind)
			if err != nil {
				return nil, err
			}
			if h.Own {
				docs = append(docs, means.Document{Name: kind, Text: []byte(h.Text)})
			}
		}
	}
	return means.Read(docs...)
}

func houseCommand() *cobra.Command {
	list := func(cmd *cobra.Command, _ []string) error { return listHouse(cmd) }
	cmd := &cobra.Command{
		Use:   "house",
		Short: "Your own steps, firmware guides and prices, which plans are made with",
		Args:  cobra.NoArgs,
		RunE:  list,
		Long:  help("house"),
	}
	formatFlag(cmd, "text", "json")
	serviceFlags(cmd)
	show := &cobra.Command{
		Use:   "show steps|guides|prices",
		Short: "Print the document in force; without a service, or with --shipped, what the program ships",
		Args:  cobra.ExactArgs(1),
		RunE:  showHouse,
	}
	show.Flags().Bool("shipped", false, "print what the program ships, or an example to start from")
	serviceFlags(show)
	validate := &cobra.Command{
		Use:   "validate FILE…",
		Short: "Read documents and say every mistake",
		Args:  cobra.MinimumNArgs(1),
		RunE:  validateHouse,
	}
	put := &cobra.Command{
		Use:   "put FILE",
		Short: "Put a document in force at the service; the one before it is kept",
		Args:  cobra.ExactArgs(1),
		RunE:  putHouse,
	}
	serviceFlags(put)
	drop := &cobra.Command{
		Use:   "drop steps|guides|prices",
		Short: "Go back to what the program ships",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := kindOf(args[0]); err != nil {
				return err
			}
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			if _, err := c.DropHouse(contextOf(cmd), args[0]); err != nil {
				return err
			}
			fmt.Fprintf(cmd.OutOrStdout(), "The %s of the program are in force; yours are kept in the history.\n",
				args[0])
			return nil
		},
	}
	serviceFlags(drop)
	add := &cobra.Command{
		Use:   "new-step REQUIREMENT…",
		Short: "Print the start of a step of your own that settles requirements",
		Args:  cobra.MinimumNArgs(1),
		RunE:  newStep,
		Long:  help("new-step"),
	}
	add.Flags().String("release", "", "the release that asks: a file, or the id of one that the service has")
	serviceFlags(add)
	cmd.AddCommand(show, validate, add, put, drop)
	return cmd
}

// newStep prints the start of own steps for requirements of a release.
func newStep(cmd *cobra.Command, args []string) error {
	name, _ := cmd.Flags().GetString("release")
	if name == "" {
		return wrongUsage("give the release that asks for it: --release skerry-12.yaml")
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
			return wrongUsage("%s: nothing changes on a machine what it reads, so no step settles it; waive it, or "+
				"let the machine stay or be replaced", id)
		}
		list = append(list, q)
	}
	fmt.Fprint(cmd.OutOrStdout(), say.OwnStep(list))
	return nil
}

func kindOf(word string) error {
	for _, k := range means.Kinds() {
		if k == word {
			return nil
		}
	}
	return wrongUsage("there is no kind %q; it may be steps, guides or prices", word)
}

func listHouse(cmd *cobra.Command) error {
	form, c, err := asked(cmd)
	if err != nil {
		return err
	}
	l, err := c.Houses(contextOf(cmd))
	if err != nil {
		return err
	}
	if form == "json" {
		return printJSON(cmd.OutOrStdout(), l)
	}
	rows := make([][]string, len(l.Documents))
	for i, h := range l.Documents {
		rows[i] = []string{h.Kind, "as the program ships them", "", ""}
		if h.Kind == means.Prices {
			rows[i][1] = "none"
		}
		if h.Own {
			rows[i] = []string{
				h.Kind, "your own, number " + strconv.Itoa(h.Number), h.AddedAt.Format(time.DateOnly), h.AddedBy,
			}
		}
	}
	newPaper(cmd.OutOrStdout()).table([]string{"Kind", "In force", "Added", "By"}, rows)
	return nil
}

func showHouse(cmd *cobra.Command, args []string) error {
	if err := kindOf(args[0]); err != nil {
		return err
	}
	shipped, _ := cmd.Flags().GetBool("shipped")
	address, _ := cmd.Flags().GetString("server")
	text := means.ShippedText(args[0])
	if !shipped && address != "" {
		c, err := clientOf(cmd)
		if err != nil {
			return err
		}
		h, err := c.House(contextOf(cmd), args[0])
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

func validateHouse(cmd *cobra.Command, args []string) error {
	failed := false
	for _, path := range args {
		src, err := readFile(path)
		if err == nil {
			var kind string
			one := means.Document{Name: path, Text: src}
			if kind, err = means.Kind(one); err == nil {
				if _, err = means.Read(one); err == nil {
					fmt.Fprintf(cmd.OutOrStdout(), "%s: these %s are right.\n", path, kind)
				}
			}
		}
		if err != nil {
			failed = true
			fmt.Fprintln(cmd.ErrOrStderr(), err)
		}
	}
	if failed {
		return status(ExitFailed)
	}
	return nil
}

func putHouse(cmd *cobra.Command, args []string) error {
	src, err := readFile(args[0])
	if err != nil {
		return err
	}
	one := means.Document{Name: args[0], Text: src}
	kind, err := means.Kind(one)
	if err != nil {
		return err
	}
	if _, err := means.Read(one); err != nil {
		return err // with the file's own name
	}
	c, err := clientOf(cmd)
	if err != nil {
		return err
	}
	var h api.House
	if h, err = c.PutHouse(contextOf(cmd), kind, src); err != nil {
		return err
	}
	fmt.Fprintf(cmd.OutOrStdout(), "Your %s are in force (number %d).\n", kind, h.Number)
	return nil
}

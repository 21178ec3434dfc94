package cli

import (
	"encoding/json"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/decode"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
	"rolltop.example/rolltop/internal/collect"
)

// submitOptions are what is submitted.
type submitOptions struct {
	Inventory []string `option:"inventory" usage:"inventory or capture file to submit instead of this machine's inventory (repeatable; -: standard input)" complete:"file"`
	shown
}

// SubmittedList are the answers to inventories, as rolltop submit prints them.
type SubmittedList struct {
	Inventories []api.Submitted `json:"inventories" doc:"Those that were accepted, in their order"`
}

func submitCommand() *cobra.Command {
	return command("submit [--inventory FILE…]", "Submit this machine's inventory, or inventory files, to the service",
		submit)
}

func submit(c *call[submitOptions]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	all := SubmittedList{Inventories: []api.Submitted{}}
	failed := false
	for _, file := range filesOrThis(c.o.Inventory) {
		body, err := inventoryBytes(c.cmd, s, file)
		var got api.Submitted
		if err == nil {
			got, err = s.Submit(c.ctx(), body)
		}
		if err != nil {
			failed = true
			fmt.Fprintf(c.errOut(), "rolltop: %s%v\n", named(file, err), err)
			continue
		}
		all.Inventories = append(all.Inventories, got)
	}
	if form == "json" {
		err = printDocument(c.out(), "rolltop-submitted/1", all)
	} else if !quiet(c.cmd) {
		p := c.paper()
		for i := range all.Inventories {
			printSubmitted(p, &all.Inventories[i])
		}
	}
	if err == nil && failed {
		return status(ExitFailed)
	}
	return err
}

// named puts the name of a file in front of a mistake that does not begin with it.
func named(file string, err error) string {
	if file == "" || strings.HasPrefix(err.Error(), file) {
		return ""
	}
	return file + ": "
}

// inventoryBytes is the checked document of a file, or this machine's. A file
// is read here already, so that its mistakes are said with their places.
func inventoryBytes(cmd *cobra.Command, c *client.Client, file string) ([]byte, error) {
	if file == "" {
		t, err := c.Titles(contextOf(cmd))
		if err != nil {
			return nil, err
		}
		d, err := collect.Machine(collect.Options{Software: strings.Join(t.Titles, ",")})
		if err != nil {
			return nil, err
		}
		return json.Marshal(d)
	}
	src, err := readFile(cmd, file)
	if err != nil {
		return nil, err
	}
	d, err := decode.Read(file, src)
	if err != nil {
		return nil, err
	}
	return json.Marshal(d)
}

func printSubmitted(p *paper, s *api.Submitted) {
	what := "unchanged"
	switch {
	case s.Created:
		what = "a new machine"
	case !s.Latest:
		what = "added to the history; a later inventory exists"
	case s.Changed:
		what = "new readings of a known machine"
	}
	p.line("%s: received, %s.", s.Name, what)
	if s.Release != nil {
		p.text("  ", fmt.Sprintf("%s %s against %s: %s", say.Marks[s.Disposition], say.Capital(s.Disposition),
			s.Release.Name, s.Answer))
	} else if s.Latest {
		p.text("  ", "Not checked: no target release is set for its class of hardware.")
	}
}

// filesOrThis is the files, or "" for this machine.
func filesOrThis(files []string) []string {
	if len(files) == 0 {
		return []string{""}
	}
	return files
}

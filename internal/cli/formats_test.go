package cli_test

import (
	"encoding/csv"
	"encoding/json"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/rivo/uniseg"
	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/spf13/cobra"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/cli"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
	"rolltop.example/rolltop/internal/standin"
)

// arguments are what commands that print need beside their name.
var arguments = map[string]string{
	"check":                 "--release skerry-12.yaml --inventory guest.json --inventory ready.json",
	"plan":                  "gull-014",
	"compare":               "gull-014 GULL-002 --release skerry-12",
	"inspect":               "--inventory legacy.json",
	"submit":                "--inventory ready.json",
	"import":                "lines.ndjson --apply",
	"machines":              "--where class=pc",
	"machines show":         "gull-014",
	"machines results":      "",
	"machines export":       "--where site=Gull*",
	"releases compare":      "skerry-12@4 skerry-12",
	"releases what-if":      "skerry-13",
	"releases compare-page": "skerry-12.yaml newer.html",
	"releases changes":      "",
	"waves show":            "1",
	"waves hand-off":        "3",
	"fleet matrix":          "--size 20",
	"work messages":         "--where site=Gull*",
	"work wins":             "",
	"applications show":     "Counterfoil",
	"orders show":           "T-101",
	"replacements show":     "gull-002",
}

// Every command that prints data prints it as a document with a schema that it validates against, as lines, as
// CSV and as text that is not wider than a terminal of 80 columns.
func TestFormats(t *testing.T) {
	s := servertest.Demo(t, nil)
	expect.NoError(t, standin.Furnish(t.Context(), s, s.Now()))
	s.AllowPrivateWebhooks(t)
	_, err := s.Client.SetWebhook(t.Context(), "desk", api.SetWebhook{URL: "https://127.0.0.1:1/"})
	expect.NoError(t, err)
	_, err = s.Client.SetFilter(t.Context(), "quay", api.SetFilter{Filter: `site="Gull Quay"`})
	expect.NoError(t, err)
	formats, err := filepath.Abs("../../docs/formats")
	expect.NoError(t, err)
	dir := files(t)
	expect.NoError(t, os.WriteFile(filepath.Join(dir, "newer.html"), []byte("<p>Memory: 8 GB</p><body>"), 0o600))
	inventory, err := os.ReadFile(filepath.Join(dir, "unknown.json"))
	expect.NoError(t, err)
	expect.NoError(t, os.WriteFile(filepath.Join(dir, "lines.ndjson"), append(inventory, '\n'), 0o600))
	t.Chdir(dir)
	t.Setenv("ROLLTOP_SERVER", s.URL)
	t.Setenv("ROLLTOP_TOKEN", s.Token)
	t.Setenv("COLUMNS", "") // not a terminal: 80 columns
	_, out, _ := rolltop(t, "submit", "--inventory", changed(t, "ready.json"), "--format", "json")
	var twice cli.SubmittedList
	expect.NoError(t, json.Unmarshal([]byte(out), &twice))
	seen := map[string]bool{}
	walk(cli.Root(), func(cmd *cobra.Command) {
		forms := cmd.Annotations["forms"]
		if forms == "" {
			return
		}
		name := strings.TrimPrefix(cmd.CommandPath(), "rolltop ")
		if cmd.Name() == "list" {
			return // it is the command above it
		}
		for _, form := range strings.Split(forms, ",") {
			t.Run(name+" "+form, func(t *testing.T) {
				args := slices.Concat(strings.Fields(name), strings.Fields(arguments[name]), []string{"--format", form})
				if name == "machines results" {
					args = append(args, twice.Inventories[0].Machine)
				}
				if form == "eml" {
					args = append(args, "--from", "ada@ferries.example")
				}
				code, out, errOut := rolltop(t, args...)
				if code == 1 || code == 2 {
					t.Fatalf("%v ends with %d: %s", args, code, errOut)
				}
				switch form {
				case "json":
					seen[validates(t, formats, out)] = true
				case "ndjson":
					for line := range strings.Lines(out) {
						if !json.Valid([]byte(line)) {
							t.Fatalf("this is not JSON: %s", line)
						}
					}
				case "csv":
					rows, err := csv.NewReader(strings.NewReader(out)).ReadAll()
					expect.NoError(t, err)
					expect.That(t, "it has a row of heads", len(rows) > 0)
				case "text":
					for line := range strings.Lines(out) {
						if wide := uniseg.StringWidth(strings.TrimSuffix(line, "\n")); wide > 80 {
							t.Errorf("%d columns: %s", wide, line)
						}
					}
				}
			})
		}
		if cmd.Name() != "hand-off" && strings.Contains(forms, "csv") {
			if !strings.Contains(forms, "ndjson") {
				t.Errorf("%s is a list and has no lines", name)
			}
		}
	})
	for name := range cli.Formats() {
		if !slices.Contains([]string{"sheet", "rule-change"}, name) && !seen["rolltop-"+name+"/1"] {
			t.Errorf("no command printed rolltop-%s/1", name)
		}
	}
	code, out, _ := rolltop(t, "releases", "changes", "1", "--format", "json")
	if code == 0 {
		validates(t, formats, out)
	}
	expect.NoError(t, os.WriteFile("rows.csv", []byte("Name,RAM\nA-1,8\n"), 0o600))
	_, out, _ = rolltop(t, "import", "rows.csv", "--format", "json")
	expect.Same(t, "format", validates(t, formats, out), "rolltop-sheet/1")
}

func walk(cmd *cobra.Command, each func(*cobra.Command)) {
	each(cmd)
	for _, sub := range cmd.Commands() {
		walk(sub, each)
	}
}

// validates expects that a document validates against the schema of its format, and gives the format.
func validates(t *testing.T, formats, text string) string {
	t.Helper()
	var head struct {
		Format string `json:"format"`
	}
	if err := json.Unmarshal([]byte(text), &head); err != nil || head.Format == "" {
		t.Fatalf("it has no format: %v\n%.300s", err, text)
	}
	name := strings.TrimSuffix(strings.TrimPrefix(head.Format, "rolltop-"), "/1")
	schema, err := jsonschema.NewCompiler().Compile(filepath.Join(formats, name+".schema.json"))
	expect.NoError(t, err)
	value, err := jsonschema.UnmarshalJSON(strings.NewReader(text))
	expect.NoError(t, err)
	if err := schema.Validate(value); err != nil {
		t.Errorf("%s: %.1500s", head.Format, err)
	}
	return head.Format
}

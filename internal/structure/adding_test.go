package structure

import (
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
)

// edit puts text into a file of the core, before the first place where a line begins with a text.
type edit struct{ file, before, text string }

// additions are what CONTRIBUTING says about adding, done: each edit is one that the text names.
var additions = []struct {
	what  string
	files int // as CONTRIBUTING counts them, without tests
	edits []edit
	proof string // a test of what was added, with the imports that it needs
}{
	{
		what:  "a fact",
		files: 2,
		edits: []edit{
			{"inventory/inventory.go", "	SettingsInterface Opt[string]",
				"	Channel Opt[string] `json:\"channel,omitzero\"`\n"},
			{"fact/catalogue_firmware.go", "	FirmwareDate ", "	FirmwareChannel ID = 119\n"},
			{"fact/catalogue_firmware.go", "	{\n		ID:    FirmwareDate", `	{
		ID:    FirmwareChannel,
		Name:  "firmware.channel",
		Label: "firmware channel",
		Kind:  Text,
		in:    text(Text, func(d *document) *optText { return &d.Firmware.Channel }),
	},
`},
		},
		proof: `
func TestAddedFact(t *testing.T) {
	d := &inventory.Document{}
	d.Firmware.Channel = inventory.Some("steady")
	def := fact.ByName("firmware.channel")
	if def == nil {
		t.Fatal("no fact has the name")
	}
	if got := say.Value(def, fact.Read(d).Value(def.ID)); got != "steady" {
		t.Errorf("a document's value is read as %q", got)
	}
}
`,
	},
	{
		what:  "a kind of need",
		files: 5,
		edits: []edit{
			{"need/need.go", "// Listed needs a name", "// EndsWith needs a text that ends with another.\n" +
				"type EndsWith struct {\n	on\n	Text string\n}\n\n"},
			{"need/need.go", "// Test of Listed.", `// Test of EndsWith.
func (n *EndsWith) Test(f fact.View) Truth {
	v := f.Value(n.ID)
	if !v.Known() {
		return Unknown
	}
	return truth(strings.HasSuffix(v.Text(), n.Text))
}

// Leaves of a comparison is itself.
func (n *EndsWith) Leaves() iter.Seq[Leaf] { return single(n) }

`},
			{"need/compile.go", "	OnList  string", "	Ends doc.Scalar `json:\"ends_with,omitempty\"`\n"},
			{"need/kind.go", "	{\n		key:   \"on_list\"", `	{
		key:   "ends_with",
		suits: named,
		compile: func(c *compiler, def *fact.Def, d *Document, at *doc.Node) Leaf {
			return &EndsWith{on{def.ID}, c.value(def, d.Ends, at).Text()}
		},
		sample: func() Leaf { return &EndsWith{on{fact.OSName}, "Fathom"} },
	},
`},
			{"need/compare.go", "	case *Empty:", `	case *EndsWith:
		if a, ok := was.(*EndsWith); ok && a.Text == b.Text {
			return Same
		}
`},
			{"say/need.go", "	case *need.BeginsWith:", `	case *need.EndsWith:
		return among("one that ends with "+x.Text, not)
`},
		},
		proof: `
func TestAddedNeed(t *testing.T) {
	var d need.Document
	err := doc.Decode("need", []byte("{fact: os.name, ends_with: Fathom}"), &d)
	r := &doc.Report{}
	n := need.Compile(&d, nil, r)
	if err != nil || n == nil {
		t.Fatalf("the need is refused: %v %v", err, r.Err())
	}
	if got := say.Need(n); got != "installed release: one that ends with Fathom" {
		t.Errorf("it is said as %q", got)
	}
}
`,
	},
	{
		what:  "a key of filters",
		files: 1,
		edits: []edit{{"fleet/key.go", `	{name: "hold",`, `	{name: "fresh", doc: "was judged", words: yesOrNo,
		test: byRow(func(r *Row, v string) bool { return r.Judged == (v == yes) })},
`}},
		proof: `
func TestAddedKey(t *testing.T) {
	f, err := fleet.Parse("fresh=no")
	if err != nil {
		t.Fatal(err)
	}
	x := fleet.NewIndex()
	x.Put(1, fleet.Row{Key: "1"}, fact.Read(&inventory.Document{}))
	if got := x.Select(f).Len(); got != 1 {
		t.Errorf("it picks %d machines", got)
	}
	if !strings.Contains(fleet.Doc(), "fresh (was judged)") {
		t.Error("nobody is told of it")
	}
}
`,
	},
	{
		what:  "a step",
		files: 1,
		edits: []edit{{"remedy/steps/host.yaml", "  - id: host-cores", `  - id: host-clock
    title: "Host: raise the processor's clock to {needed}"
    phase: host
    class: setting
    noun: {one: a setting of the host, many: settings of the host}
    effect: {processor.rated_mhz: needed}
    disturbs: [hardware]
    do: Shut the virtual machine down and raise its processor's clock to {needed} in the host's settings.
    tell: Nothing to do.
    confirm: The system shows {needed} or more.
    minutes: {least: 5, most: 10}
    restarts: 1

`}},
		proof: `
func TestAddedStep(t *testing.T) {
	if remedy.Shipped().Find("host-clock") == nil {
		t.Error("it is not in the library")
	}
}
`,
	},
}

const proofHead = `package added

import (
	"strings"
	"testing"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
)
`

// What CONTRIBUTING says about adding is tried on a copy of the core: so many files are changed and
// no other, what was added works, and the core's own tests that look for a forgotten place are content.
func TestAddingTakesTheFilesItSays(t *testing.T) {
	if testing.Short() {
		t.Skip("builds the core anew")
	}
	root := copyOfTheCore(t)
	proof := proofHead
	for _, a := range additions {
		files := map[string]bool{}
		for _, e := range a.edits {
			files[e.file] = true
			insert(t, filepath.Join(root, "core", e.file), e)
		}
		if len(files) != a.files {
			t.Errorf("%s takes %d files, CONTRIBUTING says %d", a.what, len(files), a.files)
		}
		proof += a.proof
	}
	added := filepath.Join(root, "core", "added")
	if err := os.Mkdir(added, 0o700); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(added, "added_test.go"), []byte(proof), 0o600); err != nil {
		t.Fatal(err)
	}
	test := func(args ...string) (string, error) {
		cmd := exec.Command("go", append([]string{"test"}, args...)...)
		cmd.Dir = root
		out, err := cmd.CombinedOutput()
		return string(out), err
	}
	out, err := test("-v", "./core/added")
	if err != nil || strings.Count(out, "--- PASS: TestAdded") != len(additions) {
		t.Fatalf("%v\n%s", err, out)
	}
	own := []string{"-run", "Forgotten|EveryKindOfNeed|OneWayToEachFact|StepFilesAreSound",
		"./core/fact", "./core/need", "./core/say", "./core/remedy"}
	if out, err := test(own...); err != nil {
		t.Errorf("%v\n%s", err, out)
	}

	// A kind that its sentence forgets is noticed.
	without(t, filepath.Join(root, "core", "say/need.go"), "	case *need.EndsWith:")
	if out, err := test(own...); err == nil || !strings.Contains(out, "TestEveryKindOfNeedIsSaid/ends_with") {
		t.Errorf("a kind of need that nothing says is not noticed: %v\n%s", err, out)
	}
}

// copyOfTheCore is a module of its own with the core and what its tests ask with.
func copyOfTheCore(t *testing.T) string {
	t.Helper()
	root := t.TempDir()
	for _, dir := range []string{"core", "internal/expect"} {
		if err := os.CopyFS(filepath.Join(root, dir), os.DirFS(filepath.Join(project, dir))); err != nil {
			t.Fatal(err)
		}
	}
	for _, name := range []string{"go.mod", "go.sum"} {
		b, err := fs.ReadFile(os.DirFS(project), name)
		if err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join(root, name), b, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	return root
}

func insert(t *testing.T, path string, e edit) {
	t.Helper()
	rewrite(t, path, func(src string) (string, bool) {
		before, after, found := strings.Cut(src, "\n"+e.before)
		return before + "\n" + e.text + e.before + after, found
	})
}

// without takes a line out, and the one that follows it.
func without(t *testing.T, path, line string) {
	t.Helper()
	rewrite(t, path, func(src string) (string, bool) {
		before, after, found := strings.Cut(src, "\n"+line+"\n")
		_, after, more := strings.Cut(after, "\n")
		return before + "\n" + after, found && more
	})
}

func rewrite(t *testing.T, path string, change func(string) (string, bool)) {
	t.Helper()
	src, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	text, found := change(string(src))
	if !found {
		t.Fatalf("%s has no longer the place where something is added", path)
	}
	if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
}

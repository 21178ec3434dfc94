package cli_test

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/cli"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
)

// says runs a command and compares its status and what it says.
func says(t *testing.T, code int, want string, args ...string) string {
	t.Helper()
	got, out, errOut := rolltop(t, args...)
	if got != code || !strings.Contains(out+errOut, want) {
		t.Errorf("rolltop %v: status %d, want %d with %q\n%.1500s%s", args, got, code, want, out, errOut)
	}
	return out
}

// From an empty page to a release that judges: new, validate, import, add,
// compare.
func TestWritingARelease(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, "skerry-14.yaml")
	says(t, 0, "Fill it in", "releases", "new", "skerry-14", "--name", "Skerry 14", "--output", path)
	says(t, 1, "already exists and was not overwritten", "releases", "new", "skerry-14", "--output", path)
	says(t, 2, "cannot be an id", "releases", "new", "Skerry 14")
	says(t, 2, "use pc or mac", "releases", "new", "a", "--class", "tablet")
	says(t, 0, "format: rolltop-release/1", "releases", "new", "a", "--class", "mac")
	says(t, 0, "valid; Skerry 14, revision 1, two requirements", "releases", "validate", path)

	page := filepath.Join(dir, "page.html")
	html := "<html><h2>Corvane</h2><table><tr><th>Brand<th>Model<th>Base frequency<th># of Cores"
	for i := range 2000 {
		html += fmt.Sprintf("<tr><td>K5<td>%d<td>2.9 GHz<td>6", 8000+i)
	}
	if err := os.WriteFile(page, []byte(html+"<tr><td>K5<td>8000<td>?<td>six</table>"), 0o600); err != nil {
		t.Fatal(err)
	}
	list := filepath.Join(dir, "processors.csv")
	out := says(t, 0, "2000 rows", "releases", "import-list", page, "--column", "name=Brand+'-'+Model", "--prefix",
		"Corvane")
	for _, want := range []string{
		"cores         from # of Cores", "Corvane K5-8000", "… and 1992 more",
		"row 2001: Corvane K5-8000: the same name as in row 1", "has no known unit", "Nothing was written",
	} {
		if !strings.Contains(out, want) {
			t.Errorf("the preview does not say %q:\n%s", want, out)
		}
	}
	if _, err := os.Stat(list); err == nil {
		t.Error("a preview wrote a file")
	}
	says(t, 0, "processors.csv written", "releases", "import-list", page, "--column", "name=Brand+'-'+Model",
		"--prefix", "Corvane", "--output", list)
	says(t, 1, "was not overwritten", "releases", "import-list", page, "--column", "name=Brand+'-'+Model", "--output",
		list)
	says(t, 1, `has no column "Brnd"; its columns are Brand, Model`, "releases", "import-list", page, "--column",
		"name=Brnd")
	says(t, 2, "has no heading", "releases", "import-list", page, "--column", "name")
	says(t, 1, "the file does not exist", "releases", "import-list", filepath.Join(dir, "nowhere.html"))

	src, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	text := strings.Replace(string(src), "requirements:\n",
		"lists:\n  - {id: processors, of: processors, complete: true, file: processors.csv}\nrequirements:\n  - {id: "+
			"list, title: Processor on the list, level: must, consequence: unsupported, reason: R, need: {fact: "+
			"processor.name, on_list: processors}}\n", 1)
	text = strings.Replace(text, "draft: true ", "draft: false ", 1)
	if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
	says(t, 0, "three requirements, 2000 rows in one list", "releases", "validate", path)

	s := servertest.Demo(t, nil)
	t.Setenv("ROLLTOP_SERVER", s.URL)
	t.Setenv("ROLLTOP_TOKEN", s.Token)
	says(t, 0, "Skerry 14, revision 1: added; it is not in force", "releases", "add", path)
	says(t, 0, "already added, unchanged", "releases", "add", path)
	says(t, 0, "Skerry 14", "releases", "list")
	// The service gives the document back with its file.
	says(t, 0, "processors: 2000 rows of processors, complete.", "releases", "show", "skerry-14")
	says(t, 0, "Free space on the system volume", "releases", "compare", "skerry-12@4", "skerry-12@5")
	var d api.ReleaseDifference
	err = json.Unmarshal([]byte(says(t, 0, "tightened", "releases", "compare", "skerry-12@4", "skerry-12",
		"--format", "json")), &d)
	expect.NoError(t, err)
	expect.Same(t, "d.From.Revision", d.From.Revision, 4)
	expect.Same(t, "d.To.Revision", d.To.Revision, 5)
	expect.Same(t, "d.Changes[0].Kind", d.Changes[0].Kind, "tightened")
	says(t, 0, "No differences.", "releases", "compare", "skerry-12", "skerry-12@5")
	says(t, 2, "only releases of the same class of hardware can be compared", "releases", "compare", "skerry-12",
		"fathom-9")
	says(t, 1, `there is no release "skerry-99"`, "releases", "show", "skerry-99")
	if err := os.Remove(list); err != nil {
		t.Fatal(err)
	}
	says(t, 1, "lists[0].file: the file cannot be read", "releases", "validate", path)
}

func TestSeveralReleases(t *testing.T) {
	dir := files(t)
	at := func(name string) string { return filepath.Join(dir, name) }
	out := says(t, 10, "Skerry 13", "check", "--release", at("skerry-12.yaml"), "--release", at("skerry-13.yaml"),
		"--inventory", at("legacy.json"))
	for _, want := range []string{
		"Release    Disposition", "Requirement", "not met: needs UEFI", "not asked", "a release for testing",
	} {
		if !strings.Contains(out, want) {
			t.Errorf("it does not say %q:\n%s", want, out)
		}
	}
	var several cli.Checks
	err := json.Unmarshal([]byte(says(t, 10, "", "check", "--format", "json", "--release", at("skerry-12.yaml"),
		"--release", at("skerry-13.yaml"), "--inventory", at("legacy.json"))), &several)
	docs := several.Checks
	expect.NoError(t, err)
	expect.Same(t, "len(docs)", len(docs), 2)
	expect.Same(t, "docs[1].Release.ID", docs[1].Release.ID, "skerry-13")
	expect.That(t, "docs[1].Release.Test", docs[1].Release.Test)
	// The wrong class for one of them wins over the outcome for the other.
	says(t, 2, "installs on Macs only", "check", "--release", at("skerry-12.yaml"), "--release", at("fathom-9.yaml"),
		"--inventory", at("ready.json"))
}

func TestPlannedPurchase(t *testing.T) {
	dir := files(t)
	plan := filepath.Join(dir, "counter.yaml")
	if err := os.WriteFile(plan,
		[]byte("format: rolltop-spec/1\nname: Counter PC\nclass: pc\nprocessor: Corvane K5-12400\nmemory: 4 "+
			"GiB\ndrive: 512 GB\ndrive_kind: ssd\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	out := says(t, 11, "Counter PC", "check", "--release", filepath.Join(dir, "skerry-12.yaml"), "--spec", plan)
	for _, want := range []string{
		"4 GiB → needs at least 6 GiB (2 GiB more)", "The specification does not say.",
		"Skerry 12 is installed on the new machine",
	} {
		if !strings.Contains(out, want) {
			t.Errorf("it does not say %q:\n%s", want, out)
		}
	}
	if err := os.WriteFile(plan, []byte("format: rolltop-spec/1\nname: Counter PC\nclass: pc\nmemory: 4 GB\n"),
		0o600); err != nil {
		t.Fatal(err)
	}
	says(t, 1, "counter.yaml:4:9", "check", "--release", filepath.Join(dir, "skerry-12.yaml"), "--spec", plan)
}

func TestFactsByHand(t *testing.T) {
	dir := files(t)
	rel, inv := filepath.Join(dir, "skerry-12.yaml"), filepath.Join(dir, "unknown.json")
	says(t, 11, "TPM 2.0 ready: unknown", "check", "--release", rel, "--inventory", inv)
	says(t, 11, "entered by hand on", "check", "--release", rel, "--inventory", inv, "--fact",
		"memory.installed_bytes=16 GiB", "--verbose")
	says(t, 0, "Ready", "check", "--release", rel, "--inventory", inv, "--fact", "memory.installed_bytes=16 GiB",
		"--fact", "tpm.state=ready", "--fact", "tpm.version=2.0", "--fact", "storage.system.partition_style=gpt")
	says(t, 2, "memory is written with MiB", "check", "--release", rel, "--inventory", inv, "--fact",
		"memory.installed_bytes=16 GB")
	says(t, 2, "has no value", "check", "--release", rel, "--fact", "tpm.state")

	s := servertest.Demo(t, nil)
	t.Setenv("ROLLTOP_SERVER", s.URL)
	t.Setenv("ROLLTOP_TOKEN", s.Token)
	l, err := s.Client.Machines(t.Context(), "unknown=memory", "name", 1, 1)
	if err != nil {
		t.Fatal(err)
	}
	key := l.Machines[0].Key
	says(t, 0, "memory.installed_bytes = 16 GiB, entered by hand by everything on", "machines", "facts", "set", key,
		"memory.installed_bytes=16 GiB", "--note", "seen at the desk")
	says(t, 2, "memory is written with MiB", "machines", "facts", "set", key, "memory.installed_bytes=16")
	says(t, 2, "has no value", "machines", "facts", "set", key, "memory.installed_bytes")
	says(t, 1, "there is no machine", "machines", "facts", "set", "gull-999", "tpm.state=ready")
	says(t, 0, strings.ToUpper(key), "machines", "facts", "remove", key, "memory.installed_bytes", "--yes")
	says(t, 1, "nobody has entered memory.installed_bytes", "machines", "facts", "remove", "--yes", key,
		"memory.installed_bytes")
}

func TestCompareMachines(t *testing.T) {
	dir := files(t)
	a, b := filepath.Join(dir, "ready.json"), filepath.Join(dir, "legacy.json")
	out := says(t, 10, "Two machines:", "compare", a, b, "--release", filepath.Join(dir, "skerry-12.yaml"))
	for _, want := range []string{
		"Findings that differ", "Boot mode UEFI: pass (UEFI) → fail (legacy); needs UEFI", "Facts that differ",
		"boot mode",
	} {
		if !strings.Contains(out, want) {
			t.Errorf("it does not say %q:\n%s", want, out)
		}
	}
	says(t, 0, "no facts differ", "compare", a, a)
	says(t, 0, `"format": "rolltop-compare/1"`, "compare", a, b, "--format", "json")
	says(t, 1, "to compare machines of a service, give --server", "compare", a, "gull-001")
	says(t, 2, "installs on PCs only", "compare", a, filepath.Join(dir, "mac.json"), "--release",
		filepath.Join(dir, "skerry-12.yaml"))
	s := servertest.Demo(t, nil)
	t.Setenv("ROLLTOP_SERVER", s.URL)
	t.Setenv("ROLLTOP_TOKEN", s.Token)
	says(t, 10, "LANT-001 → GULL-101", "compare", "lant-001", "gull-101", "--release", "skerry-12")
}

// A page as publishers have them becomes rows, footnotes and proposed rules; a newer page updates the rows.
func TestImportOfAMessyPage(t *testing.T) {
	page := filepath.Join("..", "tables", "testdata", "messy.html")
	dir := t.TempDir()
	rows := filepath.Join(dir, "rows.csv")
	out := says(t, 0, "Two tables: six rows", "releases", "import-list", page, "--table", "2,3", "--set",
		"built_in_tpm=true", "--except-marked", "2", "--output", rows)
	for _, want := range []string{
		"assumed       A name is made of the columns Brand, Model.", "1 Only with firmware 2 or later.",
		"Row 5 describes a series", "except: [\"Corvane K5-9130U\"]", "it is struck out on the page",
	} {
		expect.Contains(t, out, want)
	}
	// Somebody corrects a row; the newer page has one more, and changes another.
	text, err := os.ReadFile(rows)
	expect.NoError(t, err)
	corrected := strings.Replace(string(text), "Corvane K5-8500,6,", "Corvane K5-8500,4,", 1)
	expect.NoError(t, os.WriteFile(rows, []byte(corrected), 0o600))
	src, err := os.ReadFile(page)
	expect.NoError(t, err)
	newer := filepath.Join(dir, "newer.html")
	expect.NoError(t, os.WriteFile(newer, []byte(strings.NewReplacer("<td>3.4 GHz", "<td>3.6 GHz",
		"<tr><td>Tessaly Onyx 7", "<tr><td>Tessaly Onyx 5 3600<td>3.6 GHz<td>6<tr><td>Tessaly Onyx 7").
		Replace(string(src))), 0o600))
	updated := filepath.Join(dir, "updated.csv")
	out = says(t, 0, "Added by the page (1)", "releases", "import-list", newer, "--table", "2,3", "--set",
		"built_in_tpm=true", "--except-marked", "2", "--update", rows, "--former", page, "--output", updated)
	for _, want := range []string{
		"Tessaly Onyx 5 3600", "Changed by the page (1)", "Tessaly Onyx 5 2600: rated_mhz was 3400 and is 3600.",
		"Kept: corrected by hand (1)", "Corvane K5-8500: cores stays 4; the page says 6.",
	} {
		expect.Contains(t, out, want)
	}
	text, err = os.ReadFile(updated)
	expect.NoError(t, err)
	expect.Contains(t, string(text), "Corvane K5-8500,4,")
	says(t, 2, "is not the number of a table", "releases", "import-list", page, "--table", "two")
	says(t, 2, "has no value; write it as built_in_tpm=true", "releases", "import-list", page, "--set", "cores")
	says(t, 2, "--former goes with --update", "releases", "import-list", page, "--former", page)
	says(t, 1, "table 9 does not exist; the file has 3", "releases", "import-list", page, "--table", "9")
}

// A proposed naming rule is tried on the processors of the service.
func TestProposedRulesAndTheFleet(t *testing.T) {
	s := servertest.Demo(t, nil)
	page := filepath.Join("..", "tables", "testdata", "messy.html")
	out := says(t, 0, "includes of the fleet: ", "releases", "import-list", page, "--fleet", "--server", s.URL,
		"--token", s.Token)
	expect.Contains(t, out, "Corvane K5-9400")
	expect.Contains(t, out, "excludes of the fleet: ")
	says(t, 2, "no service is configured", "releases", "import-list", page, "--fleet")
}

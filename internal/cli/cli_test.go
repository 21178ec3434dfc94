package cli_test

import (
	"bytes"
	"context"
	"encoding/csv"
	"encoding/json"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/results"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/cli"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
	"rolltop.example/rolltop/internal/standin"
)

// What the environment says of a service must not lead a test there.
func TestMain(m *testing.M) {
	for _, v := range os.Environ() {
		if name, _, _ := strings.Cut(v, "="); strings.HasPrefix(name, "ROLLTOP_") {
			os.Unsetenv(name)
		}
	}
	os.Setenv("COLUMNS", "100") // the width of text that is looked for
	os.Exit(m.Run())
}

// rolltop runs a command line and returns its exit status and what it printed.
func rolltop(t *testing.T, args ...string) (code int, out, errOut string) {
	t.Helper()
	var o, e bytes.Buffer
	code = cli.Run(context.Background(), args, &o, &e)
	t.Logf("%q ended with %d and this on standard error: %s", args, code, &e)
	return code, o.String(), e.String()
}

// files writes the demo's release documents and a machine of each kind, and
// returns their directory.
func files(t *testing.T) string {
	t.Helper()
	dir := t.TempDir()
	write := func(name string, b []byte) {
		if err := os.WriteFile(filepath.Join(dir, name), b, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.CopyFS(dir, standin.ReleaseFiles()); err != nil {
		t.Fatal(err)
	}
	org, err := standin.Load()
	if err != nil {
		t.Fatal(err)
	}
	fleet, err := org.Fleet(time.Now())
	if err != nil {
		t.Fatal(err)
	}
	kinds := map[string]func(*inventory.Document) bool{
		"legacy.json": func(d *inventory.Document) bool {
			return d.Firmware.BootMode.Or("") == "legacy" && d.TPM.State.Or("") == "ready" &&
				d.Firmware.UEFICapable.Or(false) && d.Storage.System.Encryption.State.Or("") == "on" &&
				d.TPM.Kind.Or("") == "firmware"
		},
		"guest.json": func(d *inventory.Document) bool { return d.Device.Environment.Or("") == "guest" },
		"unknown.json": func(d *inventory.Document) bool {
			return !d.Collector.Elevated.Or(true) && d.OS.Platform.Or("") == "windows"
		},
		"mac.json": func(d *inventory.Document) bool { return d.OS.Platform.Or("") == "macos" },
		"ready.json": func(d *inventory.Document) bool {
			return d.Storage.System.Encryption.State.Or("") == "on" && d.TPM.State.Or("") == "ready" &&
				d.Firmware.SecureBoot.Or("") == "on" && d.OS.Version.Or("") == "11.2"
		},
		"replaced.json": func(d *inventory.Document) bool { return d.Processor.Architecture.Or("") == "x86" },
	}
	for name, is := range kinds {
		for _, d := range fleet {
			if is(d) {
				b, _ := json.Marshal(d)
				write(name, b)
				break
			}
		}
		if _, err := os.Stat(filepath.Join(dir, name)); err != nil {
			t.Fatalf("the fleet has no machine for %s", name)
		}
	}
	return dir
}

func TestExitStatus(t *testing.T) {
	dir := files(t)
	at := func(name string) string { return filepath.Join(dir, name) }
	check := func(inventories ...string) []string {
		args := []string{"check", "--release", at("skerry-12.yaml")}
		for _, i := range inventories {
			args = append(args, "--inventory", at(i))
		}
		return args
	}
	tests := []struct {
		name string
		args []string
		code int
		err  string
	}{
		{"ready", check("ready.json"), 0, ""}, {"not ready", check("legacy.json"), 10, ""},
		{"undetermined", check("unknown.json"), 11, ""},
		{"wrong class", check("mac.json"), 2, "is a Mac, and Skerry 12 installs on PCs only"},
		{"10 wins over 11 and 0", check("ready.json", "unknown.json", "legacy.json"), 10, ""},
		{"11 wins over 0", check("unknown.json", "ready.json"), 11, ""},
		{"2 wins over 10", check("legacy.json", "mac.json"), 2, "installs on PCs only"},
		{"1 wins over 2", check("mac.json", "nowhere.json"), 1, "nowhere.json cannot be read: the file does not exist"},
		{"no release", []string{"check"}, 2, "give --release FILE"},
		{"release nowhere", []string{"check", "--release", at("none.yaml")}, 1,
			"cannot be read: the file does not exist"},
		{"release by id without a service", []string{"check", "--release", "skerry-12"}, 1,
			"to use a release of a service by its id, give --server"},
		{"release is a directory", []string{"check", "--release", dir}, 1, "is a directory; name a file in it"},
		{"release is an inventory", []string{"check", "--release", at("legacy.json")}, 1,
			"is another kind of document; this should be rolltop-release/1"},
		{"inventory is a release", check("skerry-12.yaml"), 1,
			"is another kind of document; this should be rolltop-inventory/1"},
		{
			"format",
			append(check("ready.json"), "--format", "jsn"),
			2,
			`--format "jsn" is not a valid value; did you mean "json"?`,
		},
		{"unknown option", []string{"check", "--relase", "x"}, 2,
			`there is no option --relase; did you mean "--release"?`},
		{"unknown letter", []string{"check", "-x"}, 2, "there is no option -x; see rolltop check --help"},
		{"option without a value", []string{"check", "--release"}, 2, "--release has no value"},
		{"a word for a number", []string{"machines", "--size", "many"}, 2,
			`--size "many" is not a valid value; write a whole number`},
		{"a word for yes or no", []string{"waves", "add", "A", "--pilot=maybe"}, 2,
			`--pilot "maybe" is not a valid value; write true or false`},
		{"unknown command", []string{"chek"}, 2, `did you mean "check"?`},
		{"too many arguments", []string{"inspect", "x"}, 2, "unexpected argument"},
		{"no service", []string{"machines"}, 2, "set ROLLTOP_SERVER"},
		{"unreachable", []string{"machines", "--server", "http://127.0.0.1:1"}, 1, "does not respond"},
		{"address", []string{"machines", "--server", "nowhere"}, 2, "is not the address of a service"},
		{"listen", []string{"demo", "--listen", "nowhere"}, 2, "is not an address to listen on"},
		{"users without a database", []string{"users", "set", "x", "--database", at("none.db")}, 1,
			"the file does not exist"},
		{"role", []string{"users", "set", "x", "--role", "king"}, 2, "use viewer, technician, administrator"},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			code, out, errOut := rolltop(t, tt.args...)
			if code != tt.code || !strings.Contains(errOut, tt.err) {
				t.Errorf("status %d, want %d\n%s\n%s", code, tt.code, errOut, out)
			}
			if strings.Contains(errOut, "goroutine") || strings.Contains(errOut, "Usage:") {
				t.Errorf("the error is not calm:\n%s", errOut)
			}
		})
	}
}

func TestCheckText(t *testing.T) {
	dir := files(t)
	_, out, _ := rolltop(t, "check", "--release", filepath.Join(dir, "skerry-12.yaml"), "--inventory",
		filepath.Join(dir, "legacy.json"))
	// The answer comes first, then fails with has → needs, reason and step,
	// unknowns with how to close them, one line for the rest.
	order := []string{
		"LANT-001 · Fennick Tern 2", "◐ Reconfigure, expected: A disk conversion", "The plan needs no part.",
		"Skerry 12, revision 5", "Not met:", "Partition style GPT", "has MBR → needs GPT; step 4",
		"The disk has an MBR partition table.", "Boot mode UEFI: has legacy → needs UEFI; step 6", "Unknown: 1 of 16",
		"To find it out:", "requirements are met: 64-bit processor", "The plan, in this order", "Remotely",
		"1. Back up the whole disk", "At the desk", "Caution:",
	}
	last := -1
	for _, s := range order {
		at := strings.Index(out, s)
		if at < 0 {
			t.Errorf("it does not say %q", s)
		} else if at < last {
			t.Errorf("%q comes too early", s)
		}
		last = max(last, at)
	}
	if strings.Contains(out, "\x1b[") {
		t.Error("colours in a pipe")
	}
	for line := range strings.Lines(out) {
		if n := len([]rune(strings.TrimRight(line, "\n"))); n > 100 {
			t.Errorf("a line of %d characters: %s", n, line)
		}
	}
	_, all, _ := rolltop(t, "check", "--verbose", "--release", filepath.Join(dir, "skerry-12.yaml"), "--inventory",
		filepath.Join(dir, "legacy.json"))
	for _, s := range []string{"Reason:", "Done when:", "firmware.boot_mode: legacy", "Also checked"} {
		if !strings.Contains(all, s) {
			t.Errorf("--all does not say %q", s)
		}
	}
	_, gone, _ := rolltop(t, "check", "--release", filepath.Join(dir, "skerry-12.yaml"), "--inventory",
		filepath.Join(dir, "replaced.json"))
	if strings.Contains(gone, "To close it") || !strings.Contains(gone, "Nothing on this machine can change it.") {
		t.Errorf("a machine to replace:\n%s", gone)
	}
}

func TestCheckFormats(t *testing.T) {
	dir := files(t)
	rel := filepath.Join(dir, "skerry-12.yaml")
	_, out, _ := rolltop(t, "check", "--format", "json", "--release", rel, "--inventory",
		filepath.Join(dir, "guest.json"))
	var one assess.Document
	err := json.Unmarshal([]byte(out), &one)
	expect.NoError(t, err)
	expect.Same(t, "one.Format", one.Format, "rolltop-check/1")
	expect.Same(t, "one.Release.ID", one.Release.ID, "skerry-12")
	expect.Same(t, "one.Release.Revision", one.Release.Revision, 5)
	expect.Same(t, "one.Plan[1].Step", one.Plan[1].Step, "host-tpm")
	_, out, _ = rolltop(t, "check", "--format", "json", "--release", rel, "--inventory",
		filepath.Join(dir, "guest.json"), "--inventory", filepath.Join(dir, "ready.json"))
	var several cli.Checks
	if err := json.Unmarshal([]byte(out), &several); err != nil || len(several.Checks) != 2 {
		t.Errorf("%v: %.200s", err, out)
	}
	_, out, _ = rolltop(t, "check", "--format", "csv", "--release", rel, "--inventory",
		filepath.Join(dir, "guest.json"), "--inventory", filepath.Join(dir, "ready.json"))
	rows, err := csv.NewReader(strings.NewReader(out)).ReadAll()
	expect.NoError(t, err)
	expect.Same(t, "len(rows)", len(rows), 3)
	expect.Same(t, "rows[0][5]", rows[0][5], "disposition")
	expect.Same(t, "rows[2][5]", rows[2][5], "ready")
}

func TestInspect(t *testing.T) {
	code, out, _ := rolltop(t, "inspect")
	expect.Same(t, "code", code, 0)
	expect.Contains(t, out, "Processor")
	expect.Contains(t, out, "Secure boot")
	_, out, _ = rolltop(t, "inspect", "--format", "json")
	d, err := inventory.Read("inspect", []byte(out))
	if err != nil {
		t.Fatal(err)
	}
	// What is written can be checked again from the file.
	path := filepath.Join(t.TempDir(), "me.json")
	if err := os.WriteFile(path, []byte(out), 0o600); err != nil {
		t.Fatal(err)
	}
	code, out, _ = rolltop(t, "check", "--release", filepath.Join(files(t), "skerry-12.yaml"), "--inventory", path)
	if !slices.Contains([]int{0, 10, 11}, code) {
		t.Errorf("%d %s", code, out)
	}
	if !strings.Contains(out, d.Device.Name.Or("")) {
		t.Errorf("the machine is not named: %.200s", out)
	}
	if code, out, _ = rolltop(t, "inspect", "--verbose"); code != 0 || !strings.Contains(out, "Platform") {
		t.Errorf("--all: %d %.300s", code, out)
	}
}

func TestService(t *testing.T) {
	s := servertest.Demo(t, nil)
	t.Setenv("ROLLTOP_SERVER", s.URL)
	t.Setenv("ROLLTOP_TOKEN", s.Token)
	dir := files(t)
	has := func(code int, want string, args ...string) string {
		t.Helper()
		got, out, errOut := rolltop(t, args...)
		if got != code || !strings.Contains(out+errOut, want) {
			t.Errorf("rolltop %v: status %d, want %d with %q\n%.600s%s", args, got, code, want, out, errOut)
		}
		return out
	}
	has(0, "30 machines.", "machines", "--where", "disposition=refit")
	has(0, "No machine matches.", "machines", "--where", "nothing-like-it")
	has(0, "10 of 284 machines; --page shows the others.", "machines", "--size", "10")
	has(2, `did you mean "disposition"?`, "machines", "--where", "dispositon=ready")
	has(0, "Reconfigure", "machines", "show", "lant-001")
	has(0, "Installed system", "machines", "show", "lant-001", "--verbose")
	has(1, `there is no machine "lant-999"`, "machines", "show", "lant-999")
	kept := filepath.Join(dir, "kept.json")
	if err := os.WriteFile(kept, []byte(has(0, "rolltop-inventory/1", "machines", "get", "lant-001")),
		0o600); err != nil {
		t.Fatal(err)
	}
	has(0, "Corvane K5-10500T, 6 cores, 12 threads, rated 2.3 GHz", "inspect", "--inventory", kept)
	has(2, "exclude each other", "inspect", "--inventory", kept, "--root", dir)
	has(0, "new readings of a known machine", "submit", "--inventory", changed(t, filepath.Join(dir, "ready.json")))
	has(0, "received", "submit")
	has(1, "is another kind of document", "submit", "--inventory", filepath.Join(dir, "skerry-12.yaml"))
	has(0, "skerry-12", "releases")
	has(0, "Installed memory of at least 6 GiB. Better: installed memory of at least 12 GiB.", "releases", "show",
		"skerry-12")
	has(0, "valid; Fathom 9, revision 2, six requirements", "releases", "validate",
		filepath.Join(dir, "fathom-9.yaml"))
	has(0, "already added, unchanged", "releases", "add", filepath.Join(dir, "fathom-9.yaml"))
	has(1, "cannot be the target of Macs", "releases", "target", "--mac", "skerry-12")
	has(0, "PCs are checked against skerry-12, Macs against fathom-9.", "releases", "target", "--pc", "skerry-12")
	has(2, "the target is missing", "releases", "target")
	has(0, "PCs are checked against skerry-13 instead of skerry-12, Macs", "releases", "target", "--pc", "skerry-13",
		"--testing")
	has(0, "PCs are checked against skerry-12 instead of skerry-13, Macs", "releases", "target", "--pc", "skerry-12")
	has(10, "4. Convert the disk to GPT", "check", "--release", "skerry-12", "--inventory",
		filepath.Join(dir, "legacy.json"))
	has(0, "Sandpiper Steps", "sites")
	has(0, "Ten sites now", "sites", "set", "TEST=Test Bench", "GULL=Gull Quay North")
	has(0, "Gull Quay North", "machines", "show", "gull-001", "--format", "json")
	has(0, "Nine sites now", "sites", "remove", "TEST", "--yes")
	has(2, "no site has the prefix", "sites", "remove", "TEST", "--yes")
	has(2, "write it as PREFIX=NAME", "sites", "set", "GULL")
	secret := strings.TrimSpace(has(0, "rlt_", "tokens", "add", "counter", "--scope", "submit"))
	list := has(0, "counter", "tokens")
	id := regexp.MustCompile(`(?m)^(\d+) +counter`).FindStringSubmatch(list)[1]
	file := filepath.Join(dir, "token")
	if err := os.WriteFile(file, []byte(secret+"\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	os.Unsetenv("ROLLTOP_TOKEN")
	has(1, "this needs the permission read, but counter has submit", "machines", "--token-file", file)
	has(1, "pass a valid token", "machines", "--token", "rlt_wrong")
	has(0, "is removed", "tokens", "remove", id, "--yes", "--token", s.Token)
	has(1, "pass a valid token", "submit", "--token", secret)
	has(2, "is not the id of a token", "tokens", "remove", "counter", "--token", s.Token)
	var l api.MachineList
	if err := json.Unmarshal([]byte(has(0, "", "machines", "--format", "json", "--token", s.Token, "--size", "1000")),
		&l); err != nil || l.Total < 284 {
		t.Errorf("%v, %d machines", err, l.Total)
	}
	config := filepath.Join(dir, "config.yaml")
	if err := os.WriteFile(config, []byte("token: "+s.Token+"\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	has(0, "3 of ", "machines", "--size", "3", "--config", config)
}

// changed is a copy of an inventory file with other readings, an hour later.
func changed(t *testing.T, path string) string {
	t.Helper()
	b, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	d, err := inventory.Read(path, b)
	if err != nil {
		t.Fatal(err)
	}
	d.Storage.System.FreeBytes = inventory.Some(int64(1e9))
	d.TakenAt = time.Now()
	b, _ = json.Marshal(d)
	path += ".changed"
	if err := os.WriteFile(path, b, 0o600); err != nil {
		t.Fatal(err)
	}
	return path
}

func TestValidateNamesEveryMistakeWithItsPlace(t *testing.T) {
	path := filepath.Join(files(t), "skerry-12.yaml")
	src, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	bad := strings.NewReplacer("fact: tpm.state", "fact: tpm.sate", "at_least: 6 GiB", "at_least: 6 GB", "revision: 5",
		"revision: -4").Replace(string(src))
	if err := os.WriteFile(path, []byte(bad), 0o600); err != nil {
		t.Fatal(err)
	}
	code, _, errOut := rolltop(t, "releases", "validate", path)
	lines := strings.Split(strings.TrimSpace(errOut), "\n")
	if code != 1 || len(lines) != 3 {
		t.Fatalf("%d\n%s", code, errOut)
	}
	for i, want := range []string{
		"6:11: revision: -4 is out of range", "memory is written with MiB, GiB or TiB", `did you mean "tpm.state"?`,
	} {
		if !strings.HasPrefix(lines[i], path+":") || !strings.Contains(lines[i], want) {
			t.Errorf("%s\nwant %s", lines[i], want)
		}
	}
}

func TestHugeFile(t *testing.T) {
	path := filepath.Join(t.TempDir(), "huge.json")
	f, err := os.Create(path)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	if err := f.Truncate(200 << 20); err != nil {
		t.Fatal(err)
	}
	for _, args := range [][]string{
		{"check", "--release", path}, {"releases", "validate", path},
		{"check", "--release", filepath.Join(files(t), "skerry-12.yaml"), "--inventory", path},
	} {
		code, _, errOut := rolltop(t, args...)
		expect.Same(t, "code", code, 1)
		file, inventory := "larger than 8 MB", "the inventory is larger than 1 MiB"
		expect.That(t, errOut+" names the size", strings.Contains(errOut, file) || strings.Contains(errOut, inventory))
	}
}

func TestReports(t *testing.T) {
	dir := files(t)
	base := []string{
		"check", "--release", filepath.Join(dir, "skerry-12.yaml"), "--inventory", filepath.Join(dir, "legacy.json"),
	}
	with := func(args ...string) (int, string, string) { return rolltop(t, append(slices.Clone(base), args...)...) }
	path := filepath.Join(dir, "report.html")
	code, out, errOut := with("--format", "html", "--output", path)
	expect.Same(t, "code", code, 10)
	expect.Same(t, "out", out, "")
	expect.Contains(t, errOut, "written")
	first, err := os.ReadFile(path)
	expect.NoError(t, err)
	expect.That(t, `strings.HasPrefix(string(first), "<!doctype html>")`,
		strings.HasPrefix(string(first), "<!doctype html>"))
	expect.Contains(t, string(first), "A disk conversion")
	// A file that is there stays as it is.
	if code, _, errOut := with("--format", "html", "--for", "user", "--output", path); code != 1 ||
		!strings.Contains(errOut, "already exists") {
		t.Errorf("%d %q", code, errOut)
	}
	if now, _ := os.ReadFile(path); !bytes.Equal(first, now) {
		t.Error("a report was written over")
	}
	// Two machines are two parts of one page.
	if _, out, _ := with("--inventory", filepath.Join(dir, "ready.json"), "--format", "html"); strings.Count(out,
		"<article>") != 2 {
		t.Errorf("%.300s", out)
	}
	code, out, _ = with("--format", "markdown")
	expect.Same(t, "code", code, 10)
	expect.That(t, `strings.HasPrefix(out, "# LANT-001")`, strings.HasPrefix(out, "# LANT-001"))
	expect.Contains(t, out, "## Not met")
	if _, out, _ := with("--format", "eml", "--from", "ada@ferries.example", "--to",
		"ben@ferries.example"); !strings.HasPrefix(out,
		"From: <ada@ferries.example>\r\nTo: <ben@ferries.example>\r\n") {
		t.Errorf("%.300s", out)
	}
	for _, tt := range []struct{ args, says string }{
		{"--redact", "applies to reports only"},
		{"--format html --for usr", "user"}, {"--format markdown --for user", "for technicians"},
		{"--format eml", "--from ada@ferries.example"}, {"--format eml --from ada", "not an e-mail address"},
		{"--format pdf", "html"},
	} {
		t.Run(tt.args, func(t *testing.T) {
			code, out, errOut := with(strings.Fields(tt.args)...)
			expect.Same(t, "code", code, 2)
			expect.Same(t, "out", out, "")
			expect.Contains(t, errOut, tt.says)
		})
	}
	if code, _, errOut := with("--format", "html", "--output", filepath.Join(dir, "nowhere", "x.html")); code != 1 ||
		!strings.Contains(errOut, "cannot be written") {
		t.Errorf("%d %q", code, errOut)
	}
}

func TestCheckAfterTheWork(t *testing.T) {
	dir := files(t)
	before := filepath.Join(dir, "legacy.json")
	src, err := os.ReadFile(before)
	if err != nil {
		t.Fatal(err)
	}
	d, err := inventory.Read("legacy.json", src)
	if err != nil {
		t.Fatal(err)
	}
	d.TakenAt = d.TakenAt.Add(24 * time.Hour)
	d.Storage.System.PartitionStyle, d.Storage.Boot.PartitionStyle = inventory.Some("gpt"), inventory.Some("gpt")
	d.Storage.System.Encryption.State = inventory.Some("paused")
	later := filepath.Join(dir, "later.json")
	b, err := json.Marshal(d)
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(later, b, 0o600); err != nil {
		t.Fatal(err)
	}
	base := []string{"check", "--release", filepath.Join(dir, "skerry-12.yaml"), "--inventory", later, "--since"}
	code, out, _ := rolltop(t, append(base, before)...)
	for _, s := range []string{
		"◐ Reconfigure, as before: one requirement is settled; left: ",
		"! The encryption of the system volume is paused", "4. Convert the disk to GPT: worked.",
		"boot mode to UEFI; start once: no effect.", "Check first: The setting was not saved", "It waits for step 6",
		"Partition style GPT: settled; had MBR, has GPT, needs GPT",
	} {
		if code != 10 || !strings.Contains(strings.Join(strings.Fields(out), " "), s) {
			t.Errorf("%d: it does not say %q:\n%s", code, s, out)
		}
	}
	_, out, _ = rolltop(t, append(base, before, "--format", "json")...)
	var doc results.Document
	err = json.Unmarshal([]byte(out), &doc)
	expect.NoError(t, err)
	expect.Same(t, "doc.Format", doc.Format, results.Format)
	expect.Same(t, "len(doc.Notes)", len(doc.Notes), 1)
	expect.Same(t, "doc.Release.ID", doc.Release.ID, "skerry-12")
	for _, tt := range []struct {
		args []string
		code int
		says string
	}{
		{[]string{filepath.Join(dir, "ready.json")}, 2, "two machines"},
		{[]string{filepath.Join(dir, "mac.json")}, 2, "is a Mac"},
		{[]string{before, "--format", "csv"}, 2, "--since prints text or json"},
		{[]string{before, "--inventory", before}, 2, "one machine and one release"},
		{[]string{filepath.Join(dir, "nowhere.json")}, 1, "cannot be read"},
		{[]string{before, "--release", "skerry-12@4x"}, 2, `"4x" is not a revision`},
	} {
		t.Run(tt.says, func(t *testing.T) {
			code, out, errOut := rolltop(t, append(slices.Clone(base), tt.args...)...)
			expect.Same(t, "code", code, tt.code)
			expect.Same(t, "out", out, "")
			expect.Contains(t, errOut, tt.says)
		})
	}
}

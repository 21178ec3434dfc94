package cli_test

import (
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
)

// Blocks of the tutorial, and the first line of one that goes into a file.
var (
	tutorialBlock = regexp.MustCompile("(?s)```(sh|text|yaml)\n(.*?)```")
	wholeFile     = regexp.MustCompile(`^# (\S+)$`)
	partOfFile    = regexp.MustCompile(`^# in (\S+), (below|instead of): (.*)$`)
)

// Whoever follows the tutorial gets what it shows: every command is run by a shell, with the program as it is built;
// every block of a document is written; and every line of a text block is in what the commands before it print.
func TestTutorial(t *testing.T) {
	dir, bin := t.TempDir(), t.TempDir()
	expect.NoError(t, os.CopyFS(dir, os.DirFS("../../docs/tutorial")))
	build := exec.Command("go", "build", "-o", filepath.Join(bin, "rolltop"), "../../cmd/rolltop")
	out, err := build.CombinedOutput()
	expect.That(t, "the program is built: "+string(out), err == nil)
	s := servertest.Demo(t, nil)
	env := append(os.Environ(), "PATH="+bin+string(os.PathListSeparator)+os.Getenv("PATH"), "ROLLTOP_SERVER="+s.URL,
		"ROLLTOP_TOKEN="+s.Token, "COLUMNS=100")
	text, err := os.ReadFile(filepath.Join(dir, "README.md"))
	expect.NoError(t, err)
	printed, commands, shown := "", 0, 0
	for _, block := range tutorialBlock.FindAllStringSubmatch(string(text), -1) {
		switch block[1] {
		case "sh":
			printed = ""
			for _, line := range strings.Split(strings.ReplaceAll(block[2], "\\\n", " "), "\n") {
				if strings.TrimSpace(line) == "" {
					continue
				}
				commands++
				printed += follow(t, dir, env, line)
			}
		case "text":
			for _, line := range strings.Split(strings.TrimSpace(block[2]), "\n") {
				shown++
				if !strings.Contains(flatText(printed), flatText(line)) {
					t.Errorf("the commands do not print %q:\n%s", line, printed)
				}
			}
		case "yaml":
			write(t, dir, block[2])
		}
	}
	expect.That(t, "the tutorial has commands and what they print", commands >= 15 && shown >= 20)
}

func flatText(s string) string { return strings.Join(strings.Fields(s), " ") }

// follow runs a command. It may end with the status of a disposition, and not with that of an error.
func follow(t *testing.T, dir string, env []string, line string) string {
	t.Helper()
	c := exec.Command("sh", "-c", line)
	c.Dir, c.Env = dir, env
	out, err := c.CombinedOutput()
	code := c.ProcessState.ExitCode()
	broken := code == 1 || code == 2 || code > 100
	if err != nil && broken {
		t.Errorf("%s\n  ends with %d: %s", line, code, out)
	}
	return string(out)
}

// write puts a block of a document into its file.
func write(t *testing.T, dir, block string) {
	t.Helper()
	head, body, _ := strings.Cut(block, "\n")
	if m := wholeFile.FindStringSubmatch(head); m != nil {
		expect.NoError(t, os.WriteFile(filepath.Join(dir, m[1]), []byte(body), 0o600))
		return
	}
	m := partOfFile.FindStringSubmatch(head)
	expect.That(t, "the block says where it goes: "+head, m != nil)
	path := filepath.Join(dir, m[1])
	src, err := os.ReadFile(path)
	expect.NoError(t, err)
	lines := strings.SplitAfter(string(src), "\n")
	for i, line := range lines {
		if strings.TrimSpace(line) != m[3] {
			continue
		}
		if lines[i] += body; m[2] == "instead of" {
			lines[i] = body
		}
		expect.NoError(t, os.WriteFile(path, []byte(strings.Join(lines, "")), 0o600))
		return
	}
	t.Fatalf("%s has no line %q", m[1], m[3])
}

package cli_test

import (
	"encoding/csv"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
)

func fileWith(t *testing.T, text string) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), "file")
	if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
	return path
}

// The command line counts more than the environment, and that more than the file; a token
// and a file with one are one option.
func TestWhereOptionsComeFrom(t *testing.T) {
	s := servertest.Start(t, nil)
	good, bad := s.Token, "rlt_wrong"
	goodFile, badFile := fileWith(t, good+"\n"), fileWith(t, bad)
	for _, c := range []struct {
		name        string
		args        []string
		environment map[string]string
		config      string
		code        int
		says        string
	}{
		{"the command line", []string{"--token", good}, map[string]string{"ROLLTOP_TOKEN": bad}, "token: " + bad, 0,
			"No machine"},
		{"a file on the command line", []string{"--token-file", goodFile}, map[string]string{"ROLLTOP_TOKEN": bad},
			"token: " + bad, 0, "No machine"},
		{"a token on the command line", []string{"--token", good}, map[string]string{"ROLLTOP_TOKEN_FILE": badFile}, "",
			0, "No machine"},
		{"the environment", nil, map[string]string{"ROLLTOP_TOKEN": good}, "token-file: " + badFile, 0, "No machine"},
		{"a file in the environment", nil, map[string]string{"ROLLTOP_TOKEN_FILE": goodFile}, "token: " + bad, 0,
			"No machine"},
		{"the file", nil, nil, "token: " + good, 0, "No machine"},
		{"both on the command line", []string{"--token", good, "--token-file", goodFile}, nil, "", 2,
			"use one of them"},
		{"both in the file", nil, nil, "token: " + good + "\ntoken-file: " + goodFile, 2, "use one of them"},
		{"a file that does not exist", []string{"--token-file", "/nowhere/token"},
			map[string]string{"ROLLTOP_TOKEN": good}, "", 1, "/nowhere/token cannot be read"},
		{"an empty file", []string{"--token-file", fileWith(t, "\n")}, nil, "", 1, "contains no token"},
		{"an unknown key", nil, map[string]string{"ROLLTOP_TOKEN": good}, "servr: http://127.0.0.1:1", 2,
			`unknown setting "servr"; did you mean "server"?`},
		{"a key that confirms", nil, nil, "sure: true", 2, `unknown setting "sure"`},
		{"a wrong value", nil, map[string]string{"ROLLTOP_VERBOSE": "x"}, "", 0, ""}, // devices has no such option
	} {
		t.Run(c.name, func(t *testing.T) {
			args := append([]string{"machines", "--server", s.URL}, c.args...)
			if c.config != "" {
				args = append(args, "--config", fileWith(t, c.config))
			}
			if _, given := c.environment["ROLLTOP_VERBOSE"]; given {
				args = append(args, "--token", good)
			}
			for name, value := range c.environment {
				t.Setenv(name, value)
			}
			if code, out, errOut := rolltop(t, args...); code != c.code || !strings.Contains(out+errOut, c.says) {
				t.Errorf("%d, want %d and %q\n%s%s", code, c.code, c.says, out, errOut)
			}
		})
	}
}

// What is left in the environment neither confirms nor picks anything.
func TestTheEnvironmentConfirmsNothing(t *testing.T) {
	s := servertest.Demo(t, nil)
	for name, value := range map[string]string{
		"ROLLTOP_SURE":    "1",
		"ROLLTOP_KEEP":    "1",
		"ROLLTOP_ALL":     "1",
		"ROLLTOP_WHERE":   "tag=x",
		"ROLLTOP_FORMAT":  "json",
		"ROLLTOP_DRY_RUN": "x",
	} {
		t.Run(name, func(t *testing.T) {
			t.Setenv(name, value)
		})
	}
	at := []string{"--server", s.URL, "--token", s.Token}
	if code, _, errOut := rolltop(t, append([]string{"machines", "remove", "gull-014"}, at...)...); code != 2 ||
		!strings.Contains(errOut, "give --yes") {
		t.Errorf("%d %s", code, errOut)
	}
	if code, out, errOut := rolltop(t, append([]string{"machines"}, at...)...); code != 0 ||
		!strings.Contains(out, "200 of ") {
		t.Errorf("%d %.300s %s", code, out, errOut)
	}
}

// Lists for programs are complete, or say what is left.
func TestListsAreComplete(t *testing.T) {
	s := servertest.Demo(t, nil)
	l, err := s.Client.Machines(t.Context(), "", "name", 1, 1)
	if err != nil || l.Total < 250 {
		t.Fatalf("%+v %v", l, err)
	}
	run := func(args ...string) (string, string) {
		t.Helper()
		code, out, errOut := rolltop(t,
			append(append([]string{"machines"}, args...), "--server", s.URL, "--token", s.Token)...)
		if code != 0 {
			t.Fatalf("%v: %d %s", args, code, errOut)
		}
		return out, errOut
	}
	for _, form := range []string{"csv", "json", "ndjson"} {
		out, errOut := run("--format", form, "--facts", "tpm.state")
		n := 0
		switch form {
		case "csv":
			rows, err := csv.NewReader(strings.NewReader(out)).ReadAll()
			if err != nil {
				t.Fatal(err)
			}
			n = len(rows) - 1
		case "json":
			var got api.MachineList
			err := json.Unmarshal([]byte(out), &got)
			expect.NoError(t, err)
			expect.Same(t, "got.Total", got.Total, l.Total)
			expect.Same(t, "got.Next", got.Next, "")
			n = len(got.Machines)
		case "ndjson":
			n = strings.Count(out, "\n")
		}
		if n != l.Total || errOut != "" {
			t.Errorf("%s has %d of %d machines, and says %q", form, n, l.Total, errOut)
		}
		if _, errOut := run("--format", form, "--size", "10"); !strings.Contains(errOut, "10 of ") ||
			!strings.Contains(errOut, "--cursor") {
			t.Errorf("%s of ten says %q", form, errOut)
		}
	}
}

// What is wrong with the arguments of a command is said by their names.
func TestArguments(t *testing.T) {
	for _, c := range []struct{ args, says string }{
		{"machines show", "MACHINE is missing: rolltop machines show MACHINE"},
		{"machines show a b", `unexpected argument "b": rolltop machines show MACHINE`},
		{"machines facts set gull-014", "FACT=VALUE is missing"},
		{"machines gull-014", `unknown command "rolltop machines gull-014"`},
		{"machines shwo gull-014", `did you mean "show"?`},
		{"fleet nonsense", "unknown command"},
		{"serve now", `unexpected argument "now"`},
	} {
		t.Run(c.args, func(t *testing.T) {
			code, _, errOut := rolltop(t, strings.Fields(c.args)...)
			expect.Same(t, "code", code, 2)
			expect.Contains(t, errOut, c.says)
			expect.Lacks(t, errOut, "arg(s)")
		})
	}
}

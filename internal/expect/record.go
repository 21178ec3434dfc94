package expect

import (
	"flag"
	"os"
	"strings"
	"testing"
)

// Update is the flag -update of a package's tests: records in testdata are written anew.
var Update = flag.Bool("update", false, "write the records in testdata anew")

// shown is how many lines that differ from a record are shown.
const shown = 5

// Record compares a text with the one that a file keeps, line by line. With -update it writes the file.
func Record(t testing.TB, file, text string) {
	t.Helper()
	if *Update {
		NoError(t, os.WriteFile(file, []byte(text), 0o600))
	}
	written, err := os.ReadFile(file)
	NoError(t, err)
	is, was := strings.Split(text, "\n"), strings.Split(string(written), "\n")
	differ := 0
	for i := range max(len(is), len(was)) {
		a, b := "", ""
		if i < len(was) {
			a = was[i]
		}
		if i < len(is) {
			b = is[i]
		}
		if a == b {
			continue
		}
		if differ++; differ <= shown {
			t.Errorf("line %d was\n\t%s\nand is\n\t%s", i+1, a, b)
		}
	}
	if differ > shown {
		t.Errorf("%d lines differ", differ)
	}
}

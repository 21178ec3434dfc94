// Package coretest has what tests of several packages of the core use: the release documents of
// the demo, which are files. No program carries it.
package coretest

import (
	"errors"
	"os"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/release"
)

// releases is where the documents are, from the directory of a package of the core.
const releases = "../../internal/standin/releases/"

// Beside reads a file beside the demo's release documents, by its name. The errors are those of [os.ReadFile].
func Beside(name string) ([]byte, error) { return os.ReadFile(releases + name) }

// Text is a release document of the demo, by its id, such as skerry-12. A test that asks for one that is not there
// fails.
func Text(t testing.TB, id string) []byte {
	t.Helper()
	src, err := Beside(id + ".yaml")
	if err != nil {
		t.Fatal(err)
	}
	return src
}

// Release reads a release of the demo, by its id, such as skerry-12. A test that asks for one that is not there
// fails.
func Release(t testing.TB, id string) *release.Release {
	t.Helper()
	rel, err := release.Read(id+".yaml", Text(t, id), Beside)
	if err != nil {
		t.Fatal(err)
	}
	return rel
}

// Refused expects that a document is refused for one mistake, which is said once.
func Refused(t testing.TB, err error, want string) {
	t.Helper()
	if err == nil || !strings.Contains(err.Error(), want) {
		t.Errorf("got %v\nwant %s", err, want)
		return
	}
	if m := (*doc.Mistakes)(nil); errors.As(err, &m) && len(m.List) != 1 {
		t.Errorf("one mistake is said as %d: %v", len(m.List), err)
	}
}

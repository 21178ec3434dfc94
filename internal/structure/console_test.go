package structure

import (
	"bytes"
	"path/filepath"
	"regexp"
	"testing"
)

// maxComponentLines are the lines of a page of the console or a part of one.
const maxComponentLines = 250

var (
	call    = regexp.MustCompile(`\bapi\s*\.(GET|POST|PUT|DELETE)\(`)
	asked   = regexp.MustCompile(`\bask\(\s*api\s*\.(GET|POST|PUT|DELETE)\(`)
	silent  = regexp.MustCompile(`\.catch\(\(\) => (undefined|\{\})\)`)
	ownKey  = regexp.MustCompile(`useQuery\(\{\s*key:|\bkey: (\(\) => )?\['`)
	browser = regexp.MustCompile(`\bwindow\.(confirm|alert|prompt)\(`)
)

// silentCalls are the files where a call may fail without a word, and why.
var silentCalls = map[string]string{
	"App.vue":             "whoever signs out is signed out here, whatever the service says",
	"ReleaseEditPage.vue": "how far the judging is, is only shown",
	"IntakePage.vue":      "a browser may refuse the clipboard; the text stands beside",
	"MessageList.vue":     "a browser may refuse the clipboard; the text stands beside",
}

// A component of the console fits on few screens, asks the service in one way, which shows what
// fails, and takes its queries from where all of them are.
func TestConsoleHasOneWay(t *testing.T) {
	components := 0
	look := func(path string, src []byte) {
		components++
		name := filepath.Base(path)
		if n := bytes.Count(src, []byte("\n")); n > maxComponentLines {
			t.Errorf("%s has %d lines", path, n)
		}
		if len(call.FindAll(src, -1)) != len(asked.FindAll(src, -1)) {
			t.Errorf("%s calls the service without ask, and so loses what it says of a failure", path)
		}
		if _, may := silentCalls[name]; silent.Match(src) && !may {
			t.Errorf("%s has a failure that nobody sees", path)
		}
		if ownKey.Match(src) {
			t.Errorf("%s has a query of its own; queries.ts has all of them", path)
		}
		if browser.Match(src) {
			t.Errorf("%s asks with a dialog of the browser", path)
		}
	}
	each(t, "web/src", ".vue", look)
	if components < 50 {
		t.Errorf("only %d components were read", components)
	}
}

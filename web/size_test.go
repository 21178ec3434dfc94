package web_test

import (
	"bytes"
	"compress/gzip"
	"io/fs"
	"regexp"
	"testing"

	"rolltop.example/rolltop/web"
)

// maxScript is how much script the first page may take, packed: what a browser loads
// before anything else is asked for.
const maxScript = 150_000

func TestFirstLoadIsSmall(t *testing.T) {
	page, err := fs.ReadFile(web.Console(), "index.html")
	must(t, err)
	var packed bytes.Buffer
	found := regexp.MustCompile(`(?:src|href)="/(assets/[^"]+\.js)"`).FindAllSubmatch(page, -1)
	if len(found) == 0 {
		t.Fatalf("the first page names no script:\n%s", page)
	}
	for _, m := range found {
		src, err := fs.ReadFile(web.Console(), string(m[1]))
		must(t, err)
		z := gzip.NewWriter(&packed)
		_, err = z.Write(src)
		must(t, err, z.Close())
	}
	t.Logf("%d scripts, %d bytes packed", len(found), packed.Len())
	if packed.Len() > maxScript {
		t.Errorf("the first page takes %d bytes of packed script, and may take %d", packed.Len(), maxScript)
	}
}

package web_test

import (
	"encoding/json"
	"os"
	"os/exec"
	"testing"

	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
)

// A client that is generated from the description of the API in another language compiles and works.
func TestGeneratedClient(t *testing.T) {
	s := servertest.Demo(t, nil)
	const out = "test/out"
	t.Cleanup(func() { _ = os.RemoveAll(out) })
	command := func(args ...string) []byte {
		t.Helper()
		cmd := exec.Command("npx", append([]string{"--no-install"}, args...)...)
		if args[0] == "node" {
			cmd = exec.Command("node", args[1:]...)
		}
		text, err := cmd.CombinedOutput()
		if err != nil {
			t.Fatalf("%v: %v\n%.2000s", args, err, text)
		}
		return text
	}
	command("openapi-typescript", "../docs/formats/openapi.json", "-o", out+"/schema.d.ts")
	command("tsc", "--strict", "--target", "es2022", "--module", "esnext", "--moduleResolution", "bundler",
		"--skipLibCheck", "--lib", "es2022,dom,dom.iterable", "--outDir", out, "test/client.ts",
		"test/node.d.ts")
	text := command("node", out+"/client.js", s.URL, s.Token)
	var got struct {
		Total, Names, Again, First int
		Unknown                    struct{ Type, Detail string }
		Second                     struct {
			Status int
			Type   string
		}
	}
	if err := json.Unmarshal(text, &got); err != nil {
		t.Fatalf("%v: %s", err, text)
	}
	expect.That(t, "there are machines to refit", got.Total > 5 && got.Names == 5)
	expect.Same(t, "machines that come again on the next page", got.Again, 0)
	expect.Same(t, "type", got.Unknown.Type, "/api/v1/problems/not-found")
	expect.Contains(t, got.Unknown.Detail, `did you mean "GULL-014"?`)
	expect.Same(t, "the first change", got.First, 200)
	expect.Same(t, "the second change", got.Second.Status, 412)
	expect.Same(t, "type", got.Second.Type, "/api/v1/problems/changed-meanwhile")
}

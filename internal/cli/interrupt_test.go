package cli_test

import (
	"bytes"
	"context"
	"encoding/json"
	"strings"
	"testing"

	"rolltop.example/rolltop/internal/cli"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
)

// cancelling interrupts once so many bytes have come.
type cancelling struct {
	bytes.Buffer
	after  int
	cancel context.CancelFunc
}

func (c *cancelling) Write(b []byte) (int, error) {
	n, err := c.Buffer.Write(b)
	if c.Len() >= c.after {
		c.cancel()
	}
	return n, err
}

// A long list comes piece by piece, and Ctrl-C ends it: what has come is whole lines.
func TestInterrupted(t *testing.T) {
	s := servertest.Start(t, nil)
	for _, name := range []string{"A", "B"} {
		var lines strings.Builder
		for i := range 800 {
			line, err := json.Marshal(map[string]any{
				"format": "rolltop-inventory/1", "taken_at": "2026-11-01T00:00:00Z",
				"os": map[string]string{"platform": "windows"},
				"device": map[string]string{
					"class": "pc",
					"name": name + "-" + strings.Repeat("x", i%7) + string(rune('a'+i%26)) +
						strings.Repeat("y", i/26),
					"serial": name + strings.Repeat("s", i%50) + strings.Repeat("t", i/50),
				},
			})
			expect.NoError(t, err)
			lines.Write(append(line, '\n'))
		}
		var out, errOut bytes.Buffer
		code := cli.RunWith(t.Context(), []string{"import", "-", "--apply", "--server", s.URL, "--token", s.Token},
			strings.NewReader(lines.String()), &out, &errOut)
		expect.Same(t, "importing "+errOut.String(), code, 0)
	}
	ctx, cancel := context.WithCancel(t.Context())
	defer cancel()
	out, errOut := &cancelling{after: 1, cancel: cancel}, new(bytes.Buffer)
	code := cli.Run(ctx, []string{"machines", "--format", "ndjson", "--server", s.URL, "--token", s.Token}, out, errOut)
	expect.Same(t, "code", code, 1)
	expect.Same(t, "what is said", errOut.String(), "rolltop: interrupted\n")
	n := strings.Count(out.String(), "\n")
	expect.That(t, "a piece has come, and not all", n > 0 && n < 1600 && strings.HasSuffix(out.String(), "\n"))
}

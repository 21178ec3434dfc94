package cli_test

import (
	"bytes"
	"compress/gzip"
	"context"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
)

// soaking says that the long ones are run (make soak).
var soaking = os.Getenv("ROLLTOP_SOAK") != ""

// TestHostileTokens lets two tokens send the largest bodies that are taken, as fast and as
// many at once as they can, to a service that is a process of its own, and says how much
// memory that had, and how long lists took meanwhile.
func TestHostileTokens(t *testing.T) {
	if !soaking {
		t.Skip("it takes a while: make soak")
	}
	dir := t.TempDir()
	binary := filepath.Join(dir, "rolltop")
	build := exec.Command("go", "build", "-o", binary, "../../cmd/rolltop")
	build.Env = append(os.Environ(), "CGO_ENABLED=0")
	if text, err := build.CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, text)
	}
	said := new(lines)
	cmd := exec.Command(binary, "demo", "--listen", "127.0.0.1:0")
	cmd.Env = append(os.Environ(), "TMPDIR="+dir)
	cmd.Stdout, cmd.Stderr = said, said
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	defer func() { _ = cmd.Process.Kill(); _ = cmd.Wait() }()
	waitFor(t, said, "Ctrl-C")
	at := address.FindString(said.String())
	_, rest, _ := strings.Cut(said.String(), "ROLLTOP_TOKEN=")
	admin, err := client.New(at, strings.Fields(rest)[0])
	if err != nil {
		t.Fatal(err)
	}
	bodies := makeBodies()
	quiet := timesOf(t.Context(), admin, 40)
	before := resident(t, cmd.Process.Pid, "VmRSS")
	ctx, stop := context.WithTimeout(t.Context(), 30*time.Second)
	defer stop()
	var answers [600]atomic.Int64
	var wait sync.WaitGroup
	for i := range 2 {
		tok, err := admin.AddToken(t.Context(), api.NewToken{Name: fmt.Sprint("hostile ", i), Scope: "submit"})
		if err != nil {
			t.Fatal(err)
		}
		for k := range 40 {
			wait.Go(func() { hammer(ctx, at, tok.Secret, i*100+k, bodies, &answers) })
		}
	}
	busy := timesOf(ctx, admin, 100_000)
	wait.Wait()
	most := resident(t, cmd.Process.Pid, "VmHWM")
	count := map[int]int64{}
	for status := range answers {
		if n := answers[status].Load(); n > 0 {
			count[status] = n
		}
	}
	t.Logf("two hostile tokens for 30 s: %.0f MiB resident before, %.0f MiB at most; lists of 50 machines took %v at "+
		"the middle and %v at p99 (%v and %v before); answers %v (0: broken off)",
		before, most, at50(busy), at99(busy), at50(quiet), at99(quiet), count)
	if n := strings.Index(said.String(), "level=ERROR"); n >= 0 {
		t.Logf("%.600s", said.String()[n:])
	}
	if most > 500 {
		t.Errorf("the service had %.0f MiB", most)
	}
	if l, err := admin.Machines(t.Context(), "", "name", 1, 1); err != nil || l.Total < 250 {
		t.Errorf("afterwards: %+v %v", l.Total, err)
	}
}

// hostileBodies are made before anything is measured: making them takes as long as reading them.
type hostileBodies struct {
	plain  [][]byte
	packed []byte // 50 lines
}

func makeBodies() *hostileBodies {
	out := new(hostileBodies)
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	for n := range 50 {
		body := largest(n%10, n)
		out.plain = append(out.plain, body)
		_, _ = z.Write(append(slices.Clone(body), '\n'))
	}
	_ = z.Close()
	out.packed = b.Bytes()
	return out
}

// hammer sends the largest inventories, alone and as packed lines, until the context ends.
func hammer(ctx context.Context, at, token string, seed int, bodies *hostileBodies, answers *[600]atomic.Int64) {
	for n := 0; ctx.Err() == nil; n++ {
		body, kind, packed := bodies.plain[(seed+n)%len(bodies.plain)], "application/json", ""
		path := "/api/v1/inventories"
		if seed%4 == 1 {
			body, kind, path, packed = bodies.packed, "application/x-ndjson", "/api/v1/inventories/lines", "gzip"
		}
		req, err := http.NewRequestWithContext(ctx, http.MethodPost, at+path, bytes.NewReader(body))
		if err != nil {
			return
		}
		req.Header.Set("Content-Type", kind)
		req.Header.Set("Authorization", "Bearer "+token)
		if packed != "" {
			req.Header.Set("Content-Encoding", packed)
		}
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			answers[0].Add(1)
			continue
		}
		_, _ = io.Copy(io.Discard, res.Body)
		_ = res.Body.Close()
		answers[res.StatusCode].Add(1)
	}
}

// largest is an inventory of nearly a MiB, with as many titles as it may have.
func largest(seed, n int) []byte {
	var b bytes.Buffer
	fmt.Fprintf(
		&b,
		`{"format":"rolltop-inventory/1","taken_at":"2026-11-20T08:00:00Z","device":{"name":"BAD-%d-%d","serial":"BAD%d-%d","manufacturer":"Ostrel"},"os":{"platform":"windows"},"software":[`,
		seed,
		n%50,
		seed,
		n%50,
	)
	for i := range 3900 {
		if i > 0 {
			b.WriteByte(',')
		}
		fmt.Fprintf(&b, `{"name":"Title %d %d %s","version":"1.%d"}`, i, n, strings.Repeat("x", 200), n)
	}
	b.WriteString("]}")
	return b.Bytes()
}

func timesOf(ctx context.Context, c *client.Client, most int) []time.Duration {
	var out []time.Duration
	for range most {
		begin := time.Now()
		if _, err := c.Machines(ctx, "", "name", 1, 50); err != nil {
			return out
		}
		out = append(out, time.Since(begin))
		time.Sleep(20 * time.Millisecond)
	}
	return out
}

func at50(list []time.Duration) time.Duration { return at(list, 50) }
func at99(list []time.Duration) time.Duration { return at(list, 99) }

func at(list []time.Duration, percent int) time.Duration {
	if len(list) == 0 {
		return 0
	}
	slices.Sort(list)
	return list[len(list)*percent/100].Round(100 * time.Microsecond)
}

// resident is a figure of a process's memory in MiB, where the system tells.
func resident(t *testing.T, pid int, what string) float64 {
	t.Helper()
	src, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
	if err != nil {
		t.Skip("the system does not report a process's memory")
	}
	_, rest, _ := strings.Cut(string(src), what+":")
	var kb float64
	_, _ = fmt.Sscan(rest, &kb)
	return kb / 1024
}

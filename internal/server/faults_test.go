package server_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"os"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
)

// soaking says that the long ones are run (make soak).
var soaking = os.Getenv("ROLLTOP_SOAK") != ""

// What arrives broken, too large, twice or out of order gets a clear answer, and leaves
// what is stored as it was.
func TestBrokenSubmissions(t *testing.T) {
	t.Parallel()
	s := servertest.Start(t, nil)
	good := machine(t, func(*inventory.Document) {})
	if _, err := s.Client.Submit(ctx, good); err != nil {
		t.Fatal(err)
	}
	before, err := s.Client.Machine(ctx, "gull-900")
	if err != nil {
		before, err = s.Client.Machine(ctx, keyOf(t, s))
	}
	if err != nil {
		t.Fatal(err)
	}
	deep := `{"format":"rolltop-inventory/1","device":` + strings.Repeat(`{"a":`, 5000) + "1" + strings.Repeat("}",
		5000) + "}"
	for _, c := range []struct {
		name, body, says string
		status           int
	}{
		{"nothing", "", "", 400},
		{"cut off", string(good[:len(good)/2]), "is incomplete", 422},
		{"deep", deep, "nested too deeply", 422},
		{"too large", strings.Repeat(" ", doc.MaxBytes+100), "", 413},
		{"no text", "\xff\xfe\x00", "not a text file in UTF-8", 422},
		{"a list", "[]", "", 422},
	} {
		t.Run(c.name, func(t *testing.T) {
			status, _, body := call(t, "POST", s.URL+"/api/v1/inventories", s.Token, "application/json", c.body)
			expect.Same(t, "status", status, c.status)
			expect.Contains(t, body, c.says)
			expect.That(t, "len(body) <= 4000", len(body) <= 4000)
		})
	}
	// A body that says it is longer than it is, and stops.
	u, _ := url.Parse(s.URL)
	conn, err := net.Dial("tcp", u.Host)
	if err != nil {
		t.Fatal(err)
	}
	fmt.Fprintf(conn, "POST /api/v1/inventories HTTP/1.1\r\nHost: x\r\nAuthorization: Bearer %s\r\nContent-Type: "+
		"application/json\r\nContent-Length: 5000\r\n\r\n{\"format\":", s.Token)
	_ = conn.(*net.TCPConn).CloseWrite()
	if b, _ := io.ReadAll(conn); bytes.Contains(b, []byte(" 200 ")) {
		t.Errorf("half a body is taken: %s", b)
	}
	conn.Close()
	// The same twice at once, and an older one behind it.
	var all sync.WaitGroup
	for range 8 {
		all.Add(1)
		go func() {
			defer all.Done()
			if _, err := s.Client.Submit(ctx, good); err != nil {
				t.Error(err)
			}
		}()
	}
	all.Wait()
	older := machine(
		t,
		func(d *inventory.Document) { d.TakenAt = d.TakenAt.AddDate(0, -1, 0); d.OS.Build = inventory.Some("1") },
	)
	if got, err := s.Client.Submit(ctx, older); err != nil || got.Latest {
		t.Errorf("%+v %v", got, err)
	}
	after, err := s.Client.Machine(ctx, before.Key)
	expect.NoError(t, err)
	expect.Same(t, "len(after.History)", len(after.History), 2)
	expect.That(t, "after.TakenAt.Equal(before.TakenAt)", after.TakenAt.Equal(before.TakenAt))
	expect.Same(t, `total(t, s.Client, "")`, total(t, s.Client, ""), 1)
}

func keyOf(t *testing.T, s *servertest.Service) string {
	t.Helper()
	l, err := s.Client.Machines(ctx, "", "name", 1, 1)
	if err != nil || len(l.Machines) != 1 {
		t.Fatalf("%+v %v", l, err)
	}
	return l.Machines[0].Key
}

// A clock that jumps back loses nothing: sessions and tokens go by it, histories do not.
func TestClockJumpsBack(t *testing.T) {
	t.Parallel()
	var at atomic.Int64
	at.Store(time.Now().UnixNano())
	s := servertest.StartAt(t, nil, func() time.Time { return time.Unix(0, at.Load()) })
	first := machine(t, func(*inventory.Document) {})
	if _, err := s.Client.Submit(ctx, first); err != nil {
		t.Fatal(err)
	}
	at.Add(-int64(72 * time.Hour))
	second := machine(t, func(d *inventory.Document) {
		d.OS.Build = inventory.Some("2")
		d.TakenAt = d.TakenAt.Add(time.Minute)
	})
	if d, err := inventory.Read("x", second); err == nil &&
		d.TakenAt.Before(time.Unix(0, at.Load()).Add(24*time.Hour)) {
		if got, err := s.Client.Submit(ctx, second); err != nil || !got.Latest {
			t.Errorf("%+v %v", got, err)
		}
	} else if _, err := s.Client.Submit(ctx, second); err == nil || !strings.Contains(err.Error(), "is in the future") {
		t.Errorf("%v", err)
	}
	s.Upkeep.Round(ctx, time.Unix(0, at.Load()), true)
	if total(t, s.Client, "") != 1 {
		t.Error("the machine is gone")
	}
}

// Connections that are open and say nothing, or speak a letter at a time, keep nobody
// out.
func TestIdleConnections(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	u, _ := url.Parse(s.URL)
	n := 400
	if soaking {
		n = 10_000
		var files syscall.Rlimit // both ends are of this process
		if err := syscall.Getrlimit(syscall.RLIMIT_NOFILE, &files); err == nil {
			n = min(n, int(files.Cur-1000)/2)
		}
	}
	var idle []net.Conn
	defer func() {
		for _, c := range idle {
			c.Close()
		}
	}()
	for i := range n {
		c, err := net.Dial("tcp", u.Host)
		if err != nil {
			t.Fatalf("connection %d: %v (ulimit -n)", i, err)
		}
		idle = append(idle, c)
		if i%2 == 0 {
			fmt.Fprint(c, "GET /api/v1/fleet HTTP/1.1\r\nHost: x\r\nX-Slow: ")
		}
	}
	before := resident()
	for range 20 {
		if _, err := s.Client.Fleet(ctx, ""); err != nil {
			t.Fatal(err)
		}
	}
	t.Logf("%d idle connections, %.0f MiB resident", n, before)
}

// resident is the memory of this process in MiB, where the system tells.
func resident() float64 {
	src, _ := os.ReadFile("/proc/self/status")
	_, rest, _ := strings.Cut(string(src), "VmRSS:")
	var kb float64
	_, _ = fmt.Sscan(rest, &kb)
	return kb / 1024
}

// TestSoakIntake hands in 1,000 inventories a second for a minute, each over HTTP, and
// says how long acknowledgements took. Nothing that was acknowledged may be missing.
func TestSoakIntake(t *testing.T) {
	if !soaking {
		t.Skip("it takes a minute: make soak")
	}
	s := servertest.Demo(t, nil) // with targets: every machine is judged on the way
	const rate = 1000
	seconds := 60
	if n, err := strconv.Atoi(os.Getenv("ROLLTOP_SOAK_SECONDS")); err == nil {
		seconds = n
	}
	template := machine(t, func(*inventory.Document) {})
	var d inventory.Document
	if err := json.Unmarshal(template, &d); err != nil {
		t.Fatal(err)
	}
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 256, MaxConnsPerHost: 256}}
	var mu sync.Mutex
	var took []time.Duration
	kept, busy, failed := 0, 0, 0
	var all sync.WaitGroup
	begin := time.Now()
	for i := range rate * seconds {
		due := begin.Add(time.Duration(i) * time.Second / rate)
		time.Sleep(time.Until(due))
		one := d
		one.Device.Name = inventory.Some(fmt.Sprintf("SOAK-%05d", i%20000))
		one.Device.Serial = inventory.Some(fmt.Sprintf("S%05d", i%20000))
		one.Device.UUID = unknown
		one.OS.Build = inventory.Some(fmt.Sprint(i / 20000))
		body, _ := json.Marshal(&one)
		all.Add(1)
		go func() {
			defer all.Done()
			req, _ := http.NewRequest("POST", s.URL+"/api/v1/inventories", bytes.NewReader(body))
			req.Header.Set("Content-Type", "application/json")
			req.Header.Set("Authorization", "Bearer "+s.Token)
			at := due // waiting for its turn counts
			res, err := client.Do(req)
			if err == nil {
				_, _ = io.Copy(io.Discard, res.Body)
				res.Body.Close()
			}
			mu.Lock()
			defer mu.Unlock()
			took = append(took, time.Since(at))
			switch {
			case err != nil:
				failed++
			case res.StatusCode == 200:
				kept++
			case res.StatusCode == 503 && res.Header.Get("Retry-After") != "":
				busy++
			default:
				failed++
			}
		}()
	}
	all.Wait()
	slices.Sort(took)
	t.Logf("%d inventories in %.0f s: %d kept, %d told to come again, %d failed; acknowledged within %v at the "+
		"middle, %v at p99, %v at most; %.0f MiB resident", len(took), time.Since(begin).Seconds(), kept, busy, failed,
		took[len(took)/2].Round(time.Millisecond), took[len(took)*99/100].Round(time.Millisecond),
		took[len(took)-1].Round(time.Millisecond), resident())
	if failed > 0 {
		t.Errorf("%d failed", failed)
	}
	if n := total(t, s.Client, "soak-"); busy == 0 && n != min(20000, rate*seconds) {
		t.Errorf("%d machines of %d", n, min(20000, rate*seconds))
	}
}

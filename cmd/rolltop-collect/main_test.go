package main

import (
	"bytes"
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/client"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
	"rolltop.example/rolltop/internal/standin"
)

func TestMain(m *testing.M) {
	patience = client.Backoff{Tries: 2, First: time.Millisecond}
	dir, err := os.MkdirTemp("", "rolltop-key-")
	if err != nil {
		panic(err)
	}
	keyPath = filepath.Join(dir, "machine-key.pem") // and not that of the machine that tests
	code := m.Run()
	_ = os.RemoveAll(dir)
	os.Exit(code)
}

func collector(t testing.TB, args ...string) (code int, out, errOut string) {
	t.Helper()
	var o, e bytes.Buffer
	code = run(context.Background(), args, &o, &e)
	return code, o.String(), e.String()
}

func write(t *testing.T, name string, b []byte) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	if err := os.WriteFile(path, b, 0o600); err != nil {
		t.Fatal(err)
	}
	return path
}

func TestSummaryAndOut(t *testing.T) {
	code, out, errOut := collector(t)
	expect.Same(t, "code", code, 0)
	expect.Contains(t, out, "Processor")
	expect.Same(t, "errOut", errOut, "")
	path := filepath.Join(t.TempDir(), "me.json")
	if code, out, errOut = collector(t, "--output", path); code != 0 || out != "" {
		t.Fatalf("%d %q %s", code, out, errOut)
	}
	b, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := inventory.Read(path, b); err != nil {
		t.Error(err)
	}
	if st, _ := os.Stat(path); st.Mode().Perm() != 0o600 {
		t.Errorf("an inventory holds serial numbers, and its file is %v", st.Mode())
	}
	if code, out, _ = collector(t, "--output", "-"); code != 0 || !strings.HasPrefix(out, "{") {
		t.Errorf("%d %.80s", code, out)
	}
}

func TestCheckOnTheSpot(t *testing.T) {
	rel := write(t, "skerry-12.yaml", standin.Releases()["skerry-12.yaml"])
	code, out, _ := collector(t, "--release", rel)
	expect.That(t, "!(code != 0 && code != 10 && code != 11)", !(code != 0 && code != 10 && code != 11))
	expect.Contains(t, out, "against Skerry 12:")
	// With the document on standard output, nothing else is.
	again, out, _ := collector(t, "--release", rel, "--output", "-")
	expect.Same(t, "again", again, code)
	expect.That(t, `strings.HasPrefix(out, "{")`, strings.HasPrefix(out, "{"))
	expect.Lacks(t, out, "against Skerry")
	mac := write(t, "fathom-9.yaml", standin.Releases()["fathom-9.yaml"])
	if code, _, errOut := collector(t, "--release", mac); code != 2 ||
		!strings.Contains(errOut, "installs on Macs only") {
		t.Errorf("%d %s", code, errOut)
	}
}

func TestSend(t *testing.T) {
	s := servertest.Start(t, nil)
	token := s.NewToken(t, "collector", "submit")
	if code, out, errOut := collector(t, "--server", s.URL, "--token", token); code != 0 ||
		!strings.Contains(out, "Sent to "+s.URL) {
		t.Fatalf("%d %s %s", code, out, errOut)
	}
	l, err := s.Client.Machines(context.Background(), "", "name", 1, 10)
	if err != nil || l.Total != 1 {
		t.Errorf("%d machines, %v", l.Total, err)
	}
	file := write(t, "token", []byte(token+"\n"))
	if code, _, errOut := collector(t, "--server", s.URL, "--token-file", file); code != 0 {
		t.Errorf("%d %s", code, errOut)
	}
}

func TestCaptureThereAndBack(t *testing.T) {
	dir := t.TempDir()
	plain, redacted, key := filepath.Join(dir, "plain.json"), filepath.Join(dir, "redacted.json"),
		write(t, "key", []byte("a key that is long enough"))
	code, direct, errOut := collector(t, "--save-capture", plain, "--output", "-")
	if code != 0 {
		t.Fatal(errOut)
	}
	_, decoded, errOut := collector(t, "--from-capture", plain, "--output", "-")
	if direct != decoded {
		t.Errorf("decoded from the capture it differs: %s\n%s\n%s", errOut, direct, decoded)
	}
	if code, out, errOut := collector(t, "--from-capture", plain, "--redact", "--redact-key-file", key,
		"--save-capture", redacted); code != 0 || out != "" {
		t.Fatalf("%d %s %s", code, out, errOut)
	}
	a, err := inventory.Read("direct", []byte(direct))
	if err != nil {
		t.Fatal(err)
	}
	_, again, _ := collector(t, "--from-capture", redacted, "--output", "-")
	b, err := inventory.Read("redacted", []byte(again))
	if err != nil {
		t.Fatal(err)
	}
	if a.Device.Name.Or("") == b.Device.Name.Or("") || b.Device.Name.IsZero() {
		t.Errorf("the host name is %q", b.Device.Name.Or(""))
	}
	expect.Same(t, "a.Processor.Name", a.Processor.Name, b.Processor.Name)
	expect.Same(t, "a.Storage.System.DiskBytes", a.Storage.System.DiskBytes, b.Storage.System.DiskBytes)
	expect.Same(t, "a.Firmware.BootMode", a.Firmware.BootMode, b.Firmware.BootMode)
	for _, args := range [][]string{
		{"--from-capture", "/nowhere"}, {"--from-capture", key},
		{"--redact", "--redact-key-file", write(t, "short", []byte("x"))},
	} {
		if code, _, errOut := collector(t, args...); code != 1 || errOut == "" {
			t.Errorf("%v: %d %s", args, code, errOut)
		}
	}
}

// Help says what the program is and its exit statuses, with options as they are typed; quiet runs are quiet.
func TestHelpAndQuiet(t *testing.T) {
	code, out, errOut := collector(t, "--help")
	expect.Same(t, "code", code, 0)
	expect.Same(t, "errOut", errOut, "")
	for _, part := range []string{
		"takes the inventory", "-o, --output file", "--quiet", "Exit status: 0", "--server https",
	} {
		expect.Contains(t, out, part)
	}
	for line := range strings.Lines(out) {
		if len(line) > 92 {
			t.Errorf("a line of the help has %d columns: %s", len(line), line)
		}
	}
	code, out, errOut = collector(t, "-q")
	expect.Same(t, "quiet", fmt.Sprint(code, out, errOut), "0")
	s := servertest.Start(t, nil)
	code, out, errOut = collector(t, "--server", s.URL, "--token", s.NewToken(t, "c", "submit"), "--quiet")
	expect.Same(t, "quiet when sending", fmt.Sprint(code, out, errOut), "0")
	code, out, _ = collector(t, "--format", "json")
	_, err := inventory.Read("out", []byte(out))
	expect.NoError(t, err)
	expect.Same(t, "code", code, 0)
	rel := write(t, "skerry-12.yaml", standin.Releases()["skerry-12.yaml"])
	_, out, _ = collector(t, "--release", rel, "--format", "json")
	expect.Contains(t, out, `"rolltop-check/1"`)
}

// A service that is too busy says when to come back: the collector comes back then, and not before.
func TestCollectorObeysRetryAfter(t *testing.T) {
	var first, second time.Time
	h := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch {
		case r.Method == http.MethodGet:
			_, _ = w.Write([]byte(`{"titles":[]}`))
		case first.IsZero():
			first = time.Now()
			w.Header().Set("Retry-After", "1")
			w.WriteHeader(http.StatusServiceUnavailable)
		default:
			second = time.Now()
			_, _ = w.Write([]byte(`{"machine":"me","name":"ME"}`))
		}
	}))
	defer h.Close()
	if code, _, errOut := collector(t, "--server", h.URL, "--token", "rlt_x", "--no-key"); code != 0 {
		t.Fatalf("%d %s", code, errOut)
	}
	expect.That(t, "it waited as long as it was asked to", second.Sub(first) >= time.Second)
}

func TestExplain(t *testing.T) {
	code, out, _ := collector(t, "--explain")
	expect.Same(t, "code", code, 0)
	expect.Contains(t, out, "never reads user names")
	expect.Lacks(t, out, "Processor  ")
}

func TestErrors(t *testing.T) {
	tests := []struct {
		args []string
		code int
		want string
	}{
		{[]string{"--colour"}, 2, "there is no option --colour"}, {[]string{"--server"}, 2, "--server has no value"},
		{[]string{"now"}, 2, "only options are accepted"},
		{[]string{"--root", "/nowhere"}, 1, "/nowhere is not a directory"},
		{[]string{"--release", "/nowhere.yaml"}, 1, "the release document cannot be read"},
		{[]string{"--release", write(t, "bad.yaml", []byte("format: rolltop-release/1\n"))}, 1,
			`the key "id" is missing`},
		{[]string{"--output", "/nowhere/x.json"}, 2, "the directory /nowhere does not exist"},
		{[]string{"--output", "/dev/full"}, 1, "the inventory cannot be written"},
		{[]string{"--format", "yaml"}, 2, "use text or json"},
		{[]string{"--token", "x"}, 2, "add --server"},
		{[]string{"--token", "x", "--token-file", "y"}, 2, "exclude each other"},
		{[]string{"--redact-key-file", "x"}, 2, "add --redact"},
		{[]string{"--from-capture", "x", "--root", "y"}, 2, "exclude each other"},
		{[]string{"--server", "nowhere"}, 2, "is not the address of a service"},
		{[]string{"--server", "http://127.0.0.1:1"}, 1, "does not respond"},
		{[]string{"--server", "https://127.0.0.1:1", "--pin", "00"}, 2, "is not a SHA-256 fingerprint"},
		{[]string{"--server", "http://127.0.0.1:1", "--pin", strings.Repeat("0", 64)}, 2, "does not use TLS"},
		{[]string{"--server", "http://127.0.0.1:1", "--token-file", "/nowhere"}, 1, "the token cannot be read"},
	}
	for _, tt := range tests {
		t.Run(tt.want, func(t *testing.T) {
			if code, _, errOut := collector(t, tt.args...); code != tt.code || !strings.Contains(errOut, tt.want) {
				t.Errorf("%v: %d %s, want %d %s", tt.args, code, errOut, tt.code, tt.want)
			}
		})
	}
	if code, out, _ := collector(t, "--version"); code != 0 || strings.TrimSpace(out) == "" {
		t.Errorf("version: %d %q", code, out)
	}
}

package cli_test

import (
	"bytes"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"encoding/pem"
	"io"
	"math/big"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"testing"
	"testing/fstest"
	"time"

	"rolltop.example/rolltop/internal/cli"
	"rolltop.example/rolltop/internal/client"
	"rolltop.example/rolltop/internal/expect"
)

// A service that is to have a database makes none, and one that makes one says so first.
func TestServeExisting(t *testing.T) {
	dir := t.TempDir()
	db := filepath.Join(dir, "fleet.db")
	code, _, errOut := rolltop(t, "serve", "--existing", "--database", db, "--listen", "127.0.0.1:0")
	expect.Same(t, "code", code, 1)
	expect.Contains(t, errOut, db)
	expect.Contains(t, errOut, "--existing creates none")
	if left, _ := os.ReadDir(dir); len(left) != 0 {
		t.Errorf("%v is made", left)
	}
	out, stop := start(t, "Ctrl-C", "serve", "--database", db, "--listen", "127.0.0.1:0")
	if !strings.HasPrefix(out.String(), "Created a new database: "+db+"\n") {
		t.Errorf("%s", out)
	}
	stop()
	out, stop = start(t, "Ctrl-C", "serve", "--existing", "--database", db, "--listen", "127.0.0.1:0", "--public-url",
		"https://rolltop.example/")
	defer stop()
	if strings.Contains(out.String(), "A new database") ||
		!strings.Contains(out.String(), "https://rolltop.example/first#") {
		t.Errorf("%s", out)
	}
}

var anyAddress = regexp.MustCompile(`https?://127\.0\.0\.1:\d+`)

var pin = regexp.MustCompile(`[0-9a-f]{64}`)

// The certificate that machines pin is in a backup: a service that is restored elsewhere
// is the one that they know. An encrypted backup is worth nothing without its passphrase.
func TestBackupHoldsTheCertificate(t *testing.T) {
	dir := t.TempDir()
	db := filepath.Join(dir, "fleet.db")
	out, stop := start(t, "Ctrl-C", "serve", "--database", db, "--listen", "127.0.0.1:0", "--tls-self")
	known := pin.FindString(out.String())
	stop()
	passphrase, wrong := fileWith(t, "lantern-and-rope\n"), fileWith(t, "another-long-one\n")
	locked := filepath.Join(dir, "fleet.age")
	run := func(want int, says, input string, args ...string) {
		t.Helper()
		code, text, errOut := rolltopReading(t, input, args...)
		if code != want || !strings.Contains(text+errOut, says) {
			t.Errorf("%v: %d, want %d and %q:\n%s%s", args, code, want, says, text, errOut)
		}
	}
	run(2, "too easy to guess", fileWith(t, "aaaaaaaaaaaa\n"), "backup", "--database", db, "--output", locked,
		"--encrypt")
	run(0, "written and verified", passphrase, "backup", "--database", db, "--output", locked, "--encrypt")
	text, err := os.ReadFile(locked)
	expect.NoError(t, err)
	expect.That(t, `!bytes.Contains(text, []byte("SQLite"))`, !bytes.Contains(text, []byte("SQLite")))
	expect.That(t, `!bytes.Contains(text, []byte("PRIVATE KEY"))`, !bytes.Contains(text, []byte("PRIVATE KEY")))
	if st, err := os.Stat(locked); err != nil || st.Mode().Perm() != 0o600 {
		t.Errorf("%v %v", st, err)
	}
	elsewhere := filepath.Join(t.TempDir(), "fleet.db")
	run(1, "wrong passphrase", wrong, "restore", locked, "--database", elsewhere)
	text[len(text)-1] ^= 1
	spoiled := fileWith(t, string(text))
	run(1, "cannot be decrypted", passphrase, "restore", spoiled, "--database", elsewhere)
	if _, err := os.Stat(elsewhere); err == nil {
		t.Error("a database is left of a backup that cannot be restored")
	}
	run(0, "restored and verified", passphrase, "restore", locked, "--database", elsewhere)
	for _, d := range []string{dir, filepath.Dir(elsewhere)} {
		if left, _ := filepath.Glob(filepath.Join(d, ".rolltop-*")); left != nil {
			t.Errorf("backups leave %v", left)
		}
	}
	out, stop = start(t, "Ctrl-C", "serve", "--existing", "--database", elsewhere, "--listen", "127.0.0.1:0",
		"--tls-self")
	defer stop()
	if got := pin.FindString(out.String()); got != known || known == "" {
		t.Errorf("the restored service has the certificate %s, machines pin %s", got, known)
	}
	c, err := client.New(anyAddress.FindString(out.String()), "")
	if err != nil {
		t.Fatal(err)
	}
	if err := c.Pin(known); err != nil {
		t.Fatal(err)
	}
	if _, err := c.Who(t.Context()); err != nil {
		t.Errorf("a pinned machine does not reach it: %v", err)
	}
}

// A certificate that was renewed is used after SIGHUP, with no new start; a broken one is
// not. SIGHUP ends nothing.
func TestRenewedCertificate(t *testing.T) {
	dir := t.TempDir()
	binary := filepath.Join(dir, "rolltop")
	build := exec.Command("go", "build", "-o", binary, "../../cmd/rolltop")
	build.Env = append(os.Environ(), "CGO_ENABLED=0")
	if text, err := build.CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, text)
	}
	cert, key := filepath.Join(dir, "cert.pem"), filepath.Join(dir, "key.pem")
	renew := func() {
		t.Helper()
		c, k := certificate(t)
		for path, text := range map[string][]byte{cert: c, key: k} {
			t.Run(path, func(t *testing.T) {
				if err := os.WriteFile(path, text, 0o600); err != nil {
					t.Fatal(err)
				}
			})
		}
	}
	renew()
	said := new(lines)
	cmd := exec.Command(binary, "serve", "--database", filepath.Join(dir, "fleet.db"), "--listen", "127.0.0.1:0",
		"--tls-cert", cert, "--tls-key", key)
	cmd.Stdout, cmd.Stderr = said, said
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	defer func() { _ = cmd.Process.Kill() }()
	waitFor(t, said, "Ctrl-C")
	at := strings.TrimPrefix(anyAddress.FindString(said.String()), "https://")
	serial := func() string {
		t.Helper()
		conn, err := tls.Dial("tcp", at, &tls.Config{InsecureSkipVerify: true})
		if err != nil {
			t.Fatal(err)
		}
		defer conn.Close()
		return conn.ConnectionState().PeerCertificates[0].SerialNumber.String()
	}
	hangUp := func(want string) {
		t.Helper()
		if err := cmd.Process.Signal(syscall.SIGHUP); err != nil {
			t.Fatal(err)
		}
		waitFor(t, said, want)
	}
	first := serial()
	renew()
	hangUp("the certificate was reloaded")
	second := serial()
	if first == second {
		t.Error("the former certificate is used")
	}
	if err := os.WriteFile(cert, []byte("nonsense"), 0o600); err != nil {
		t.Fatal(err)
	}
	hangUp("the certificate could not be reloaded")
	if serial() != second {
		t.Error("a broken certificate replaced a good one")
	}
	if err := cmd.Process.Signal(syscall.SIGTERM); err != nil {
		t.Fatal(err)
	}
	if err := cmd.Wait(); err != nil {
		t.Errorf("it ended with %v\n%s", err, said)
	}
	if _, err := os.Stat(filepath.Join(dir, "fleet.db-wal")); err == nil {
		t.Error("the database was not closed")
	}
}

// waitFor waits until a program has said something.
func waitFor(t *testing.T, said *lines, text string) {
	t.Helper()
	for range 300 {
		if strings.Contains(said.String(), text) {
			return
		}
		time.Sleep(50 * time.Millisecond)
	}
	t.Fatalf("it never says %q:\n%s", text, said)
}

// certificate makes one for loopback, as PEM.
func certificate(t *testing.T) (cert, key []byte) {
	t.Helper()
	private, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	about := &x509.Certificate{
		SerialNumber: big.NewInt(time.Now().UnixNano()),
		NotAfter:     time.Now().Add(time.Hour),
		IPAddresses:  []net.IP{net.IPv4(127, 0, 0, 1)},
	}
	der, err := x509.CreateCertificate(rand.Reader, about, about, private.Public(), private)
	if err != nil {
		t.Fatal(err)
	}
	text, err := x509.MarshalPKCS8PrivateKey(private)
	if err != nil {
		t.Fatal(err)
	}
	return pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}),
		pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: text})
}

// rolltopReading runs a command whose standard input is a file.
func rolltopReading(t *testing.T, input string, args ...string) (code int, out, errOut string) {
	t.Helper()
	from, err := os.Open(input)
	if err != nil {
		t.Fatal(err)
	}
	defer from.Close()
	var o, e bytes.Buffer
	code = cli.RunWith(t.Context(), args, from, &o, &e)
	return code, o.String(), e.String()
}

// A service hands out what the program carries, and others where a directory is named.
func TestCollectorsThatAreHandedOut(t *testing.T) {
	cli.Carried = fstest.MapFS{"rolltop-collect-linux-amd64": {Data: []byte("carried")}}
	t.Cleanup(func() { cli.Carried = nil })
	dir := t.TempDir()
	if err := os.WriteFile(filepath.Join(dir, "rolltop-collect-linux-amd64"), []byte("another one"),
		0o600); err != nil {
		t.Fatal(err)
	}
	for want, args := range map[string][]string{"carried": nil, "another one": {"--collectors", dir}} {
		t.Run(want, func(t *testing.T) {
			out, stop := start(t, "Ctrl-C",
				append([]string{"serve", "--database", filepath.Join(t.TempDir(), "fleet.db"),
					"--listen", "127.0.0.1:0"}, args...)...)
			res, err := http.Get(anyAddress.FindString(out.String()) + "/download/rolltop-collect-linux-amd64")
			if err != nil {
				t.Fatal(err)
			}
			b, err := io.ReadAll(res.Body)
			_ = res.Body.Close()
			if err != nil || string(b) != want {
				t.Errorf("%v: %q %v, want %q", args, b, err, want)
			}
			stop()
		})
	}
	code, _, errOut := rolltop(t, "serve", "--database", filepath.Join(t.TempDir(), "fleet.db"), "--listen",
		"127.0.0.1:0", "--collectors", "/nowhere")
	if code != 1 || !strings.Contains(errOut, "/nowhere is not a directory with collectors") {
		t.Errorf("%d %s", code, errOut)
	}
}

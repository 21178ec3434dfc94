package server_test

import (
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"testing"
	"time"

	"golang.org/x/sys/unix"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/server"
	"rolltop.example/rolltop/internal/servertest"
	"rolltop.example/rolltop/internal/store"
)

// TestSoakFullDisk fills the disk of a service to its last byte and empties it, three
// times. What was acknowledged stays, what is refused says why, and reading goes on.
func TestSoakFullDisk(t *testing.T) {
	if !soaking {
		t.Skip("it takes minutes: make soak")
	}
	dir, st := onSmallDisk(t)
	s := servertest.StartWith(t, servertest.Options{Store: st}) // with no floor: SQLite meets the end itself
	read := s.NewToken(t, "reader", server.ScopeRead)
	kept := 0
	send := func() error {
		body := machine(t, func(d *inventory.Document) {
			d.Device.Name = inventory.Some(fmt.Sprintf("SOAK-%05d", kept))
			d.Device.Serial = inventory.Some(fmt.Sprintf("S%05d", kept))
			d.Device.UUID = unknown
		})
		_, err := s.Client.Submit(ctx, body)
		if err == nil {
			kept++
		}
		return err
	}
	for round := range 3 {
		for range 50 {
			if err := send(); err != nil {
				t.Fatalf("round %d, with room: %v", round, err)
			}
		}
		balloon := filepath.Join(dir, "balloon")
		fillUp(t, balloon)
		refusals := 0
		for range 200 {
			if err := send(); err != nil {
				refusals++
				if code := statusOf(err); code != http.StatusInsufficientStorage &&
					code != http.StatusServiceUnavailable {
					t.Errorf("round %d: %d %v", round, code, err)
				}
			}
		}
		if refusals < 100 {
			t.Errorf("round %d: only %d refusals of a full disk", round, refusals)
		}
		// Longer than a token's use may be noted, or a session's.
		for second := range 70 {
			if n := total(t, s.As(t, read), ""); n != kept {
				t.Fatalf("round %d, after %d s: %d machines of %d", round, second, n, kept)
			}
			time.Sleep(time.Second)
		}
		if res := signInFrom(t, http.DefaultClient, s.URL, "demo", servertest.Password); res.StatusCode != 200 {
			t.Errorf("nobody can sign in where the disk is full: %d", res.StatusCode)
		}
		if err := os.Remove(balloon); err != nil {
			t.Fatal(err)
		}
	}
	if err := send(); err != nil {
		t.Error(err)
	}
	if n := total(t, s.Client, ""); n != kept {
		t.Errorf("%d machines of %d", n, kept)
	}
	t.Logf("a disk filled and emptied three times: %d machines were acknowledged, and all are there", kept)
}

// onSmallDisk makes a database on a disk of its own with 48 MiB.
func onSmallDisk(t *testing.T) (dir string, st *store.Store) {
	t.Helper()
	dir = t.TempDir()
	if err := unix.Mount("tmpfs", dir, "tmpfs", 0, "size=48m"); err != nil {
		t.Skipf("a small disk cannot be made here: %v", err)
	}
	st, err := store.Open(filepath.Join(dir, "fleet.db"))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := st.Close(); err != nil {
			t.Error(err)
		}
		if err := unix.Unmount(dir, 0); err != nil {
			t.Error(err)
		}
	})
	return dir, st
}

// Where the disk is full, whoever reads goes on, with a token and with a sign-in, for as
// long as it takes.
func TestReadingWithoutWriting(t *testing.T) {
	t.Parallel()
	dir, st := onSmallDisk(t)
	var later time.Duration
	s := servertest.StartWith(t, servertest.Options{Store: st, Now: func() time.Time { return time.Now().Add(later) }})
	read := s.NewToken(t, "reader", server.ScopeRead)
	balloon := filepath.Join(dir, "balloon")
	fillUp(t, balloon)
	for _, later = range []time.Duration{0, 2 * time.Minute, time.Hour, 5 * time.Hour} {
		if _, err := s.As(t, read).Fleet(ctx, ""); err != nil {
			t.Errorf("after %v: %v", later, err)
		}
		cookie, status := signIn(t, s, "demo", servertest.Password)
		if status != 200 {
			t.Fatalf("after %v nobody can sign in: %d", later, status)
		}
		if got := as(t, s, cookie, http.MethodGet, "/fleet", ""); got != 200 {
			t.Errorf("after %v a session that is held in memory reads: %d", later, got)
		}
	}
	if err := os.Remove(balloon); err != nil {
		t.Fatal(err)
	}
	s.Upkeep.Round(ctx, s.Now(), false)
	list, err := s.Client.Tokens(ctx)
	if err != nil {
		t.Fatal(err)
	}
	for _, tok := range list.Tokens {
		if tok.Name == "reader" && tok.UsedAt == nil {
			t.Error("when a token was used is lost")
		}
	}
}

// fillUp writes a file until the disk takes no more.
func fillUp(t *testing.T, path string) {
	t.Helper()
	f, err := os.Create(path)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	for size := 1 << 20; size > 0; size /= 2 {
		for {
			if _, err := f.Write(make([]byte, size)); err != nil {
				break
			}
		}
	}
}

// A clock that is put back an hour, or ahead, keeps nobody from anything: inventories
// become the latest, and sessions and tokens last as long as they should or shorter.
func TestTheServicesClock(t *testing.T) {
	t.Parallel()
	var offset time.Duration
	s := servertest.StartAt(t, nil, func() time.Time { return time.Now().Add(offset) })
	tok, err := s.Client.AddToken(ctx, api.NewToken{Name: "desks", Scope: "submit", Days: 30})
	if err != nil {
		t.Fatal(err)
	}
	c := s.As(t, tok.Secret)
	for i, is := range []time.Duration{0, -time.Hour, time.Hour, 0, -time.Hour, 24 * time.Hour, 0} {
		offset = is
		for k, signed := range []bool{false, true} {
			body := machine(t, func(d *inventory.Document) {
				d.Device.Name = inventory.Some(fmt.Sprintf("CLOCK-%d", k))
				d.Device.Serial = inventory.Some(fmt.Sprintf("CL%d", k))
				d.Device.UUID = unknown
				d.OS.Build = inventory.Some(fmt.Sprint(i))
				d.TakenAt = time.Now() // by a clock that is right
			})
			var got api.Submitted
			if signed {
				time.Sleep(1100 * time.Millisecond) // signatures have seconds
				got, err = c.SubmitSigned(ctx, body, machineKey("c"))
			} else {
				got, err = c.Submit(ctx, body)
			}
			expect.NoError(t, err)
			if !got.Latest || got.Beside {
				t.Errorf("step %d, the clock off by %v, signed %v: %+v", i, is, signed, got)
			}
		}
		if res := signInFrom(t, http.DefaultClient, s.URL, "demo", servertest.Password); res.StatusCode != 200 {
			t.Errorf("step %d: signing in: %d", i, res.StatusCode)
		}
		if n := total(t, s.Client, ""); n != 2 {
			t.Errorf("step %d: %d machines", i, n)
		}
	}
}

package auth_test

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/internal/auth"
)

func TestWeakness(t *testing.T) {
	for _, c := range []struct {
		password string
		weak     bool
	}{
		{"short", true},
		{strings.Repeat(" ", 12), true},
		{"aaaaaaaaaaaa", true},
		{"password1234", true},
		{"passwordpassword", true},
		{"qwertyuiop12", true},
		{"123456789012", true},
		{"iloveyou1234", true},
		{"harbourmaster1", true},
		{"rolltoprolltop", true},
		{strings.Repeat("x", 1001), true},
		{"lantern-and-rope", false},
		{"long enough 12", false},
		{"äöüß Möwe über Klippen", false},
		{"k7vq2m9xw4tz", false},
	} {
		t.Run(c.password, func(t *testing.T) {
			why := auth.Weakness(c.password, "harbourmaster1")
			if (why != "") != c.weak {
				t.Errorf("%q: %q", c.password, why)
			}
			if strings.Contains(why, c.password) && strings.TrimSpace(c.password) != "" {
				t.Errorf("the answer repeats %q: %s", c.password, why)
			}
		})
	}
}

func TestHash(t *testing.T) {
	kept := auth.Hash("lantern-and-rope")
	if !auth.Matches("lantern-and-rope", kept) || auth.Matches("lantern-and-ropes", kept) {
		t.Error("a hash matches another password, or not its own")
	}
	two := "$argon2id$v=19$m=64,t=1,p=2$c2FsdHNhbHRzYWx0c2FsdA$"
	for _, broken := range []string{
		"", "$", two, strings.Replace(kept, "argon2id", "argon2i", 1), "$argon2id$v=19$m=x$a$b",
	} {
		if auth.Matches("lantern-and-rope", broken) {
			t.Errorf("%q matches", broken)
		}
	}
}

func TestAddress(t *testing.T) {
	for _, c := range [][3]string{
		{"127.0.0.1:4000", "", "127.0.0.1"},
		{"[::ffff:127.0.0.1]:4000", "", "127.0.0.1"},
		{"[fd00:1:2:3:4:5:6:7]:4000", "", "fd00:1:2:3::/64"},
		{"[fe80::1%eth0]:1", "", "fe80::/64"},
		{"127.0.0.1:1", "192.0.2.9, 192.0.2.7", "192.0.2.7"},
		{"127.0.0.1:1", "x", "unknown"},
		{"", "", "unknown"},
	} {
		if got := auth.Address(c[0], c[1]); got != c[2] {
			t.Errorf("%q behind %q: %q, want %q", c[0], c[1], got, c[2])
		}
	}
}

// fail has one wrong try, and says whether it was let through.
func fail(g *auth.Gate, name, address string) bool {
	done, err := g.Enter(context.Background(), name, address)
	if err == nil {
		done(false)
	}
	return err == nil
}

func TestGateBudgets(t *testing.T) {
	now := time.Unix(1_800_000_000, 0)
	g := auth.NewGate(2, func() time.Time { return now })
	enter := func(name, address string) bool {
		done, err := g.Enter(t.Context(), name, address)
		if err == nil {
			done(true)
		}
		return err == nil
	}
	if !enter("harbour master", "192.0.2.1") {
		t.Fatal("the first try is refused")
	}
	through := 0
	for i := range 1000 {
		if fail(g, fmt.Sprint("nobody", i), "192.0.2.1") {
			through++
		}
	}
	if through != 20 {
		t.Errorf("%d failures of an address are compared in a minute, want 20", through)
	}
	for range 1000 { // others fail in somebody's name
		fail(g, "harbour master", "192.0.2.2")
	}
	if !enter("harbour master", "192.0.2.3") {
		t.Error("failures from one address lock somebody out at another")
	}
	if !enter("harbour master", "192.0.2.1") {
		t.Error("failures of an address lock out who signed in there before")
	}
	for i := range 1000 {
		fail(g, "harbour master", fmt.Sprint("198.51.100.", i%100))
	}
	if enter("harbour master", "192.0.2.4") {
		t.Error("a name can be tried from any number of addresses")
	}
	through = 0
	for range 100 {
		if fail(g, "harbour master", "192.0.2.1") {
			through++
		}
	}
	if through != 10 {
		t.Errorf("%d failures of a name at its own address, want 10", through)
	}
	now = now.Add(time.Minute)
	if !enter("harbour master", "192.0.2.1") || !enter("somebody", "192.0.2.2") {
		t.Error("a budget does not come back")
	}
}

// Few wait, whoever they are; those who signed in before have a queue of their own.
func TestGateQueue(t *testing.T) {
	g := auth.NewGate(1, time.Now)
	done, err := g.Enter(t.Context(), "harbour master", "192.0.2.1")
	if err != nil {
		t.Fatal(err)
	}
	done(true)
	hold, err := g.Enter(t.Context(), "x", "192.0.2.9")
	if err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithCancel(t.Context())
	results := make(chan error, 200)
	for i := range 200 {
		go func() {
			_, err := g.Enter(ctx, "x", fmt.Sprint("198.51.100.", i))
			results <- err
		}()
	}
	for range 193 { // seven more wait behind the one that is compared
		if err := <-results; !errors.Is(err, auth.ErrTooMany) {
			t.Fatalf("one of those that do not fit: %v", err)
		}
	}
	mine, err := g.Enter(t.Context(), "harbour master", "192.0.2.1")
	if err != nil {
		t.Fatalf("who signed in before waits behind strangers: %v", err)
	}
	mine(true)
	cancel()
	for range 7 {
		if err := <-results; !errors.Is(err, context.Canceled) {
			t.Errorf("one that waits and leaves: %v", err)
		}
	}
	hold(false)
	if !fail(g, "x", "198.51.100.1") {
		t.Error("those who left still wait")
	}
}

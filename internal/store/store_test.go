package store_test

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/standin"
	"rolltop.example/rolltop/internal/store"
)

var (
	ctx = context.Background()
	now = time.Date(2026, 11, 23, 8, 0, 0, 0, time.UTC)
)

func open(t testing.TB) *store.Store {
	t.Helper()
	s, err := store.Open(filepath.Join(t.TempDir(), "test.db"))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := s.Close(); err != nil {
			t.Error(err)
		}
	})
	return s
}

func unjudged(*store.Tx, *store.Machine, *inventory.Document) error { return nil }

func machine(name, serial, uuid string, at time.Time) *inventory.Document {
	d := &inventory.Document{
		Format:  inventory.Format,
		TakenAt: at,
		OS:      inventory.OS{Platform: inventory.Some("windows"), Name: inventory.Some("Skerry 11")},
	}
	d.Device.Manufacturer, d.Device.Model = inventory.Some("Ostrel"), inventory.Some("Slipway 14")
	for to, v := range map[*inventory.Opt[string]]string{
		&d.Device.Name:   name,
		&d.Device.Serial: serial,
		&d.Device.UUID:   uuid,
	} {
		if v != "" {
			*to = inventory.Some(v)
		}
	}
	return d
}

func keep(t *testing.T, s *store.Store, d *inventory.Document) store.Kept {
	t.Helper()
	at := now
	if d.TakenAt.After(at) {
		at = d.TakenAt
	}
	k, err := s.Keep(ctx, d, store.Entry{Now: at}, unjudged)
	if err != nil {
		t.Fatal(err)
	}
	return k
}

func TestWhoIsWho(t *testing.T) {
	const u1, u2 = "00112233-4455-6677-8899-aabbccddeeff", "10112233-4455-6677-8899-aabbccddeeff"
	tests := []struct {
		name          string
		first, second *inventory.Document
		same          bool
	}{
		{"the same again", machine("A", "S1", u1, now), machine("A", "S1", u1, now), true},
		{"renamed", machine("A", "S1", u1, now), machine("B", "S1", u1, now), true},
		{"another machine", machine("A", "S1", u1, now), machine("B", "S2", u2, now), false},
		{"one name for two machines", machine("A", "S1", u1, now), machine("A", "S2", u2, now), false},
		{"UUID equal with another serial: not merged", machine("A", "S1", u1, now), machine("A", "S2", u1, now), false},
		{"serial equal with another UUID: not merged", machine("A", "S1", u1, now), machine("A", "S1", u2, now), false},
		{"read without rights later", machine("A", "S1", u1, now), machine("A", "", "", now), true},
		{"read with rights later", machine("A", "", "", now), machine("A", "S1", u1, now), true},
		{"serial alone", machine("A", "S1", "", now), machine("B", "S1", "", now), true},
		{"nothing but other names", machine("A", "", "", now), machine("B", "", "", now), false},
		{"nothing at all", machine("", "", "", now), machine("", "", "", now), false},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			t.Parallel()
			s := open(t)
			a, b := keep(t, s, tt.first), keep(t, s, tt.second)
			if same := a.Machine.ID == b.Machine.ID; same != tt.same || b.Created == tt.same {
				t.Errorf("same machine: %v, want %v", same, tt.same)
			}
			if !tt.same && a.Machine.Key == b.Machine.Key {
				t.Errorf("two machines have the key %s", a.Machine.Key)
			}
		})
	}
}

func TestHistory(t *testing.T) {
	s := open(t)
	first := machine("A", "S1", "", now)
	a := keep(t, s, first)
	again := machine("A", "S1", "", now.Add(time.Hour))
	b := keep(t, s, again)
	if b.Changed || !b.IsLatest {
		t.Errorf("the same readings an hour later: %+v", b)
	}
	changed := machine("A", "S1", "", now.Add(2*time.Hour))
	changed.OS.Name = inventory.Some("Skerry 12")
	c := keep(t, s, changed)
	expect.That(t, "c.Changed", c.Changed)
	expect.That(t, "c.IsLatest", c.IsLatest)
	expect.Same(t, "c.Machine.Installed", c.Machine.Installed, "Skerry 12")
	older := machine("A", "S1", "", now.Add(-time.Hour))
	older.OS.Name = inventory.Some("Skerry 10")
	if o := keep(t, s, older); o.IsLatest || !o.Changed {
		t.Errorf("an older inventory became the latest: %+v", o)
	}
	d, err := s.MachineByKey(ctx, "a")
	if err != nil || d.Installed != "Skerry 12" {
		t.Fatalf("%+v %v", d, err)
	}
	list, err := s.History(ctx, d.ID)
	if err != nil || len(list) != 3 {
		t.Fatalf("history of %d, %v", len(list), err)
	}
	if _, last := list[1].Times(); !last.Equal(now.Add(time.Hour)) || list[1].ID != a.Machine.InventoryID {
		t.Errorf("the same readings were last seen %v", last)
	}
	got, err := s.Inventory(ctx, d.ID, list[2].ID)
	if err != nil || got.OS.Name.Or("") != "Skerry 10" {
		t.Errorf("%+v %v", got, err)
	}
	if _, err := s.Inventory(ctx, d.ID+1, list[2].ID); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("another machine's inventory: %v", err)
	}
}

func TestNothingIsKeptWhenJudgingFails(t *testing.T) {
	s := open(t)
	boom := errors.New("boom")
	if _, err := s.Keep(ctx, machine("A", "", "", now), store.Entry{Now: now},
		func(*store.Tx, *store.Machine, *inventory.Document) error { return boom }); !errors.Is(err, boom) {
		t.Fatalf("got %v", err)
	}
	if _, err := s.MachineByKey(ctx, "a"); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("the machine was kept: %v", err)
	}
}

func TestReleaseRevisionsAreNeverOverwritten(t *testing.T) {
	s := open(t)
	src := standin.SkerryWith("revision: 5", "revision: 4")
	add := func(revision int, by string) (bool, error) {
		text := standin.SkerryWith("revision: 5", fmt.Sprintf("revision: %d", revision), "entered_by: desktop support",
			"entered_by: desktop support"+by)
		rel, err := release.Read("x", text, nil)
		if err != nil {
			t.Fatal(err)
		}
		return s.AddRelease(ctx, rel, text, now)
	}
	if added, err := add(4, ""); !added || err != nil {
		t.Fatal(added, err)
	}
	if added, err := add(4, ""); added || err != nil {
		t.Errorf("the same again: %v %v", added, err)
	}
	if _, err := add(4, ", again"); !errors.Is(err, store.ErrRevision) ||
		!strings.Contains(err.Error(), "increase the revision") {
		t.Errorf("the same revision with other content: %v", err)
	}
	if _, err := add(3, ""); !errors.Is(err, store.ErrRevision) {
		t.Errorf("an older revision: %v", err)
	}
	if added, err := add(5, ""); !added || err != nil {
		t.Errorf("the next revision: %v %v", added, err)
	}
	got, err := s.ReleaseSource(ctx, "skerry-12", 4)
	if err != nil || string(got) != string(src) {
		t.Errorf("revision 4 is not as it was given: %v", err)
	}
}

func TestOpenRefuses(t *testing.T) {
	dir := t.TempDir()
	path := func(name string) string { return filepath.Join(dir, name) }
	write := func(name, content string) string {
		if err := os.WriteFile(path(name), []byte(content), 0o600); err != nil {
			t.Fatal(err)
		}
		return path(name)
	}
	sqlite := func(name string, statements ...string) string {
		db, err := sql.Open("sqlite", path(name))
		if err != nil {
			t.Fatal(err)
		}
		defer db.Close()
		for _, st := range statements {
			if _, err := db.Exec(st); err != nil {
				t.Fatal(err)
			}
		}
		return path(name)
	}
	newer := path("newer.db")
	s, err := store.Open(newer)
	if err != nil {
		t.Fatal(err)
	}
	s.Close()
	sqlite("newer.db", "INSERT INTO goose_db_version (version_id, is_applied) VALUES (99, 1)")
	held := path("held.db")
	holder, err := store.Open(held)
	if err != nil {
		t.Fatal(err)
	}
	defer holder.Close()
	tests := []struct{ name, path, want string }{
		{"not a database", write("text.db", strings.Repeat("not a database ", 100)), "is not a database file"},
		{"another program's", sqlite("other.db", "CREATE TABLE x (y)"), "is a database of another program"},
		{"from a newer version", newer, "is from a newer version of rolltop (schema 99; this one knows"},
		{"in use", held, "is in use by another rolltop"},
		{"a directory", dir, "is a directory"},
		{"nowhere", path("no/where.db"), "the directory of the database does not exist"},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			before, _ := os.ReadFile(tt.path)
			s, err := store.Open(tt.path)
			if err == nil {
				s.Close()
			}
			if err == nil || !strings.Contains(err.Error(), tt.want) {
				t.Errorf("got %v, want %s", err, tt.want)
			}
			after, _ := os.ReadFile(tt.path)
			if string(before) != string(after) {
				t.Error("the file was changed")
			}
		})
	}
}

func TestReopenKeepsEverything(t *testing.T) {
	path := filepath.Join(t.TempDir(), "a.db")
	s, err := store.Open(path)
	if err != nil {
		t.Fatal(err)
	}
	keep(t, s, machine("A", "S1", "", now))
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	if s, err = store.Open(path); err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	if d, err := s.MachineByKey(ctx, "a"); err != nil || !d.Taken().Equal(now) {
		t.Errorf("%+v %v", d, err)
	}
}

func TestJudgeAllGoesThroughEveryMachineOfAClass(t *testing.T) {
	s := open(t)
	const machines = 1603 // more than one batch of each class
	for i := range machines {
		d := machine(fmt.Sprintf("M%04d", i), fmt.Sprintf("S%04d", i), "", now)
		if i%3 == 0 {
			d.OS.Platform = inventory.Some("macos")
		}
		if _, err := s.Keep(ctx, d, store.Entry{Now: now},
			func(tx *store.Tx, machine *store.Machine, inv *inventory.Document) error {
				return tx.PutRow(machine.ID, machine.Class, 1, fmt.Appendf(nil, "facts of %d", machine.ID))
			}); err != nil {
			t.Fatal(err)
		}
	}
	j, done, err := s.Judgement(ctx, "skerry-12", 4, "test", now)
	if err != nil || done {
		t.Fatal(done, err)
	}
	judge := func(seen *int, stop int) error {
		var mu sync.Mutex
		return s.JudgeAll(ctx, j, "pc", 1, func() store.Judge {
			return func(p *store.Packed) (*store.Verdict, error) {
				mu.Lock()
				defer mu.Unlock()
				if string(p.Row) != fmt.Sprintf("facts of %d", p.MachineID) {
					t.Errorf("machine %d was given %s", p.MachineID, p.Row)
				}
				if *seen++; *seen == stop {
					return nil, errors.New("the power went")
				}
				return &store.Verdict{
					JudgementID: j,
					MachineID:   p.MachineID,
					InventoryID: p.InventoryID,
					Disposition: 2,
					Outcomes:    "p",
				}, nil
			}
		}, func(int) {})
	}
	// Broken off, the judgement is not done, and goes on the next time.
	seen := 0
	if err := judge(&seen, 700); err == nil || !strings.Contains(err.Error(), "the power went") {
		t.Fatalf("broken off: %v", err)
	}
	if again, done, _ := s.Judgement(ctx, "skerry-12", 4, "test", now); again != j || done {
		t.Errorf("judgement %d, done %v", again, done)
	}
	seen = 0
	if err := judge(&seen, -1); err != nil || seen != 1068 {
		t.Errorf("judged %d, %v", seen, err)
	}
	judged, all := 0, 0
	parts, err := s.Parts(ctx, 3)
	if err != nil || len(parts) != 3 {
		t.Fatalf("%v %v", parts, err)
	}
	for _, part := range parts {
		if err := s.EachRowIn(ctx, map[string]int64{"pc": j}, 1, part, func(rows []store.Row) error {
			for _, r := range rows {
				if all++; r.Judged {
					judged++
				}
			}
			return nil
		}); err != nil {
			t.Fatal(err)
		}
	}
	expect.NoError(t, err)
	expect.Same(t, "all", all, machines)
	expect.Same(t, "judged", judged, seen)
	some := 0
	if err := s.EachRow(ctx, nil, 1, []int64{1, 2, 1 << 40},
		func(rows []store.Row) error { some += len(rows); return nil }); err != nil || some != 2 {
		t.Errorf("%d of two rows, %v", some, err)
	}
	if again, done, _ := s.Judgement(ctx, "skerry-12", 4, "test", now); again != j || !done {
		t.Error("the same judgement was made twice, or is not done")
	}
	// Rows of another version of the packing are not judged, and are listed.
	if list, err := s.Unpacked(ctx, 2); err != nil || len(list) != machines {
		t.Errorf("%d machines to pack again, %v", len(list), err)
	}
}

func TestTokensAndSessions(t *testing.T) {
	s := open(t)
	sha := []byte("0123456789abcdef")
	if err := s.SetUser(ctx, &store.User{Name: "harbour master", Role: "viewer", Password: "x"}); err != nil {
		t.Fatal(err)
	}
	if err := s.StartSession(ctx, sha, "harbour master", now, now.Add(time.Hour)); err != nil {
		t.Fatal(err)
	}
	if u, err := s.SessionUser(ctx, sha, now.Add(59*time.Minute)); err != nil || u.Name != "harbour master" {
		t.Errorf("%+v %v", u, err)
	}
	if _, err := s.SessionUser(ctx, sha, now.Add(time.Hour)); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a session that is over: %v", err)
	}
	// A new password ends open sessions.
	if err := s.SetUser(ctx, &store.User{Name: "harbour master", Role: "viewer", Password: "y"}); err != nil {
		t.Fatal(err)
	}
	if _, err := s.SessionUser(ctx, sha, now); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a session survived a new password: %v", err)
	}
	id, err := s.AddToken(ctx, &store.Token{Name: "counter", Scope: "submit", UsesLeft: -1}, sha)
	if err != nil {
		t.Fatal(err)
	}
	if tk, err := s.TokenBySecret(ctx, sha, now); err != nil || tk.Scope != "submit" {
		t.Errorf("%+v %v", tk, err)
	}
	if err := errors.Join(s.DeleteToken(ctx, id)); err != nil {
		t.Error(err)
	}
	if _, err := s.TokenBySecret(ctx, sha, now); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("an ended token: %v", err)
	}
	if err := s.DeleteToken(ctx, id); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("ended twice: %v", err)
	}
}

// A backup is taken while others write, is whole, and is put back only where
// nothing is.
func TestBackupAndRestore(t *testing.T) {
	dir := t.TempDir()
	s, err := store.Open(filepath.Join(dir, "fleet.db"))
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	stop, writes, stopped := make(chan struct{}), make(chan struct{}), make(chan struct{})
	go func() {
		defer close(stopped)
		for n := 0; ; n++ {
			name := fmt.Sprint(n)
			if err := s.SetSites(ctx, []store.Site{{Prefix: "A", Name: name}, {Prefix: "B", Name: name}}); err != nil {
				t.Error(err)
			}
			if n == 0 {
				close(writes)
			}
			select {
			case <-stop:
				return
			default:
			}
		}
	}()
	copyOf := filepath.Join(dir, "copy.db")
	<-writes // it goes on while the copy is made
	err = s.Backup(ctx, copyOf)
	close(stop)
	<-stopped
	expect.NoError(t, err)
	if err := s.Backup(ctx, copyOf); err == nil || !strings.Contains(err.Error(), "already exists") {
		t.Errorf("over another file: %v", err)
	}
	back := filepath.Join(dir, "back.db")
	if err := store.Restore(ctx, copyOf, back); err != nil {
		t.Fatal(err)
	}
	r, err := store.Open(back)
	if err != nil {
		t.Fatal(err)
	}
	defer r.Close()
	// What one transaction wrote is there as a whole.
	p, err := r.Sites(ctx)
	expect.NoError(t, err)
	expect.Same(t, "len(p)", len(p), 2)
	expect.Same(t, "p[0].Name", p[0].Name, p[1].Name)
	if err := store.Restore(ctx, copyOf, back); err == nil ||
		!strings.Contains(err.Error(), "already exists and was not overwritten") {
		t.Errorf("over a database: %v", err)
	}
	damaged, _ := os.ReadFile(copyOf)
	for i := 5000; i < len(damaged) && i < 60000; i++ {
		damaged[i] ^= 0x5a
	}
	write := func(name string, b []byte) string {
		path := filepath.Join(dir, name)
		if err := os.WriteFile(path, b, 0o600); err != nil {
			t.Fatal(err)
		}
		return path
	}
	for name, path := range map[string]string{
		"damaged":   write("damaged.db", damaged),
		"text":      write("text.db", []byte("this is no database, whatever its name says")),
		"empty":     write("empty.db", nil),
		"missing":   filepath.Join(dir, "none.db"),
		"directory": dir,
	} {
		t.Run(name, func(t *testing.T) {
			to := filepath.Join(dir, "to-"+name)
			if err := store.Restore(ctx, path, to); err == nil {
				t.Errorf("%s is restored", name)
			}
			if _, err := os.Stat(to); err == nil {
				t.Errorf("%s leaves a file", name)
			}
		})
	}
}

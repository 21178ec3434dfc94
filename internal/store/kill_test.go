package store_test

import (
	"bufio"
	"database/sql"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/store"
)

// childDatabase names, in the environment, the database that a copy of this
// test program fills until it is killed.
const childDatabase = "ROLLTOP_TEST_KILL_DATABASE"

func TestMain(m *testing.M) {
	if path := os.Getenv(childDatabase); path != "" {
		if n, err := strconv.ParseUint(os.Getenv(childLimit), 10, 64); err == nil {
			limitFiles(n)
		}
		fill(path)
	}
	os.Exit(m.Run())
}

// fill keeps machines and says each name once it is kept.
func fill(path string) {
	s, err := store.Open(path)
	if err != nil {
		fmt.Println("error", err)
		os.Exit(1)
	}
	// Several at once, so that many share a commit.
	for worker := range 16 {
		go func() {
			for i := worker; ; i += 16 {
				name := fmt.Sprintf("k%d-%05d", os.Getpid(), i)
				if _, err := s.Keep(ctx, machine(name, name, "", now), store.Entry{Now: now}, unjudged); err != nil {
					if os.Getenv(childLimit) != "" {
						fmt.Println("refused", err)
						os.Exit(0)
					}
					fmt.Println("error", err)
					os.Exit(1)
				}
				fmt.Println("kept", name)
			}
		}()
	}
	select {}
}

// childLimit bounds, in the environment, how many bytes a file of the copy may have:
// a disk that is full.
const childLimit = "ROLLTOP_TEST_FILE_LIMIT"

// soaking says that the long ones are run (make soak).
var soaking = os.Getenv("ROLLTOP_SOAK") != ""

// What was acknowledged survives a kill at any moment.
func TestKilledServiceLosesNothing(t *testing.T) {
	path := filepath.Join(t.TempDir(), "kill.db")
	kept := map[string]bool{}
	rounds, least := 5, 20
	if soaking { // 1,000 kills and a million inventories
		rounds, least = numberOf("ROLLTOP_SOAK_KILLS", 1000), 1000
	}
	for range rounds {
		cmd := exec.Command(os.Args[0])
		cmd.Env = append(os.Environ(), childDatabase+"="+path)
		out, err := cmd.StdoutPipe()
		if err != nil {
			t.Fatal(err)
		}
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		after := least + rand.IntN(3*least)
		hung := time.AfterFunc(60*time.Second, func() { _ = cmd.Process.Kill() })
		scan := bufio.NewScanner(out)
		for n := 0; scan.Scan(); n++ {
			name, ok := strings.CutPrefix(scan.Text(), "kept ")
			if !ok {
				t.Fatal(scan.Text())
			}
			kept[name] = true
			if n == after {
				_ = cmd.Process.Kill()
			}
		}
		_ = cmd.Wait() // it was killed
		hung.Stop()
	}
	s, err := store.Open(path)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	t.Logf("%d machines were acknowledged before %d kills", len(kept), rounds)
	if len(kept) < least*rounds {
		t.Fatalf("only %d machines were kept before the kills", len(kept))
	}
	clean(t, path)
	for name := range kept {
		d, err := s.MachineByKey(ctx, name)
		if err != nil {
			t.Errorf("%s was acknowledged and is lost: %v", name, err)
			continue
		}
		if _, err := s.Inventory(ctx, d.ID, d.InventoryID); err != nil {
			t.Errorf("the inventory of %s: %v", name, err)
		}
	}
}

// numberOf is a number of the environment.
func numberOf(name string, otherwise int) int {
	if n, err := strconv.Atoi(os.Getenv(name)); err == nil {
		return n
	}
	return otherwise
}

// clean wants a database that SQLite finds nothing wrong with.
func clean(t *testing.T, path string) {
	t.Helper()
	db, err := sql.Open("sqlite", "file:"+path)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	var says string
	if err := db.QueryRow("PRAGMA integrity_check").Scan(&says); err != nil || says != "ok" {
		t.Errorf("the database is damaged: %s %v", says, err)
	}
	var wrong int
	if err := db.QueryRow("SELECT count(*) FROM machine d WHERE NOT EXISTS (SELECT 1 FROM inventory i WHERE " +
		"i.id=d.inventory_id AND i.machine_id=d.id)").Scan(&wrong); err != nil || wrong != 0 {
		t.Errorf("%d machines without their inventory, %v", wrong, err)
	}
}

// On a disk that is full everything that was acknowledged stays, what is refused says
// why, and with room again it goes on.
func TestFullDisk(t *testing.T) {
	path := filepath.Join(t.TempDir(), "full.db")
	s, err := store.Open(path) // made before, as a service that has run for a while
	if err != nil {
		t.Fatal(err)
	}
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	cmd := exec.Command(os.Args[0])
	cmd.Env = append(os.Environ(), childDatabase+"="+path, childLimit+"=600000")
	out, err := cmd.Output()
	if err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	kept, refused := []string{}, 0
	for line := range strings.Lines(string(out)) {
		if name, ok := strings.CutPrefix(strings.TrimSpace(line), "kept "); ok {
			kept = append(kept, name)
		} else if refused++; !strings.Contains(line, store.ErrFull.Error()) &&
			!strings.Contains(line, store.ErrReadOnly.Error()) {
			t.Errorf("it says %q", line)
		}
	}
	if len(kept) < 20 || refused == 0 {
		t.Fatalf("%d kept, %d refused", len(kept), refused)
	}
	if s, err = store.Open(path); err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	for _, name := range kept {
		if _, err := s.MachineByKey(ctx, name); err != nil {
			t.Errorf("%s was acknowledged and is lost: %v", name, err)
		}
	}
	if _, err := s.Keep(ctx, machine("later", "later", "", now), store.Entry{Now: now}, unjudged); err != nil {
		t.Errorf("with room again: %v", err)
	}
	clean(t, path)
}

// More than can be kept is refused at once, and nothing of it waits in memory.
func TestBusy(t *testing.T) {
	s := open(t)
	hold, held := make(chan bool), make(chan bool, 1)
	go func() {
		_, _ = s.Keep(ctx, machine("first", "first", "", now), store.Entry{Now: now},
			func(*store.Tx, *store.Machine, *inventory.Document) error {
				held <- true
				<-hold
				return nil
			})
	}()
	<-held
	var busy, kept atomic.Int64
	var all sync.WaitGroup
	for i := range 3000 {
		all.Add(1)
		go func() {
			defer all.Done()
			name := fmt.Sprintf("b%d", i)
			switch _, err := s.Keep(ctx, machine(name, name, "", now), store.Entry{Now: now}, unjudged); {
			case errors.Is(err, store.ErrBusy):
				if busy.Add(1) == 1 {
					close(hold) // only now does it go on
				}
			case err == nil:
				kept.Add(1)
			default:
				t.Error(err)
			}
		}()
	}
	all.Wait()
	expect.That(t, "busy.Load() != 0", busy.Load() != 0)
	expect.That(t, "kept.Load() >= 2000", kept.Load() >= 2000)
	expect.Same(t, "kept.Load()+busy.Load()", kept.Load()+busy.Load(), 3000)
}

// Every schema that was released is brought up to date with what is in it.
func TestMigrationsFromEverySchema(t *testing.T) {
	for version := int64(1); version < store.Newest(); version++ {
		path := filepath.Join(t.TempDir(), fmt.Sprintf("v%d.db", version))
		if err := store.MakeAt(path, version); err != nil {
			t.Fatal(err)
		}
		db, err := sql.Open("sqlite", "file:"+path)
		if err != nil {
			t.Fatal(err)
		}
		role := map[bool]string{true: "reader", false: "viewer"}[version < 4]
		machines, site := "device", "place"
		if version >= 9 {
			machines, site = "machine", "site"
		}
		for _, q := range []string{
			"INSERT INTO " + machines + " (id, key, name, class, maker, serial, uuid, model, installed, taken_at) " +
				"VALUES (1, 'a', 'A', 'pc', 'Ostrel', 'S1', '', 'Slipway 14', 'Skerry 11', 0)",
			"INSERT INTO user (name, role, password) VALUES ('clerk', '" + role + "', 'x')",
			"INSERT INTO token (name, scope, sha, created_at) VALUES ('t', 'read', x'01', 0)",
			"INSERT INTO " + site + " VALUES ('GULL', 'Gull Quay')",
		} {
			if _, err := db.Exec(q); err != nil {
				t.Fatalf("version %d: %v", version, err)
			}
		}
		if err := db.Close(); err != nil {
			t.Fatal(err)
		}
		s, err := store.Open(path)
		if err != nil {
			t.Fatalf("version %d: %v", version, err)
		}
		d, err1 := s.MachineByKey(ctx, "a")
		u, err2 := s.UserByName(ctx, "clerk")
		tk, err3 := s.TokenBySecret(ctx, []byte{1}, now)
		k, err4 := s.Keep(ctx, machine("A", "S1", "", now), store.Entry{Now: now}, unjudged)
		err = errors.Join(err1, err2, err3, err4, s.Close())
		expect.NoError(t, err)
		expect.Same(t, "d.Name", d.Name, "A")
		expect.Same(t, "u.Role", u.Role, "viewer")
		expect.Same(t, "tk.UsesLeft", tk.UsesLeft, -1)
		expect.Same(t, "k.Machine.ID", k.Machine.ID, 1)
		clean(t, path)
	}
}

// Dispositions that were kept by their old numbers mean the same by the new ones, and
// every machine is judged again.
func TestRenumberedDispositions(t *testing.T) {
	path := filepath.Join(t.TempDir(), "v6.db")
	if err := store.MakeAt(path, 6); err != nil {
		t.Fatal(err)
	}
	db, err := sql.Open("sqlite", "file:"+path)
	if err != nil {
		t.Fatal(err)
	}
	must := func(q string, args ...any) {
		t.Helper()
		if _, err := db.Exec(q, args...); err != nil {
			t.Fatalf("%s: %v", q, err)
		}
	}
	must("PRAGMA foreign_keys=off")
	old := []string{"ready", "reconfigure", "refit", "replace", "undetermined"}
	for was := range old {
		must("INSERT INTO device (id, key, name, class, maker, serial, uuid, model, installed, taken_at) VALUES (?, "+
			"?, 'A', 'pc', '', '', '', '', '', 0)", was+1, old[was])
		must("INSERT INTO verdict (judgement_id, device_id, inventory_id, disposition, certain, publisher, fails, "+
			"sole, outcomes, next) VALUES (1, ?, 1, ?, 1, ?, 0, '', '', ?)", was+1, was, 4-was, was-1)
		must("INSERT INTO flip (device_id, release_id, was, becomes, cause, at) VALUES (?, 'skerry-12', ?, ?, "+
			"'rules', 0)", was+1, was, 4-was)
		must("INSERT INTO progress (day, place, class, disposition, machines) "+
			"VALUES ('2026-11-01', 'GULL', 'pc', ?, ?)", was, 10+was)
	}
	must("INSERT INTO flip (device_id, release_id, was, becomes, cause, at) VALUES (1, 'skerry-12', 0, 0, " +
		"'hand-off', 0)")
	if err := db.Close(); err != nil {
		t.Fatal(err)
	}
	s, err := store.Open(path)
	if err != nil {
		t.Fatal(err)
	}
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	if db, err = sql.Open("sqlite", "file:"+path); err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	is := []remedy.Disposition{remedy.Ready, remedy.Reconfigure, remedy.Refit, remedy.Replace, remedy.Undetermined}
	for was, want := range is {
		var verdict, publisher, next, from, to, machines int
		row := db.QueryRow(
			`SELECT v.disposition, v.publisher, v.next, f.was, f.becomes, (SELECT machines FROM progress WHERE disposition=v.disposition)
			FROM verdict v JOIN flip f ON f.machine_id=v.machine_id AND f.cause='rules' WHERE v.machine_id=?`,
			was+1,
		)
		if err := row.Scan(&verdict, &publisher, &next, &from, &to, &machines); err != nil {
			t.Fatal(err)
		}
		wantNext := -1
		if was > 0 {
			wantNext = int(is[was-1])
		}
		expect.Same(t, "verdict", verdict, int(want))
		expect.Same(t, "publisher", publisher, int(is[4-was]))
		expect.Same(t, "next", next, wantNext)
		expect.Same(t, "from", from, int(want))
		expect.Same(t, "to", to, int(is[4-was]))
		expect.Same(t, "machines", machines, 10+was)
	}
	var same int
	if err := db.QueryRow(
		"SELECT count(*) FROM flip WHERE cause='hand-off' AND was=0 AND becomes=0").Scan(&same); err != nil ||
		same != 1 {
		t.Errorf("a hand-off, which holds no disposition, was changed: %v", err)
	}
}

// On a disk that cannot be written any more, what is refused says why, everything is
// still read, and where it can be written again it goes on.
func TestReadOnlyDisk(t *testing.T) {
	s := open(t)
	keep := func(name string) error {
		_, err := s.Keep(ctx, machine(name, name, "", now), store.Entry{Now: now}, unjudged)
		return err
	}
	if err := keep("before"); err != nil {
		t.Fatal(err)
	}
	if err := s.Freeze(true); err != nil {
		t.Fatal(err)
	}
	if err := keep("during"); !errors.Is(err, store.ErrReadOnly) {
		t.Errorf("a machine is refused with %v", err)
	}
	if err := s.SetSettings(ctx, map[string]string{"x": "y"}); !errors.Is(err, store.ErrReadOnly) {
		t.Errorf("a setting is refused with %v", err)
	}
	if _, err := s.MachineByKey(ctx, "before"); err != nil {
		t.Error("what was kept is not read:", err)
	}
	if err := s.Freeze(false); err != nil {
		t.Fatal(err)
	}
	if _, err := s.MachineByKey(ctx, "during"); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("what was refused: %v", err)
	}
	if err := keep("during"); err != nil {
		t.Error("where it can be written again:", err)
	}
}

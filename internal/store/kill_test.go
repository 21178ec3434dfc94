package store_test

import (
	"bufio"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/internal/store"
)

// childDatabase names, in the environment, the database that a copy of this
// test program fills until it is killed.
const childDatabase = "ROLLTOP_TEST_KILL_DATABASE"

func TestMain(m *testing.M) {
	if path := os.Getenv(childDatabase); path != "" {
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
	for i := 0; ; i++ {
		name := fmt.Sprintf("k%d-%05d", os.Getpid(), i)
		if _, err := s.Keep(ctx, machine(name, name, "", now), store.Entry{Now: now}, unjudged); err != nil {
			fmt.Println("error", err)
			os.Exit(1)
		}
		fmt.Println("kept", name)
	}
}

// What was acknowledged survives a kill at any moment.
func TestKilledServiceLosesNothing(t *testing.T) {
	path := filepath.Join(t.TempDir(), "kill.db")
	kept := map[string]bool{}
	for range 3 {
		cmd := exec.Command(os.Args[0])
		cmd.Env = append(os.Environ(), childDatabase+"="+path)
		out, err := cmd.StdoutPipe()
		if err != nil {
			t.Fatal(err)
		}
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		after := 20 + rand.IntN(60)
		time.AfterFunc(10*time.Second, func() { _ = cmd.Process.Kill() }) // should it hang
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
	}
	s, err := store.Open(path)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	if len(kept) < 60 {
		t.Fatalf("only %d machines were kept before the kills", len(kept))
	}
	for name := range kept {
		d, err := s.DeviceByKey(ctx, name)
		if err != nil {
			t.Errorf("%s was acknowledged and is lost: %v", name, err)
			continue
		}
		if _, err := s.Inventory(ctx, d.ID, d.InventoryID); err != nil {
			t.Errorf("the inventory of %s: %v", name, err)
		}
	}
}

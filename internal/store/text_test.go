package store_test

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/store"
)

// What came is kept as it came; blanks make no other readings of it, and what only the
// strict reader takes is read back.
func TestKeepsTheText(t *testing.T) {
	s := open(t)
	d := machine("A", "S1", "", now)
	d.Memory.Installed = inventory.Some(int64(8_000_000_000))
	plain, err := json.Marshal(d)
	if err != nil {
		t.Fatal(err)
	}
	var spaced bytes.Buffer
	if err := json.Indent(&spaced, plain, "", "  "); err != nil {
		t.Fatal(err)
	}
	odd := strings.Replace(string(plain), "8000000000", "8e9", 1)
	day := strings.Replace(string(plain), now.Format(time.RFC3339), now.Format(time.DateOnly), 1)
	for _, tt := range []struct {
		name, text string
		changed    bool
	}{
		{"as the collector writes it", string(plain), true},
		{"indented", spaced.String(), false},
		{"with a blank in a text", strings.Replace(string(plain), `"S1"`, `"S1"  `, 1), false},
		{"with an exponent", odd, true},
		{"with a day", day, false},
	} {
		t.Run(tt.name, func(t *testing.T) {
			got, err := inventory.Read(tt.name, []byte(tt.text))
			if err != nil {
				t.Fatalf("%s: %v", tt.name, err)
			}
			k, err := s.Keep(ctx, got, store.Entry{Now: now, Text: []byte(tt.text)}, unjudged)
			if err != nil || k.Changed != tt.changed {
				t.Fatalf("%s: changed %v, want %v, %v", tt.name, k.Changed, tt.changed, err)
			}
			back, err := s.Inventory(ctx, k.Machine.ID, k.Machine.InventoryID)
			expect.NoError(t, err)
			expect.Same(t, "back.Memory.Installed.Or(0)", back.Memory.Installed.Or(0), 8_000_000_000)
			expect.Same(t, `back.Device.Serial.Or("")`, back.Device.Serial.Or(""), "S1")
		})
	}
}

// One that cannot be kept takes nothing from those that share its commit.
func TestOneOfManyFails(t *testing.T) {
	s := open(t)
	var all sync.WaitGroup
	bad := errors.New("not this one")
	for i := range 60 {
		all.Add(1)
		go func() {
			defer all.Done()
			name := fmt.Sprintf("M%02d", i)
			_, err := s.Keep(ctx, machine(name, name, "", now), store.Entry{Now: now},
				func(*store.Tx, *store.Machine, *inventory.Document) error {
					if i%20 == 7 {
						return bad
					}
					return nil
				})
			failed := i%20 == 7
			expect.Same(t, name+": whether it fails", err != nil, failed)
			expect.Same(t, name+": whether it fails as it should", errors.Is(err, bad), failed)
		}()
	}
	all.Wait()
	for i := range 60 {
		_, err := s.MachineByKey(ctx, fmt.Sprintf("m%02d", i))
		if kept := err == nil; kept != (i%20 != 7) {
			t.Errorf("machine %d: kept %v (%v)", i, kept, err)
		}
	}
}

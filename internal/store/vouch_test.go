package store_test

import (
	"fmt"
	"sync"
	"testing"
	"time"

	"rolltop.example/rolltop/core/identity"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/signature"
	"rolltop.example/rolltop/internal/store"
)

// sent keeps an inventory that was sent by somebody; runs is the release that it names.
func sent(t *testing.T, s *store.Store, runs string, at time.Time, e store.Entry) store.Kept {
	t.Helper()
	d := machine("GULL-001", "S1", "", at)
	d.OS.Name = inventory.Some(runs)
	if e.Now.IsZero() {
		e.Now = at
	}
	k, err := s.Keep(ctx, d, e, unjudged)
	if err != nil {
		t.Fatal(err)
	}
	return k
}

func by(token int64, key string, created time.Time) store.Entry {
	e := store.Entry{Token: token}
	if key != "" {
		e.Signed = &signature.Signed{Key: key, Created: created}
	}
	return e
}

// Whoever may not speak for a machine changes nothing about it: what they send waits
// beside for a person.
func TestWhoSpeaksForAMachine(t *testing.T) {
	minute := func(n int) time.Time { return now.Add(time.Duration(n) * time.Minute) }
	for _, c := range []struct {
		name          string
		first, second store.Entry
		beside        bool
	}{
		{"the same token", by(1, "", now), by(1, "", now), false},
		{"another token", by(1, "", now), by(2, "", now), true},
		{"a person", by(1, "", now), by(0, "", now), false},
		{"a token after a person", by(0, "", now), by(2, "", now), true},
		{"a token for what persons handed in", by(0, "", now), store.Entry{Token: 2, Imported: true}, false},
		{"a first key, by its token", by(1, "", now), by(1, "k1", minute(9)), false},
		{"a first key, by another token", by(1, "", now), by(2, "k1", minute(9)), true},
		{"its key, by another token", by(1, "k1", now), by(2, "k1", minute(9)), false},
		{"no key any more", by(1, "k1", now), by(1, "", now), true},
		{"another key", by(1, "k1", now), by(1, "k2", minute(9)), true},
		{"sent again", by(1, "k1", now), by(1, "k1", now), true},
	} {
		t.Run(c.name, func(t *testing.T) {
			s := open(t)
			sent(t, s, "Skerry 11", now, c.first)
			k := sent(t, s, "Skerry 12", minute(10), c.second)
			expect.Same(t, "k.Beside", k.Beside, c.beside)
			expect.That(t, "k.IsLatest != c.beside", k.IsLatest != c.beside)
			expect.That(t, "!k.Created", !k.Created)
			d, err := s.MachineByKey(ctx, "gull-001")
			if err != nil {
				t.Fatal(err)
			}
			if runs := map[bool]string{false: "Skerry 12", true: "Skerry 11"}[c.beside]; d.Installed != runs {
				t.Errorf("it runs %s, want %s", d.Installed, runs)
			}
			list, err := s.Duplicates(ctx)
			if err != nil || (len(list) == 1) != c.beside {
				t.Fatalf("%+v %v", list, err)
			}
			if !c.beside {
				return
			}
			if list[0].Kind != store.Unvouched || list[0].Why != k.Why {
				t.Errorf("%+v", list[0])
			}
			// A person says that it is the machine: then it is, and its sender speaks for it.
			if _, err := s.ResolveDuplicate(ctx, list[0].ID,
				store.Settling{Verdict: store.VerdictSame, By: "clerk", Now: minute(11)}, unjudged); err != nil {
				t.Fatal(err)
			}
			if d, err = s.MachineByKey(ctx, "gull-001"); err != nil || d.Installed != "Skerry 12" {
				t.Errorf("%+v %v", d, err)
			}
			next := c.second
			if next.Signed != nil {
				next.Signed = &signature.Signed{Key: next.Signed.Key, Created: minute(20)}
			}
			if k := sent(t, s, "Skerry 13", minute(20), next); k.Beside != (d.PublicKey != "" && next.Signed == nil) {
				t.Errorf("after it was settled: %+v", k)
			}
		})
	}
}

// A question that was settled is asked again when somebody else speaks again.
func TestUnvouchedIsAskedAgain(t *testing.T) {
	s := open(t)
	sent(t, s, "Skerry 11", now, by(1, "k1", now))
	for i := range 10 {
		sent(t, s, fmt.Sprint("Skerry ", 20+i), now.Add(time.Duration(i)*time.Minute), by(2, "", now))
	}
	d, err := s.MachineByKey(ctx, "gull-001")
	if err != nil {
		t.Fatal(err)
	}
	list, err := s.History(ctx, d.ID)
	beside := 0
	for _, h := range list {
		if h.Beside {
			beside++
		}
	}
	expect.NoError(t, err)
	expect.Same(t, "beside", beside, 5)
	expect.Same(t, "len(list)", len(list), 6)
	duplicates, err := s.Duplicates(ctx)
	if err != nil || len(duplicates) != 1 {
		t.Fatalf("%+v %v", duplicates, err)
	}
	if _, err := s.ResolveDuplicate(ctx, duplicates[0].ID, store.Settling{Verdict: store.VerdictApart, By: "clerk",
		Now: now},
		unjudged); err != nil {
		t.Fatal(err)
	}
	if n, err := s.Machines(ctx); err != nil || n != 2 {
		t.Errorf("%d machines, %v", n, err)
	}
	// It has the same serial number as a machine of its own, so the next is a conflict or
	// a question; in no case does it change the first machine.
	sent(t, s, "Skerry 30", now.Add(time.Hour), by(2, "", now))
	if d, err := s.MachineByKey(ctx, "gull-001"); err != nil || d.Installed != "Skerry 11" {
		t.Errorf("%+v %v", d, err)
	}
}

// Readings that are known already ask nothing, and do not make a machine look alive.
func TestUnvouchedWithKnownReadings(t *testing.T) {
	s := open(t)
	sent(t, s, "Skerry 11", now, by(1, "k1", now))
	k := sent(t, s, "Skerry 11", now.Add(time.Hour), by(2, "", now))
	d, err := s.MachineByKey(ctx, "gull-001")
	expect.NoError(t, err)
	expect.That(t, "k.Beside", k.Beside)
	expect.That(t, "d.Taken().Equal(now)", d.Taken().Equal(now))
	if list, err := s.Duplicates(ctx); err != nil || len(list) != 0 {
		t.Errorf("%+v %v", list, err)
	}
}

// A question ends where the machine sends the same readings itself.
func TestAQuestionThatTheMachineAnswers(t *testing.T) {
	s := open(t)
	sent(t, s, "Skerry 11", now, by(1, "k1", now))
	sent(t, s, "Skerry 12", now.Add(time.Hour), by(1, "", now))
	if list, err := s.Duplicates(ctx); err != nil || len(list) != 1 {
		t.Fatalf("%+v %v", list, err)
	}
	later := now.Add(2 * time.Hour)
	k := sent(t, s, "Skerry 12", later, by(1, "k1", later))
	expect.That(t, "!k.Beside", !k.Beside)
	expect.That(t, "k.IsLatest", k.IsLatest)
	expect.Same(t, "k.Machine.Installed", k.Machine.Installed, "Skerry 12")
	if list, err := s.Duplicates(ctx); err != nil || len(list) != 0 {
		t.Errorf("%+v %v", list, err)
	}
}

// An inventory from before a machine was retired does not bring it back; the next one does.
func TestRetiredMachines(t *testing.T) {
	s := open(t)
	k := sent(t, s, "Skerry 11", now, by(1, "", now))
	if err := s.RetireMachine(ctx, k.Machine.ID, now); err != nil {
		t.Fatal(err)
	}
	for hours, back := range []bool{false, true} {
		at := now.Add(time.Duration(2*hours-1) * time.Hour)
		sent(t, s, fmt.Sprint("Skerry ", hours), at, store.Entry{Token: 1, Now: now.Add(2 * time.Hour)})
		if d, err := s.MachineByKey(ctx, "gull-001"); err != nil || (d.RetiredAt == 0) != back {
			t.Errorf("an inventory of %v: retired at %d, %v", at, d.RetiredAt, err)
		}
	}
}

// After a disk was changed, one action lets the machine speak with its new key.
func TestRekey(t *testing.T) {
	s := open(t)
	sent(t, s, "Skerry 11", now, by(1, "k1", now))
	how := store.Settling{By: "clerk", Now: now.Add(2 * time.Hour)}
	sent(t, s, "Skerry 12", now.Add(time.Hour), by(1, "k2", now.Add(time.Hour)))
	if _, err := s.Rekey(ctx, "gull-001", how, unjudged); err != nil {
		t.Fatal(err)
	}
	d, err := s.MachineByKey(ctx, "gull-001")
	expect.NoError(t, err)
	expect.Same(t, "d.PublicKey", d.PublicKey, "k2")
	expect.Same(t, "d.Installed", d.Installed, "Skerry 12")
	if list, err := s.Duplicates(ctx); err != nil || len(list) != 0 {
		t.Errorf("%+v %v", list, err)
	}
	if k := sent(t, s, "Skerry 13", now.Add(3*time.Hour), by(1, "k1", now.Add(3*time.Hour))); !k.Beside {
		t.Error("the former key still speaks")
	}
	// Beforehand: the next one that is signed speaks.
	if _, err := s.Rekey(ctx, "gull-001", how, unjudged); err != nil { // takes what waits
		t.Fatal(err)
	}
	if _, err := s.Rekey(ctx, "gull-001", how, unjudged); err != nil {
		t.Fatal(err)
	}
	if k := sent(t, s, "Skerry 14", now.Add(4*time.Hour), by(1, "k3", now.Add(4*time.Hour))); k.Beside ||
		k.Machine.PublicKey != "k3" {
		t.Errorf("%+v", k)
	}
	if _, err := s.Rekey(ctx, "nobody", how, unjudged); err == nil {
		t.Error("a machine that is not there gets a key")
	}
}

// A key that comes from two machines is one machine's, and a question.
func TestCopiedKey(t *testing.T) {
	s := open(t)
	sent(t, s, "Skerry 11", now, by(1, "k1", now))
	other := machine("GULL-002", "S2", "", now)
	k, err := s.Keep(ctx, other, store.Entry{Now: now, Token: 1, Signed: &signature.Signed{Key: "k1", Created: now}},
		unjudged)
	expect.NoError(t, err)
	expect.That(t, "k.Created", k.Created)
	expect.Same(t, "k.Machine.PublicKey", k.Machine.PublicKey, "")
	list, err := s.Duplicates(ctx)
	expect.NoError(t, err)
	expect.Same(t, "len(list)", len(list), 1)
	expect.Same(t, "list[0].Kind", list[0].Kind, identity.Conflict.String())
	expect.Contains(t, list[0].Why, "the key of GULL-001")
}

// Clocks: of a machine, and of the service.
func TestClocks(t *testing.T) {
	hour := time.Hour
	for _, c := range []struct {
		name            string
		taken, received []time.Duration // of each inventory, after now
		signed          bool
		want            time.Duration // when the last was taken, which is the latest
		note            bool
	}{
		{"a day ahead", []time.Duration{24 * hour, hour}, []time.Duration{0, hour}, false, hour, false},
		{"ten minutes ahead", []time.Duration{0, hour + 9*time.Minute}, []time.Duration{0, hour}, false,
			hour + 9*time.Minute, false},
		{"a year ahead", []time.Duration{0, 8760 * hour}, []time.Duration{0, hour}, false, hour, true},
		{"signed, years behind", []time.Duration{-80_000 * hour, -80_000*hour + hour}, []time.Duration{0, hour}, true,
			hour, true},
		{"signed, a year ahead and put right", []time.Duration{8760 * hour, hour}, []time.Duration{0, hour}, true, hour,
			false},
		{"the service's clock is put back", []time.Duration{0, 10 * time.Minute}, []time.Duration{0, -hour}, false,
			-hour, true},
		{"the service's clock was ahead", []time.Duration{0, 10 * time.Minute}, []time.Duration{hour, 10 * time.Minute},
			false, 10 * time.Minute, false},
	} {
		t.Run(c.name, func(t *testing.T) {
			s := open(t)
			var k store.Kept
			for i := range c.taken {
				e := store.Entry{Now: now.Add(c.received[i]), Token: 1}
				if c.signed {
					e.Signed = &signature.Signed{Key: "k1", Created: now.Add(c.taken[i])}
				}
				k = sent(t, s, fmt.Sprint("Skerry ", i), now.Add(c.taken[i]), e)
			}
			expect.That(t, "k.IsLatest", k.IsLatest)
			expect.That(t, "!k.Beside", !k.Beside)
			expect.That(t, "k.Machine.Taken().Equal(now.Add(c.want))", k.Machine.Taken().Equal(now.Add(c.want)))
			expect.Same(t, `(k.Why != "")`, (k.Why != ""), c.note)
		})
	}
}

// What one machine sends in a day is bounded, and the latest of it counts.
func TestInventoriesOfADay(t *testing.T) {
	s := open(t)
	var k store.Kept
	for i := range 200 {
		k = sent(t, s, fmt.Sprint("Skerry ", i), now.Add(time.Duration(i)*time.Minute), by(1, "", now))
	}
	list, err := s.History(ctx, k.Machine.ID)
	if err != nil || len(list) != 48 {
		t.Errorf("%d inventories are kept, %v", len(list), err)
	}
	got, err := s.Inventory(ctx, k.Machine.ID, k.Machine.InventoryID)
	expect.NoError(t, err)
	expect.Same(t, `got.OS.Name.Or("")`, got.OS.Name.Or(""), "Skerry 199")
	expect.Same(t, "k.Machine.Installed", k.Machine.Installed, "Skerry 199")
	for i := range 60 { // the history of a machine, brought by a person
		sent(t, s, fmt.Sprint("Fathom ", i), now.Add(-time.Duration(i+1)*time.Hour),
			store.Entry{Now: now.Add(4 * time.Hour)})
	}
	if list, err := s.History(ctx, k.Machine.ID); err != nil || len(list) != 108 {
		t.Errorf("%d inventories after those that a person brought, %v", len(list), err)
	}
}

// Whatever machines are called, each has a key of its own.
func TestKeysOfManyOfOneName(t *testing.T) {
	s := open(t)
	seen := map[string]bool{}
	add := func(name string, i int) {
		t.Helper()
		d := machine(name, fmt.Sprint("S", i), "", now)
		if name == "" {
			d.Device.Name = inventory.Opt[string]{}
		}
		k := keep(t, s, d)
		if !k.Created || seen[k.Machine.Key] {
			t.Fatalf("%q: %+v", name, k.Machine)
		}
		seen[k.Machine.Key] = true
	}
	for i, name := range []string{
		"gull", "gull-2", "gull-3", "gull", "gull-4", "gull-5", "gull-6", "gull-7", "gull-8", "gull-9", "gull", "gull",
	} {
		add(name, i)
	}
	for i := range 600 {
		add("", 1000+i)
		add("pilot", 2000+i)
	}
	for _, want := range []string{"unnamed", "unnamed-2", "unnamed-600", "pilot", "pilot-600"} {
		if !seen[want] {
			t.Errorf("no machine has the key %s", want)
		}
	}
}

// BenchmarkNames adds machines without a name beside many of them, and gives what one costs
// as a multiple of what one with a name of its own costs there.
func BenchmarkNames(b *testing.B) {
	const many, batch = 100_000, 2000
	for b.Loop() {
		s := open(b)
		number := 0
		add := func(n, enqueue int, name func() string) time.Duration {
			at := time.Now()
			for range n / enqueue {
				var wait sync.WaitGroup
				for range enqueue {
					number++
					d := machine(name(), fmt.Sprint("S", number), "", now)
					wait.Go(func() {
						if _, err := s.Keep(ctx, d, store.Entry{Now: now}, unjudged); err != nil {
							b.Error(err)
						}
					})
				}
				wait.Wait()
			}
			return time.Since(at)
		}
		none := func() string { return "" }
		add(many, 500, none)
		own := add(batch, 1, func() string { return fmt.Sprint("GULL-", number) })
		b.ReportMetric(float64(add(batch, 1, none))/float64(own), "×own")
	}
}

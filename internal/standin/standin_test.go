package standin_test

import (
	"encoding/json"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/standin"
)

var now = time.Date(2026, 11, 23, 8, 0, 0, 0, time.UTC)

func fleet(t *testing.T, at time.Time) []*inventory.Document {
	t.Helper()
	org, err := standin.Load()
	if err != nil {
		t.Fatal(err)
	}
	list, err := org.Fleet(at)
	if err != nil {
		t.Fatal(err)
	}
	return list
}

func TestTheFleetIsTheSameAtEveryStart(t *testing.T) {
	one, two := fleet(t, now), fleet(t, now.Add(48*time.Hour))
	if len(one) != 270 {
		t.Fatalf("%d machines", len(one))
	}
	for i := range one {
		name := one[i].Device.Name.Or("")
		age := now.Sub(one[i].TakenAt)
		overdue := name == "OUTER-010" || name == "EELG-023"
		expect.That(t, name+" is not of the future", age >= 0)
		expect.That(t, name+" was seen in three days", overdue || age <= 71*time.Hour)
		one[i].TakenAt, two[i].TakenAt = now, now
		for _, d := range []*inventory.Document{one[i], two[i]} { // days before it was taken
			d.Storage.System.Encryption.PausedSince = inventory.Opt[time.Time]{}
		}
		a, _ := json.Marshal(one[i])
		b, _ := json.Marshal(two[i])
		if string(a) != string(b) {
			t.Fatalf("differs from start to start:\n%s\n%s", a, b)
		}
	}
}

func TestMachinesAreWhole(t *testing.T) {
	names, serials := map[string]bool{}, map[string]bool{}
	for _, d := range fleet(t, now) {
		name, serial := d.Device.Name.Or(""), d.Device.Serial.Or("")
		expect.That(t, name+" is the only one", !names[name])
		expect.That(t, serial+" is of one machine", !serials[serial])
		expect.That(t, name+" has a serial number", serial != "")
		names[name], serials[serial] = true, true
		b, err := json.Marshal(d)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := inventory.Read(name, b); err != nil {
			t.Errorf("its own inventory is refused: %v", err)
		}
		f := fact.Read(d)
		for _, def := range fact.All() {
			if r := f.Get(def.ID); !def.Derived && def.Has(f.Class()) {
				if !r.Value.Known() && d.GapOf(def.Name) == nil {
					t.Errorf("%s: %s is silently missing", name, def.Name)
				}
			}
		}
		if memory := d.Memory; !memory.Slots.IsZero() && int64(len(memory.Modules)) < memory.Slots.Or(0) {
			t.Errorf("%s: %d modules in %d slots", name, len(memory.Modules), memory.Slots.Or(0))
		}
	}
}

// Host names carry the pier; the makers are the made-up ones.
func TestNames(t *testing.T) {
	org, err := standin.Load()
	if err != nil {
		t.Fatal(err)
	}
	makers := map[string]bool{"Ostrel": true, "Fennick": true, "Brannock": true, "Boathouse": true, "": true}
	for _, d := range fleet(t, now) {
		prefix, _, _ := strings.Cut(d.Device.Name.Or(""), "-")
		known := false
		for _, p := range org.Sites {
			known = known || p.Prefix == prefix
		}
		if !known || !makers[d.Device.Manufacturer.Or("")] {
			t.Errorf("%s by %q", d.Device.Name.Or(""), d.Device.Manufacturer.Or(""))
		}
		if cpu := d.Processor.Name.Or(""); !strings.HasPrefix(cpu, "Corvane ") && !strings.HasPrefix(cpu, "Tessaly ") {
			t.Errorf("%s has the processor %q", d.Device.Name.Or(""), cpu)
		}
	}
}

// What the demo looks back on adds up to the same machines every day, and to more
// that are ready as time goes on.
func TestProgressOfTheDemo(t *testing.T) {
	today := map[[3]string]int{
		{"Gull Quay", "pc", "ready"}:        60,
		{"Gull Quay", "pc", "reconfigure"}:  20,
		{"Gull Quay", "pc", "undetermined"}: 3,
	}
	ready := 61
	for back := range standin.Days + 1 {
		then, sum := standin.Before(today, back), 0
		for _, n := range then {
			sum += n
			if n < 0 {
				t.Errorf("%d days ago: %v", back, then)
			}
		}
		if r := then[[3]string{"Gull Quay", "pc", "ready"}]; sum != 83 || r > ready {
			t.Errorf("%d days ago %d machines, %d of them ready", back, sum, r)
		} else {
			ready = r
		}
	}
}

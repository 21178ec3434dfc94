package fleet_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/remedy"
)

// drawn is a machine drawn at random.
func drawn(r *rand.Rand, n int) (fleet.Row, *fact.Facts) {
	outcomes := []byte("ppp")
	fails, sole := 0, ""
	for i := range outcomes {
		if outcomes[i] = "pfu"[r.IntN(3)]; outcomes[i] == 'f' {
			fails, sole = fails+1, skerry.Requirements[i].ID
		}
	}
	if fails != 1 {
		sole = ""
	}
	d := &inventory.Document{}
	d.OS.Platform = inventory.Some("windows")
	d.Memory.Installed = inventory.Some(int64(4+r.IntN(3)*4) << 30)
	d.Storage.System.FreeBytes = inventory.Some(r.Int64N(1e12))
	if r.IntN(2) == 0 {
		d.TPM.State = inventory.Some([]string{"ready", "off", "not-seen"}[r.IntN(3)])
	}
	return fleet.Row{
		Key:          fmt.Sprint(n),
		Name:         fmt.Sprintf("M%03d", r.IntN(500)),
		Site:         []string{"Gull Quay", "Holm Ferry", ""}[r.IntN(3)],
		Class:        "pc",
		Manufacturer: []string{"Ostrel", "Fennick"}[r.IntN(2)],
		Model:        []string{"Slipway 14", "Tern 2"}[r.IntN(2)],
		Installed:    []string{"Skerry 11", "Skerry 10"}[r.IntN(2)],
		TakenAt:      time.Unix(r.Int64N(1e6), 0).UTC(),
		Judged:       r.IntN(9) > 0,
		Release:      skerry,
		Disposition:  remedy.Disposition(r.IntN(5)),
		Certain:      r.IntN(2) == 0,
		Fails:        fails,
		Sole:         sole,
		Outcomes:     string(outcomes),
		Tags:         []string{"", "counter", "counter\nspare"}[r.IntN(3)],
		Retired:      r.IntN(8) == 0,
		Doubted:      r.IntN(8) == 0,
		Way:          []string{"in-place", "reinstall"}[r.IntN(2)],
		Next:         int8(r.IntN(6) - 1),
	}, fact.Read(d)
}

var wheres = []string{
	"", "ostrel", "m01 slipway", "disposition=refit,ready", `site="Gull Quay" fails=tpm`, "unknown=memory",
	"alone=tpm,memory", "memory.installed_bytes>=8GiB", "tpm.state=off,ready missing=tpm.version", "missing=tpm.state",
	"certainty=confirmed judged=yes", "tag=counter retired=yes,no", "retired=yes", "duplicate=yes tag=spare",
	"route=reinstall next=refit,ready", "cause=not-asked", "hold=no ends=3000",
	"storage.system.free_bytes<=500GB installed=\"Skerry 10\"",
}

// After any sequence of changes the index answers as a fresh one would.
func TestIndexIsWhatAFreshOneWouldBe(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	type machine struct {
		row   fleet.Row
		facts *fact.Facts
	}
	live, kept := fleet.NewIndex(), map[int64]machine{}
	for step := range 4000 {
		id := int64(r.IntN(120))
		if r.IntN(4) == 0 {
			live.Drop(id)
			delete(kept, id)
		} else {
			row, f := drawn(r, int(id))
			live.Put(id, row, f)
			kept[id] = machine{row, f}
		}
		if step%400 != 399 {
			continue
		}
		fresh := fleet.NewIndex()
		for id, m := range kept {
			fresh.Put(id, m.row, m.facts)
		}
		live.Sort()
		fresh.Sort()
		if live.Len() != len(kept) {
			t.Fatalf("%d machines of %d", live.Len(), len(kept))
		}
		for _, where := range wheres {
			f, err := fleet.Parse(where)
			if err != nil {
				t.Fatal(err)
			}
			a, b := live.Select(f), fresh.Select(f)
			if !slices.Equal(a.Page(fleet.Order{}, 0, 999), b.Page(fleet.Order{}, 0, 999)) {
				t.Fatalf("%q picks %d and %d", where, a.Len(), b.Len())
			}
			if x, y := fmt.Sprint(a.Count()), fmt.Sprint(b.Count()); x != y {
				t.Fatalf("%q counts\n%s\n%s", where, x, y)
			}
		}
	}
}

// Pages neither overlap nor leave gaps, in every order.
func TestPagesAreTheWholeOrder(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	x := fleet.NewIndex()
	facts := map[int64]*fact.Facts{}
	for i := range 700 {
		row, f := drawn(r, i)
		row.ID = int64(i)
		x.Put(row.ID, row, f)
		facts[row.ID] = f
	}
	x.Sort()
	all := x.Select(fleet.Filter{})
	for _, key := range append(slices.Clone(fleet.Orders), "memory.installed_bytes", "tpm.state", "needs.tpm") {
		for _, order := range []string{key, "-" + key} {
			by := order1(t, order)
			whole := all.Page(by, 0, 700)
			var parts []fleet.Row
			for from := 0; from < 720; from += 37 {
				parts = append(parts, all.Page(by, from, 37)...)
			}
			if !slices.Equal(whole, parts) {
				t.Errorf("%s: the pages are not the whole", order)
			}
			sorted := slices.IsSortedFunc(whole, func(a, b fleet.Row) int {
				c := map[string]int{
					"name":  strings.Compare(a.Name, b.Name),
					"site":  strings.Compare(a.Site, b.Site),
					"fails": a.Fails - b.Fails,
					"taken": a.TakenAt.Compare(b.TakenAt),
				}[strings.TrimPrefix(order, "-")]
				if order[0] == '-' {
					return -c
				}
				return c
			})
			if !sorted {
				t.Errorf("%s: not in order", order)
			}
			// From mark to mark it is the whole again, and a machine that goes takes
			// nothing with it.
			parts = whole[:37:37]
			for len(parts) < len(whole) {
				id, _ := strconv.ParseInt(parts[len(parts)-1].Key, 10, 64)
				mark, ok := x.MarkOf(by, id)
				if !ok {
					t.Fatalf("%s: machine %d has no mark", order, id)
				}
				x.Drop(id)
				x.Sort()
				next, before := x.Select(fleet.Filter{}).After(by, mark, 37)
				if before != len(parts)-1 {
					t.Fatalf("%s: %d stand before, want %d", order, before, len(parts)-1)
				}
				parts = append(parts, next...)
				x.Put(id, parts[len(parts)-len(next)-1], facts[id])
				x.Sort()
			}
			all = x.Select(fleet.Filter{})
			if !slices.Equal(whole, parts) {
				t.Errorf("%s: from mark to mark it is not the whole", order)
			}
		}
	}
	if all.Page(fleet.Order{}, 9999, 10) != nil || all.Page(fleet.Order{}, -5, 0) != nil {
		t.Error("a page beyond the end has machines")
	}
}

func order1(t testing.TB, text string) fleet.Order {
	t.Helper()
	o, err := fleet.ParseOrder(text)
	if err != nil {
		t.Fatal(err)
	}
	return o
}

func TestParseOrder(t *testing.T) {
	for text, want := range map[string]string{
		"nmae":                  "name",
		"memory.instaled_bytes": "memory.installed_bytes",
		"device.serial":         "device",
		"graphics.name":         "by",
	} {
		t.Run(text, func(t *testing.T) {
			if _, err := fleet.ParseOrder(text); err == nil || !strings.Contains(err.Error(), want) {
				t.Errorf("%s: %v", text, err)
			}
		})
	}
}

// Values that no machine has any more are forgotten.
func TestIndexDoesNotGrow(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	x := fleet.NewIndex()
	for range 20_000 {
		row, f := drawn(r, 1)
		x.Put(1, row, f)
	}
	if n := x.Values(); n > 3000 {
		t.Errorf("one machine keeps %d values", n)
	}
}

// With 100,000 machines: lists, filters and counts.
func BenchmarkIndex(b *testing.B) {
	r := rand.New(rand.NewPCG(7, 8))
	x := fleet.NewIndex()
	for i := range 100_000 {
		row, f := drawn(r, i)
		row.Name = fmt.Sprintf("GULL-%06d", r.IntN(1e6))
		x.Put(int64(i), row, f)
	}
	x.Sort()
	for _, where := range []string{
		"", "slipway 99", "disposition=refit fails=tpm", `memory.installed_bytes>=8GiB tpm.state=off`,
		"storage.system.free_bytes<=500GB",
	} {
		f, err := fleet.Parse(where)
		if err != nil {
			b.Fatal(err)
		}
		b.Run("list "+where, func(b *testing.B) {
			for b.Loop() {
				x.Select(f).Page(order1(b, "-taken"), 50, 50)
			}
		})
	}
	b.Run("count", func(b *testing.B) {
		for b.Loop() {
			x.Select(fleet.Filter{}).Count()
		}
	})
	b.Run("put", func(b *testing.B) {
		row, f := drawn(r, 5)
		for b.Loop() {
			x.Put(5, row, f)
		}
	})
}

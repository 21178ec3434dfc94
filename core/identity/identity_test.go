package identity_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"rolltop.example/rolltop/core/identity"
	"rolltop.example/rolltop/core/placeholder"
)

const (
	uuid1   = "11223344-5566-7788-99aa-bbccddeeff00"
	uuid1As = "44332211-6655-8877-99aa-bbccddeeff00"
	uuid2   = "99999999-1111-2222-3333-444444444444"
	uuid3   = "99999999-1111-2222-3333-555555555555"

	placeholderUUID = "03000200-0400-0500-0006-000700080009"
)

func marks(change func(*identity.Marks)) identity.Marks {
	m := identity.Marks{Maker: "Ostrel", Model: "Slipway 14", Serial: "OS1", UUID: uuid1, Board: "B1", Name: "GULL-001"}
	change(&m)
	return m
}

func TestDecide(t *testing.T) {
	type known = []identity.Known
	weak := known{{ID: 4, Marks: marks(func(m *identity.Marks) {
		m.Serial, m.UUID, m.Board, m.Weak = "", "", "", "w1"
	})}}
	one := known{{ID: 7, Marks: marks(func(*identity.Marks) {})}}
	for _, c := range []struct {
		name  string
		known known
		is    identity.Marks
		want  identity.Kind
		id    int64
	}{
		{"nothing is known", nil, marks(func(*identity.Marks) {}), identity.New, 0},
		{"the same", one, marks(func(*identity.Marks) {}), identity.Same, 7},
		{"renamed", one, marks(func(m *identity.Marks) { m.Name = "GULL-099" }), identity.Same, 7},
		{"the model's name was rewritten by new firmware", one,
			marks(func(m *identity.Marks) { m.Model = "Slipway 14 A" }), identity.Same, 7},
		{"no serial number", one, marks(func(m *identity.Marks) { m.Serial = "" }), identity.Same, 7},
		{"no UUID", one, marks(func(m *identity.Marks) { m.UUID = "" }), identity.Same, 7},
		{"bytes the other way round", one, marks(func(m *identity.Marks) { m.UUID = uuid1As }), identity.Noted, 7},
		{"a cloned UUID", one, marks(func(m *identity.Marks) { m.Serial = "OS2" }), identity.Conflict, 7},
		{"the UUID on another model", one, marks(func(m *identity.Marks) { m.Serial, m.Model = "", "Tern 2" }),
			identity.Conflict, 7},
		{"the serial number with another UUID", one, marks(func(m *identity.Marks) { m.UUID = uuid2 }),
			identity.Conflict, 7},
		{"the serial number of another maker", one,
			marks(func(m *identity.Marks) { m.Maker, m.UUID = "Fennick", uuid2 }), identity.New, 0},
		{"the same name and model, other numbers", one,
			marks(func(m *identity.Marks) { m.Serial, m.UUID, m.Board = "OS2", uuid2, "B2" }), identity.New, 0},
		{"without rights", one, marks(func(m *identity.Marks) { m.Serial, m.UUID, m.Board = "", "", "" }),
			identity.Weak, 7},
		{"without rights, another model", one,
			marks(func(m *identity.Marks) { m.Serial, m.UUID, m.Board, m.Model = "", "", "", "Tern 2" }), identity.New,
			0},
		{"a name alone", one, identity.Marks{Name: "GULL-001"}, identity.New, 0},
		{"the board alone", one, marks(func(m *identity.Marks) { m.Serial, m.UUID, m.Name = "", "", "GULL-050" }),
			identity.Weak, 7},
		{"the name with another board", one,
			marks(func(m *identity.Marks) { m.Serial, m.UUID, m.Board = "", "", "B9" }), identity.New, 0},
		{"a record of a name only", known{{ID: 3, Marks: identity.Marks{Name: "gull-001"}}},
			identity.Marks{Name: "GULL-001"}, identity.Same, 3},
		{"one of two alike", known{{ID: 1,
			Marks: marks(func(m *identity.Marks) { m.Serial, m.UUID, m.Board = "A", "", "" })},
			{ID: 2, Marks: marks(func(m *identity.Marks) { m.Serial, m.UUID, m.Board = "B", "", "" })}},
			marks(func(m *identity.Marks) { m.Serial, m.UUID, m.Board = "", "", "" }), identity.New, 0},
		{"itself among two alike",
			known{
				{ID: 1, Marks: marks(func(m *identity.Marks) { m.Serial, m.UUID, m.Board = "A", "", "" })},
				{ID: 2, Marks: marks(func(m *identity.Marks) { m.Serial, m.UUID, m.Board = "", "", "" })},
			},
			marks(func(m *identity.Marks) { m.Serial, m.UUID, m.Board = "", "", "" }), identity.Same, 2},
		{"the third with one serial number of a model",
			known{
				{ID: 1, Marks: marks(func(m *identity.Marks) { m.UUID, m.Board = uuid2, "" })},
				{ID: 2, Marks: marks(func(m *identity.Marks) { m.UUID, m.Board = uuid3, "" })},
			},
			marks(func(m *identity.Marks) { m.Name, m.Board = "GULL-003", "" }), identity.New, 0},
		{"renamed without rights, the id of its system is the same", weak, marks(func(m *identity.Marks) {
			m.Serial, m.UUID, m.Board, m.Weak, m.Name = "", "", "", "w1", "GULL-099"
		}), identity.Noted, 4},
		{"without rights, the id of its system is the same", weak,
			marks(func(m *identity.Marks) { m.Serial, m.UUID, m.Board, m.Weak = "", "", "", "w1" }), identity.Same, 4},
		{"a twin with another system", weak,
			marks(func(m *identity.Marks) { m.Serial, m.UUID, m.Board, m.Weak = "", "", "", "w2" }), identity.Conflict,
			4},
		{"the id of a system that was copied to a machine with numbers of its own",
			known{{ID: 5, Marks: marks(func(m *identity.Marks) { m.Weak = "w1" })}},
			marks(func(m *identity.Marks) {
				m.Serial, m.UUID, m.Board, m.Weak, m.Name = "OS2", uuid2, "B2", "w1", "GULL-002"
			}), identity.New, 0},
		{"two with a placeholder for a UUID",
			known{{ID: 6, Marks: marks(func(m *identity.Marks) {
				m.Serial, m.UUID, m.Board = "", placeholderUUID, ""
			})}},
			marks(func(m *identity.Marks) { m.Serial, m.UUID, m.Board, m.Name = "", placeholderUUID, "", "GULL-002" }),
			identity.New, 0},
		{"two with a placeholder for a serial number",
			known{{ID: 6, Marks: marks(func(m *identity.Marks) {
				m.Serial, m.UUID, m.Board = "To be filled by O.E.M.", "", "Default string"
			})}},
			marks(func(m *identity.Marks) {
				m.Serial, m.UUID, m.Board, m.Name = "To be filled by O.E.M.", "", "Default string", "GULL-002"
			}), identity.New, 0},
		{"a conflict beside itself",
			known{
				{ID: 1, Marks: marks(func(m *identity.Marks) { m.Serial = "OS9" })},
				{ID: 2, Marks: marks(func(*identity.Marks) {})},
			}, marks(func(*identity.Marks) {}), identity.Same, 2},
	} {
		t.Run(c.name, func(t *testing.T) {
			got := identity.Decide(c.is, c.known)
			if got.Kind != c.want || got.ID != c.id {
				t.Errorf("%s: %v of %d, want %v of %d", c.name, got.Kind, got.ID, c.want, c.id)
			}
			if says := got.Why != ""; says != (got.Kind >= identity.Noted) {
				t.Errorf("%s: says %q", c.name, got.Why)
			}
		})
	}
}

// Whatever is known: a machine is never merged with one that has another serial
// number, or another UUID that is not the same one turned round.
func TestClonesAreNeverMerged(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	pick := func(list ...string) string { return list[r.IntN(len(list))] }
	draw := func() identity.Marks {
		return identity.Marks{
			Maker:  pick("", "Ostrel", "Fennick"),
			Model:  pick("", "Slipway 14", "Tern 2"),
			Serial: pick("", "A", "B"),
			UUID:   pick("", uuid1, uuid1As, uuid2),
			Board:  pick("", "X", "Y"),
			Name:   pick("", "N1", "N2"),
		}
	}
	for range 50_000 {
		m, known := draw(), []identity.Known{}
		for i := range r.IntN(6) {
			known = append(known, identity.Known{ID: int64(i + 1), Marks: draw()})
		}
		got := identity.Decide(m, known)
		if got.Kind == identity.New || got.Kind == identity.Conflict {
			continue
		}
		k := known[got.ID-1].Marks
		both := m.UUID != "" && m.UUID == k.UUID
		if m.UUID != "" && k.UUID != "" {
			if m.UUID != k.UUID && placeholder.Swap(m.UUID) != k.UUID {
				t.Fatalf("%+v was taken for %+v: %v", m, k, got)
			}
		}
		shared := 0
		for _, o := range known {
			sameModel := o.Maker == m.Maker && o.Model == m.Model
			if sameModel && o.Serial == m.Serial {
				shared++
			}
		}
		if m.Serial != "" && k.Serial != "" {
			if m.Serial != k.Serial && shared < 2 {
				t.Fatalf("%+v was taken for %+v: %v", m, k, got)
			}
		}
		nameAlone := m.Blank() && !both && m.Model == ""
		sameBoard := m.Board != "" && m.Board == k.Board
		foreign := !k.Blank() && !sameBoard
		if nameAlone && foreign {
			t.Fatalf("a name alone: %+v was taken for %+v", m, k)
		}
	}
}

func Example() {
	fmt.Println(placeholder.Swap("00112233-4455-6677-8899-aabbccddeeff"))
	// Output: 33221100-5544-7766-8899-aabbccddeeff
}

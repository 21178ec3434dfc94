// Package identity decides whether an inventory is of a machine that is known.
// What names a machine is its maker's serial number and its UUID (SMBIOS 3.7,
// sections 7.2.1 and 7.4), each of which may be missing, cloned or written wrong.
// Two machines are never taken for one in silence, and a machine that was renamed
// or installed afresh stays itself.
package identity

import (
	"fmt"
	"strings"

	"rolltop.example/rolltop/core/placeholder"
)

// Marks are what tells one machine from another. Empty is not known.
type Marks struct {
	Maker, Model, Serial string
	UUID                 string // canonical, lower case
	Board                string // serial number of the board
	Name                 string // host name
	Weak                 string // keyed hash of the system's id, read without administrator rights
}

// Clean leaves out what is a placeholder: it names no machine.
func (m Marks) Clean() Marks {
	m.Serial, m.Board, m.UUID = placeholder.Text(m.Serial), placeholder.Text(m.Board), placeholder.UUID(m.UUID)
	return m
}

// Blank says that it bears neither a serial number nor a UUID.
func (m *Marks) Blank() bool { return m.Serial == "" && m.UUID == "" }

// Known is a machine that is kept.
type Known struct {
	ID int64
	Marks
}

// Kind of an answer.
type Kind uint8

// The kinds.
const (
	New      Kind = iota // no known machine is like it
	Same                 // it is a known machine
	Noted                // it is a known machine, and something about it is odd
	Weak                 // it is probably a known machine; little says so, and nothing against it
	Conflict             // it is a machine of its own that bears what no two machines should share
)

// String is the kind as it is stored.
func (k Kind) String() string {
	return [...]string{"new", "same", "noted", "weak", "conflict"}[k]
}

// Answer is what an inventory's machine is.
type Answer struct {
	Kind Kind
	ID   int64  // the known machine: that it is, or that it is in conflict with
	Why  string // for all but New and Same: a sentence
}

// strength orders what speaks for a known machine. The strongest counts.
type strength uint8

const (
	nothing strength = iota
	byName
	twins // all but the weak key is the same, and that differs
	conflicting
	byWeakKey
	bySerial
	swapped
	byUUID
	byBoth
)

// sharedBy is how many machines of a model must bear one serial number for it to
// be none: it is what the maker left in all of them.
const sharedBy = 3

// Decide finds the machine among those that share anything with m. known may
// hold others, too.
func Decide(m Marks, known []Known) Answer {
	m = m.Clean()
	known = append([]Known(nil), known...)
	for i := range known {
		known[i].Marks = known[i].Clean()
	}
	if givenTwice(&m, known) {
		shared := m
		m.Serial = ""
		known = without(known, &shared)
	}
	best, at, alike := nothing, -1, 0
	for i := range known {
		s := matchStrength(&m, &known[i].Marks)
		switch {
		case s > best:
			best, at, alike = s, i, 1
		case s == best && s != nothing:
			alike++
		}
	}
	if at < 0 {
		return Answer{}
	}
	k := &known[at]
	switch best {
	case byBoth, byUUID, bySerial:
		return Answer{Kind: Same, ID: k.ID}
	case swapped:
		return Answer{Noted, k.ID, "Its UUID is now read with its first bytes in reverse order."}
	case byWeakKey:
		if strings.EqualFold(m.Name, k.Name) {
			return Answer{Kind: Same, ID: k.ID}
		}
		return Answer{Noted, k.ID, "Its host name changed; the id of its system is the same."}
	case twins:
		return Answer{
			Conflict, k.ID, fmt.Sprintf("It has the name and the model of %s and no serial number, but its system "+
				"has another id: there may be two machines, or the system was reinstalled.", k.Name),
		}
	case conflicting:
		return Answer{Conflict, k.ID, conflict(&m, &k.Marks)}
	}
	if i := itself(&m, known); i >= 0 {
		return Answer{Kind: Same, ID: known[i].ID}
	}
	if alike > 1 {
		return Answer{} // nothing says which
	}
	if m.Board != "" && m.Board == k.Board {
		return Answer{
			Weak, k.ID, "Only the serial number of the board indicates this machine; an inventory read as " +
				"administrator would confirm it.",
		}
	}
	return Answer{
		Weak, k.ID, "Only the host name and the model indicate this machine; an inventory read as administrator " +
			"would confirm it.",
	}
}

// matchStrength weighs what two sets of marks have in common.
func matchStrength(m, k *Marks) strength {
	sameSerial := m.Serial != "" && m.Serial == k.Serial && alike(m.Maker, k.Maker)
	otherSerial := m.Serial != "" && k.Serial != "" && !sameSerial
	sameUUID := m.UUID != "" && m.UUID == k.UUID
	otherUUID := m.UUID != "" && k.UUID != "" && !sameUUID
	switch {
	case sameUUID && sameSerial:
		return byBoth
	case sameUUID && (otherSerial || !alike(m.Model, k.Model)):
		return conflicting
	case sameUUID:
		return byUUID
	case sameSerial && otherUUID && placeholder.Swap(m.UUID) == k.UUID:
		return swapped
	case sameSerial && (otherUUID || !alike(m.Model, k.Model)):
		return conflicting
	case sameSerial:
		return bySerial
	case otherSerial || otherUUID:
		return nothing
	case m.Weak != "" && m.Weak == k.Weak && alike(m.Model, k.Model):
		return byWeakKey
	case m.Board != "" && m.Board == k.Board && alike(m.Model, k.Model):
		return byName
	case m.Blank() && k.Blank() && m.Weak != "" && k.Weak != "" && m.Model != "" && m.Model == k.Model &&
		strings.EqualFold(m.Name, k.Name):
		return twins
	case m.Weak != "" && k.Weak != "" && m.Weak != k.Weak:
		return nothing
	case m.Name != "" && strings.EqualFold(m.Name, k.Name) && (m.Board == "" || k.Board == "" || m.Board == k.Board) &&
		m.Model == k.Model && alike(m.Maker, k.Maker) && (m.Model != "" || m.Blank() && k.Blank()):
		return byName
	}
	return nothing
}

// itself is the machine that has just these marks and no others: one that is
// known by its name only.
func itself(m *Marks, known []Known) int {
	for i := range known {
		k := &known[i].Marks
		if m.Blank() && k.Blank() && (m.Weak == "" || k.Weak == "" || m.Weak == k.Weak) &&
			strings.EqualFold(m.Name, k.Name) && m.Maker == k.Maker && m.Model == k.Model && m.Board == k.Board {
			return i
		}
	}
	return -1
}

// alike says that nothing tells two texts apart.
func alike(a, b string) bool { return a == "" || b == "" || strings.EqualFold(a, b) }

// givenTwice says that a serial number is borne by too many machines of a model
// to name one of them.
func givenTwice(m *Marks, known []Known) bool {
	others := map[string]bool{}
	for i := range known {
		if k := &known[i].Marks; sharesSerial(m, k) && k.UUID != m.UUID && placeholder.Swap(k.UUID) != m.UUID {
			others[k.UUID] = true
		}
	}
	delete(others, "")
	return m.UUID != "" && len(others) >= sharedBy-1
}

func sharesSerial(m, k *Marks) bool {
	return m.Serial != "" && m.Serial == k.Serial && m.Maker == k.Maker && m.Model == k.Model
}

// without takes a serial number that names nothing from those who bear it.
func without(known []Known, m *Marks) []Known {
	out := append([]Known(nil), known...)
	for i := range out {
		if sharesSerial(m, &out[i].Marks) {
			out[i].Serial = ""
		}
	}
	return out
}

func conflict(m, k *Marks) string {
	if m.UUID != "" && m.UUID == k.UUID {
		if m.Serial != k.Serial && m.Serial != "" && k.Serial != "" {
			return fmt.Sprintf("It has the UUID of %s but another serial number: one system may be a copy of the "+
				"other, or the board was replaced.", k.Name)
		}
		return fmt.Sprintf("It has the UUID of %s but is another model.", k.Name)
	}
	if !alike(m.Model, k.Model) {
		return fmt.Sprintf("It has the serial number of %s but is another model.", k.Name)
	}
	return fmt.Sprintf("It has the serial number of %s but another UUID: the board may have been replaced, or the "+
		"maker used the number twice.", k.Name)
}

package fact

import (
	"fmt"
	"slices"

	"rolltop.example/rolltop/core/inventory"
)

// ID is the hand-given number of a fact. Numbers are never used again.
type ID uint8

// Count is one more than the highest number of a fact of the machine itself;
// facts of rows of lists have higher ones.
const Count = 120

// Unit of a Number.
type Unit int8

// The units. Memory sizes are binary and drives decimal: a release that says
// 4 GB of memory means 4 GiB of modules, one that says 64 GB of storage means
// a drive sold as 64 GB.
const (
	NoUnit Unit = iota
	Binary      // bytes, said in GiB
	Drive       // bytes of a drive, said in GB; a drive holds a little less than it is sold as
	Space       // bytes of a volume, said in GB, exact
	MHz
	Inches
	Percent
	Bits
)

// Aspect says what kind of statement a fact makes: how much, able to, or
// switched to.
type Aspect int8

// The aspects.
const (
	Identity Aspect = iota
	Measure
	Capability
	State
)

// Platform is the hardware that has a fact at all.
type Platform int8

// Both, or only PCs, or only Macs have a fact.
const (
	Everywhere Platform = iota
	OnlyPC
	OnlyMac
)

// Def is the catalogue's entry for one fact.
type Def struct {
	ID     ID
	Name   string // as in documents: memory.installed_bytes
	Label  string // as in sentences: installed memory
	Kind   Kind
	Unit   Unit
	Aspect Aspect
	On     Platform
	Words  map[string]string // of a Word: the document's word → the sentence's
	Items  map[string]string // of a Set: the same for its items, where the sentence has another word
	About  string            // one line for the documentation
	// Derived facts are worked out from others and have no key of their own.
	Derived bool

	// How the fact is read from a document, and where it stands there: of is for facts that are
	// worked out or read in a way of their own, in for all others, at for those of a list's rows.
	of func(*document) Value
	in access
	at access
}

type document = inventory.Document

type (
	optText = inventory.Opt[string]
	optInt  = inventory.Opt[int64]
	optBool = inventory.Opt[bool]
)

var architectures = map[string]string{"x86": "32-bit", "x86-64": "64-bit", "arm64": "64-bit ARM"}
var styles = map[string]string{"gpt": "GPT", "mbr": "MBR", "none": "no partition table"}

// catalogue is in the order in which people read an inventory.
var catalogue = slices.Concat(
	deviceFacts, systemFacts, processorFacts, memoryFacts, storageFacts, firmwareFacts, restFacts,
)

// unjudged: known only once a release document has looked at the list.
func unjudged(*document) Value { return Value{} }

var (
	byID   [rowsCount]*Def
	byName = make(map[string]*Def, len(catalogue)+len(rowCatalogue))
	names  []string
)

func init() {
	add := func(d *Def) {
		if byID[d.ID] != nil || byName[d.Name] != nil {
			panic(fmt.Sprintf("fact: %s appears twice in the catalogue", d.Name))
		}
		byID[d.ID], byName[d.Name] = d, d
		names = append(names, d.Name)
	}
	for i := range catalogue {
		add(&catalogue[i])
	}
	for i := range rowCatalogue {
		add(&rowCatalogue[i])
	}
}

// All returns the facts of the machine itself in their reading order. It is not
// to be changed.
func All() []Def { return catalogue }

// OfRows returns the facts that rows of lists have. It is not to be changed.
func OfRows() []Def { return rowCatalogue }

// Names returns every fact's name in reading order. It is not to be changed.
func Names() []string { return names }

// ByName finds a fact, or nil.
func ByName(name string) *Def { return byName[name] }

// Def returns the fact's entry.
func (id ID) Def() *Def { return byID[id] }

func (id ID) String() string {
	if int(id) < len(byID) && byID[id] != nil {
		return byID[id].Name
	}
	return fmt.Sprintf("fact %d", uint8(id))
}

// Package doc is the one strict reader of Rolltop's YAML and JSON documents.
//
// [Parse] turns text into a tree of nodes that keep the text as written, with
// line and column, so that “2.0” stays “2.0” and a mistake can be pointed at.
// [Decode] fills Go structs from the tree and reports every mistake at once as
// [Mistakes]: unknown and repeated keys (with the name that was probably
// meant), missing keys, wrong kinds, values out of range.
//
// The struct tags are those that the JSON Schemas and the API description are
// generated from: json, enum, minimum, maximum. A field without omitempty or
// omitzero is required. So a document, its schema and its reader cannot differ.
//
// Nothing here opens files; the caller reads at most [MaxBytes] and one more.
package doc

import (
	"cmp"
	"fmt"
	"sort"
	"strings"
)

// Limits of a document. They are far above what a real one needs and far
// below what could hurt the reader.
const (
	MaxBytes    = 8 << 20 // of text
	MaxDepth    = 40      // of lists and maps within each other
	MaxItems    = 200_000 // in one list
	MaxText     = 16 << 10
	MaxMistakes = 40 // reported; the rest are counted
)

// Kind says what a node is.
type Kind int8

// The kinds of node. Plain is a YAML scalar without quotes: what it means is
// decided by the field that it fills.
const (
	Null Kind = iota
	Bool
	Number
	Text
	Plain
	List
	Map
)

func (k Kind) String() string {
	return [...]string{"nothing", "true or false", "a number", "text", "text", "a list", "a group of keys"}[k]
}

// Node is a place in a document.
type Node struct {
	Kind   Kind
	Text   string // a scalar, as written without its quotes
	Items  []*Node
	Fields []Field
	File   string // of a file beside the document; empty in the document itself
	Line   int    // 1-based
	Col    int    // 1-based, in bytes

	parent *Node
	step   string // the key in a map
	place  int    // the place in a list
}

// Field is a key of a map with its value.
type Field struct {
	Name      string
	Line, Col int
	Value     *Node
}

// Of returns the value of a key, or n itself when it has no such key, so that
// a mistake about a missing key points at its group.
func (n *Node) Of(key string) *Node {
	if n == nil {
		return nil
	}
	for _, f := range n.Fields {
		if f.Name == key {
			return f.Value
		}
	}
	return n
}

// Has says whether a map has a key.
func (n *Node) Has(key string) bool { return n != nil && n.Of(key) != n }

// Path names the place: requirements[2].need.
func (n *Node) Path() string {
	if n == nil || n.parent == nil {
		return ""
	}
	p := n.parent.Path()
	switch {
	case n.parent.Kind == List:
		return fmt.Sprintf("%s[%d]", p, n.place)
	case p == "":
		return n.step
	}
	return p + "." + n.step
}

// Mistake is one thing wrong in a document.
type Mistake struct {
	File  string `json:"file,omitempty" doc:"A file beside the document, where the mistake is in one"`
	Line  int    `json:"line,omitempty" doc:"Line of the mistake, from 1; missing where there is no document"`
	Col   int    `json:"column,omitempty" doc:"Column of the mistake, from 1"`
	Path  string `json:"path,omitempty" doc:"Key or parameter that has the mistake"`
	Wrong string `json:"wrong" doc:"What is wrong"`
	Right string `json:"right,omitempty" doc:"What would be right"`
}

func (m Mistake) String() string {
	var b strings.Builder
	if m.Line > 0 {
		fmt.Fprintf(&b, "%d:%d: ", m.Line, m.Col)
	}
	if m.Path != "" {
		fmt.Fprintf(&b, "%s: ", m.Path)
	}
	b.WriteString(m.Wrong)
	if m.Right != "" {
		b.WriteString("; " + m.Right)
	}
	return b.String()
}

// Mistakes is everything wrong in one document, in its order. It is the error
// that [Decode] returns.
type Mistakes struct {
	Name string // of the file, as the user wrote it
	List []Mistake
	More int // found beyond MaxMistakes
}

// Error lists the mistakes, one a line, each with the document's name in front.
func (m *Mistakes) Error() string {
	var b strings.Builder
	for i, one := range m.List {
		if i > 0 {
			b.WriteByte('\n')
		}
		b.WriteString(cmp.Or(one.File, m.Name) + ":")
		if one.Line == 0 {
			b.WriteByte(' ')
		}
		b.WriteString(one.String())
	}
	if m.More > 0 {
		fmt.Fprintf(&b, "\n%s: and %d more mistakes", m.Name, m.More)
	}
	return b.String()
}

// Report collects mistakes.
type Report struct {
	Name string
	all  []Mistake
}

// Add notes a mistake at a node (nil: about the whole document).
func (r *Report) Add(n *Node, wrong, right string) {
	m := Mistake{Wrong: wrong, Right: right}
	if n != nil {
		m.File, m.Line, m.Col, m.Path = n.File, n.Line, n.Col, n.Path()
	}
	r.all = append(r.all, m)
}

// AddIn notes a mistake at a place of a file beside the document.
func (r *Report) AddIn(file string, line, col int, wrong, right string) {
	r.all = append(r.all, Mistake{File: file, Line: line, Col: col, Wrong: wrong, Right: right})
}

func (r *Report) addAt(line, col int, path, wrong, right string) {
	r.all = append(r.all, Mistake{Line: line, Col: col, Path: path, Wrong: wrong, Right: right})
}

// Count is how many mistakes were collected so far.
func (r *Report) Count() int { return len(r.all) }

// Err returns what was collected as [*Mistakes], or nil.
func (r *Report) Err() error {
	if len(r.all) == 0 {
		return nil
	}
	sort.SliceStable(r.all, func(i, j int) bool {
		a, b := r.all[i], r.all[j]
		return cmp.Or(cmp.Compare(a.File, b.File), cmp.Compare(a.Line, b.Line), cmp.Compare(a.Col, b.Col)) < 0
	})
	m := &Mistakes{Name: r.Name, List: r.all}
	if len(m.List) > MaxMistakes {
		m.List, m.More = m.List[:MaxMistakes], len(m.List)-MaxMistakes
	}
	return m
}

// Refuse is a document refused for one reason that has no better place.
func Refuse(name, wrong, right string) error {
	return &Mistakes{Name: name, List: []Mistake{{Wrong: wrong, Right: right}}}
}

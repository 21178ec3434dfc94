package doc

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"regexp"
	"strconv"
	"strings"
	"unicode/utf8"

	"go.yaml.in/yaml/v3"
)

// Parse reads one YAML or JSON document. A document that begins with
// a brace and a quoted key is read as JSON (RFC 8259). The error is [*Mistakes].
func Parse(name string, src []byte) (*Node, error) {
	src = bytes.TrimPrefix(src, []byte("\xef\xbb\xbf"))
	switch {
	case len(src) > MaxBytes:
		return nil, Refuse(name, fmt.Sprintf("the document is larger than %d MB", MaxBytes>>20),
			"a document of this kind has a few hundred kB at most; long lists belong into a file of their own beside it")
	case len(bytes.TrimSpace(src)) == 0:
		return nil, Refuse(name, "the document is empty", "")
	case bytes.IndexByte(src, 0) >= 0 || !utf8.Valid(src):
		return nil, Refuse(name, "this is not a text file in UTF-8", "save it as YAML or JSON text in UTF-8")
	}
	if isJSON(bytes.TrimSpace(src)) {
		return parseJSON(name, src)
	}
	return parseYAML(name, src)
}

// isJSON: a brace with a quoted key behind it; {key: value} is YAML.
func isJSON(src []byte) bool {
	if src[0] != '{' {
		return false
	}
	rest := bytes.TrimSpace(src[1:])
	return len(rest) == 0 || rest[0] == '"' || rest[0] == '}'
}

type jsonReader struct {
	name  string
	src   []byte
	dec   *json.Decoder
	lines []int // offsets at which lines begin
}

func parseJSON(name string, src []byte) (*Node, error) {
	p := &jsonReader{name: name, src: src, dec: json.NewDecoder(bytes.NewReader(src)), lines: []int{0}}
	p.dec.UseNumber()
	for i, c := range src {
		if c == '\n' {
			p.lines = append(p.lines, i+1)
		}
	}
	n, err := p.value(nil, "", 0)
	if err != nil {
		return nil, err
	}
	if _, err := p.dec.Token(); !errors.Is(err, io.EOF) {
		return nil, p.fail("there is more after the end of the document", "one document a file")
	}
	return n, nil
}

// place turns the decoder's offset, moved past blanks and separators to where
// the next token begins, into line and column.
func (p *jsonReader) place(next bool) (line, col int) {
	off := int(p.dec.InputOffset())
	for next && off < len(p.src) && strings.IndexByte(" \t\r\n,:", p.src[off]) >= 0 {
		off++
	}
	lo, hi := 0, len(p.lines)
	for hi-lo > 1 {
		if mid := (lo + hi) / 2; p.lines[mid] <= off {
			lo = mid
		} else {
			hi = mid
		}
	}
	return lo + 1, off - p.lines[lo] + 1
}

func (p *jsonReader) fail(wrong, right string) error {
	line, col := p.place(true)
	return &Mistakes{Name: p.name, List: []Mistake{{Line: line, Col: col, Wrong: wrong, Right: right}}}
}

func (p *jsonReader) syntax(err error) error {
	if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
		return p.fail("the document ends in the middle", "was it cut off?")
	}
	text := strings.TrimPrefix(err.Error(), "json: ")
	return p.fail("this is not JSON: "+text, "")
}

func (p *jsonReader) value(parent *Node, step string, depth int) (*Node, error) {
	if depth > MaxDepth {
		return nil, p.fail("lists and groups are nested too deeply", fmt.Sprintf("at most %d levels", MaxDepth))
	}
	n := &Node{parent: parent, step: step}
	n.Line, n.Col = p.place(true)
	tok, err := p.dec.Token()
	if err != nil {
		return nil, p.syntax(err)
	}
	switch t := tok.(type) {
	case nil:
		n.Kind = Null
	case bool:
		n.Kind, n.Text = Bool, strconv.FormatBool(t)
	case json.Number:
		n.Kind, n.Text = Number, t.String()
	case string:
		n.Kind, n.Text = Text, t
	case json.Delim:
		if t == '[' {
			n.Kind = List
			for p.dec.More() {
				item, err := p.value(n, "["+strconv.Itoa(len(n.Items))+"]", depth+1)
				if err != nil {
					return nil, err
				}
				if n.Items = append(n.Items, item); len(n.Items) > MaxItems {
					return nil, p.fail("the list is too long", fmt.Sprintf("at most %d items", MaxItems))
				}
			}
		} else {
			n.Kind = Map
			for p.dec.More() {
				line, col := p.place(true)
				key, err := p.dec.Token()
				if err != nil {
					return nil, p.syntax(err)
				}
				name, _ := key.(string)
				v, err := p.value(n, name, depth+1)
				if err != nil {
					return nil, err
				}
				n.Fields = append(n.Fields, Field{Name: name, Line: line, Col: col, Value: v})
			}
		}
		if _, err := p.dec.Token(); err != nil {
			return nil, p.syntax(err)
		}
	}
	return n, nil
}

var yamlLine = regexp.MustCompile(`^yaml: (?:unmarshal errors:\s*)?(?:line (\d+): )?(.*)$`)

func parseYAML(name string, src []byte) (*Node, error) {
	if d := deepest(src); d > MaxDepth {
		return nil, Refuse(name, "lists and groups are nested too deeply", fmt.Sprintf("at most %d levels", MaxDepth))
	}
	dec := yaml.NewDecoder(bytes.NewReader(src))
	var root yaml.Node
	if err := dec.Decode(&root); err != nil {
		m := Mistake{Wrong: "this is not YAML: " + err.Error()}
		if parts := yamlLine.FindStringSubmatch(err.Error()); parts != nil {
			m.Wrong = "this is not YAML: " + parts[2]
			if m.Line, _ = strconv.Atoi(parts[1]); m.Line > 0 {
				m.Col = 1
			}
		}
		return nil, &Mistakes{Name: name, List: []Mistake{m}}
	}
	if err := dec.Decode(&yaml.Node{}); !errors.Is(err, io.EOF) {
		return nil, Refuse(name, "there is more than one document in the file", "one document a file")
	}
	r := &Report{Name: name}
	n := convert(&root, nil, "", 0, r)
	if err := r.Err(); err != nil {
		return nil, err
	}
	return n, nil
}

// deepest estimates the nesting before the parser walks it: brackets for flow
// style, indentation for block style.
func deepest(src []byte) int {
	depth, most := 0, 0
	for line := range bytes.Lines(src) {
		indent := len(line) - len(bytes.TrimLeft(line, " -"))
		for _, c := range line {
			switch c {
			case '[', '{':
				depth++
			case ']', '}':
				depth--
			}
			most = max(most, depth)
		}
		if indent > 8*MaxDepth {
			return indent
		}
	}
	return most
}

func convert(y *yaml.Node, parent *Node, step string, depth int, r *Report) *Node {
	n := &Node{parent: parent, step: step, Line: y.Line, Col: y.Column}
	if y.Anchor != "" || y.Kind == yaml.AliasNode {
		r.Add(n, "anchors and aliases are not read", "write the value out where it is needed")
		return n
	}
	if depth > MaxDepth {
		r.Add(n, "lists and groups are nested too deeply", fmt.Sprintf("at most %d levels", MaxDepth))
		return n
	}
	switch y.Kind {
	case yaml.DocumentNode:
		if len(y.Content) == 1 {
			return convert(y.Content[0], parent, step, depth, r)
		}
	case yaml.SequenceNode:
		n.Kind = List
		if len(y.Content) > MaxItems {
			r.Add(n, "the list is too long", fmt.Sprintf("at most %d items", MaxItems))
			return n
		}
		for i, c := range y.Content {
			n.Items = append(n.Items, convert(c, n, "["+strconv.Itoa(i)+"]", depth+1, r))
		}
	case yaml.MappingNode:
		n.Kind = Map
		for i := 0; i+1 < len(y.Content); i += 2 {
			k := y.Content[i]
			if k.Kind != yaml.ScalarNode || k.Anchor != "" {
				r.addAt(k.Line, k.Column, n.Path(), "a key must be plain text", "")
				continue
			}
			v := convert(y.Content[i+1], n, k.Value, depth+1, r)
			n.Fields = append(n.Fields, Field{Name: k.Value, Line: k.Line, Col: k.Column, Value: v})
		}
	case yaml.ScalarNode:
		n.Text = y.Value
		switch {
		case y.Tag == "!!null":
			n.Kind = Null
		case y.Style&(yaml.DoubleQuotedStyle|yaml.SingleQuotedStyle|yaml.LiteralStyle|yaml.FoldedStyle) != 0:
			n.Kind = Text
		default:
			n.Kind = Plain
		}
	}
	return n
}

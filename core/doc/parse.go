package doc

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"
	"unicode/utf8"

	"go.yaml.in/yaml/v3"

	"rolltop.example/rolltop/core/pattern"
)

// Parse reads one YAML or JSON document. A document that begins with
// a brace and a quoted key is read as JSON (RFC 8259). The error is [*Mistakes].
func Parse(name string, src []byte) (*Node, error) {
	src = bytes.TrimPrefix(src, []byte("\xef\xbb\xbf"))
	switch {
	case len(src) > MaxBytes:
		return nil, Refuse(name, fmt.Sprintf("the document is larger than %d MB", MaxBytes>>20),
			"a document of this kind has at most a few hundred kB; put long lists in a separate file")
	case len(bytes.TrimSpace(src)) == 0:
		return nil, Refuse(name, "the document is empty", "")
	case bytes.IndexByte(src, 0) >= 0 || !utf8.Valid(src):
		return nil, Refuse(name, "this is not a text file in UTF-8", "save it as YAML or JSON text in UTF-8")
	}
	if IsJSON(src) {
		return parseJSON(name, src)
	}
	return parseYAML(name, src)
}

// IsJSON says whether a document is read as JSON: a brace with a quoted key behind
// it; {key: value} is YAML.
func IsJSON(src []byte) bool {
	src = bytes.TrimSpace(src)
	if len(src) == 0 || src[0] != '{' {
		return false
	}
	rest := bytes.TrimSpace(src[1:])
	return len(rest) == 0 || rest[0] == '"' || rest[0] == '}'
}

var yamlLine = pattern.Of(`^yaml: (?:unmarshal errors:\s*)?(?:line (\d+): )?(.*)$`)

func parseYAML(name string, src []byte) (*Node, error) {
	if d := deepest(src); d > MaxDepth {
		return nil, Refuse(name, "lists and groups are nested too deeply", fmt.Sprintf("at most %d levels", MaxDepth))
	}
	dec := yaml.NewDecoder(bytes.NewReader(src))
	var root yaml.Node
	if err := dec.Decode(&root); err != nil {
		m := notYAML(err.Error())
		return nil, &Mistakes{Name: name, List: []Mistake{m}}
	}
	if err := dec.Decode(&yaml.Node{}); !errors.Is(err, io.EOF) {
		return nil, Refuse(name, "there is more than one document in the file", "use one document per file")
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
	if parent != nil {
		n.place = len(parent.Items)
	}
	if y.Anchor != "" || y.Kind == yaml.AliasNode {
		r.Add(n, "anchors and aliases are not supported", "write out the value where it is needed")
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
		for _, c := range y.Content {
			n.Items = append(n.Items, convert(c, n, "", depth+1, r))
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

// yamlMistakes are what the parser of YAML says, and what it means in our words.
var yamlMistakes = []struct{ parser, wrong, right string }{
	{"unexpected end of stream", "a text in quotation marks is not closed", "close it, or take the first mark out"},
	{"unexpected document indicator", "a text in quotation marks is not closed",
		"close it, or take the first mark out"},
	{"expected ',' or ']'", "a list in brackets is not closed", "separate its items with commas, and end it with ]"},
	{"expected ',' or '}'", "a group in braces is not closed", "separate its keys with commas, and end it with }"},
	{"could not find expected ':'", "a key has no colon", "write key: value"},
	{"mapping values are not allowed", "a colon stands where no key can be",
		"put a text with a colon in quotation marks"},
	{"tab character", "a tab is used to indent", "indent with spaces"},
	{"cannot start any token", "a text begins with a character that has a meaning in YAML",
		"put it in quotation marks"},
	{"block sequence entries are not allowed", "a list stands where none can be", "begin it in a line of its own"},
	{"did not find expected key", "the indentation does not fit the lines above", "indent all keys of a group alike"},
	{"did not find expected '-' indicator", "the indentation does not fit the lines above",
		"indent all items of a list alike"},
}

// notYAML says what is wrong with the form of a document, in our words.
func notYAML(parser string) Mistake {
	m := Mistake{
		Wrong: "this is not YAML",
		Right: "check the quotation marks, brackets and indentation of this line and of the one above",
	}
	if parts := yamlLine().FindStringSubmatch(parser); parts != nil {
		if m.Line, _ = strconv.Atoi(parts[1]); m.Line > 0 {
			m.Col = 1
		}
	}
	for _, y := range yamlMistakes {
		if strings.Contains(parser, y.parser) {
			m.Wrong, m.Right = "this is not YAML: "+y.wrong, y.right
			break
		}
	}
	return m
}

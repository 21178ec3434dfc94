package doc

import (
	"fmt"
	"strconv"
	"strings"
	"unicode/utf16"
	"unicode/utf8"
)

// jsonReader makes nodes of JSON text (RFC 8259) in one pass. The library's
// decoder gives its tokens without their places and takes six times as long, which
// is most of what it costs to take in an inventory.
type jsonReader struct {
	name string
	src  string // texts share its memory
	at   int
	line int // 1-based, of at
	from int // where that line begins
	free []Node
}

// nodesAtOnce is how many nodes are made together.
const nodesAtOnce = 64

func parseJSON(name string, src []byte) (*Node, error) {
	p := &jsonReader{name: name, src: string(src), line: 1}
	n, err := p.value(nil, "", 0)
	if err != nil {
		return nil, err
	}
	if p.blanks(); p.at < len(src) {
		return nil, p.fail("there is more after the end of the document", "use one document per file")
	}
	return n, nil
}

func (p *jsonReader) fail(wrong, right string) error {
	return &Mistakes{Name: p.name, List: []Mistake{{Line: p.line, Col: p.col(), Wrong: wrong, Right: right}}}
}

// unlike is what stands where something else belongs.
func (p *jsonReader) unlike(wanted string) error {
	if p.at >= len(p.src) {
		return p.fail("the document is incomplete", "check whether it was cut off")
	}
	r, _ := utf8.DecodeRuneInString(p.src[p.at:])
	return p.fail(fmt.Sprintf("this is not valid JSON: found %s, expected %s", strconv.QuoteRune(r), wanted), "")
}

func (p *jsonReader) col() int { return p.at - p.from + 1 }

// blanks goes on to what is no blank.
func (p *jsonReader) blanks() {
	for ; p.at < len(p.src); p.at++ {
		switch p.src[p.at] {
		case '\n':
			p.line, p.from = p.line+1, p.at+1
		case ' ', '\t', '\r':
		default:
			return
		}
	}
}

// next is the byte that comes, or 0 at the end.
func (p *jsonReader) next() byte {
	if p.at < len(p.src) {
		return p.src[p.at]
	}
	return 0
}

func (p *jsonReader) node(parent *Node, step string) *Node {
	if len(p.free) == 0 {
		p.free = make([]Node, nodesAtOnce)
	}
	n := &p.free[0]
	p.free = p.free[1:]
	n.parent, n.step, n.Line, n.Col = parent, step, p.line, p.col()
	if parent != nil {
		n.place = len(parent.Items)
	}
	return n
}

func (p *jsonReader) value(parent *Node, step string, depth int) (*Node, error) {
	if depth > MaxDepth {
		return nil, p.fail("lists and groups are nested too deeply", fmt.Sprintf("at most %d levels", MaxDepth))
	}
	p.blanks()
	n := p.node(parent, step)
	var err error
	switch c := p.next(); {
	case c == '{':
		n.Kind = Map
		err = p.fields(n, depth)
	case c == '[':
		n.Kind = List
		err = p.items(n, depth)
	case c == '"':
		n.Kind = Text
		n.Text, err = p.text()
	case c == '-' || c >= '0' && c <= '9':
		n.Kind = Number
		n.Text, err = p.number()
	case c == 't':
		n.Kind, n.Text = Bool, "true"
		err = p.word("true")
	case c == 'f':
		n.Kind, n.Text = Bool, "false"
		err = p.word("false")
	case c == 'n':
		n.Kind = Null
		err = p.word("null")
	default:
		err = p.unlike("a value")
	}
	return n, err
}

func (p *jsonReader) word(w string) error {
	for i := range len(w) {
		if p.next() != w[i] {
			return p.unlike(w)
		}
		p.at++
	}
	return nil
}

func (p *jsonReader) items(n *Node, depth int) error {
	p.at++
	if p.blanks(); p.next() == ']' {
		p.at++
		return nil
	}
	for {
		item, err := p.value(n, "", depth+1)
		if err != nil {
			return err
		}
		if n.Items = append(n.Items, item); len(n.Items) > MaxItems {
			return p.fail("the list is too long", fmt.Sprintf("at most %d items", MaxItems))
		}
		if done, err := p.more(']', "a comma or a bracket"); done || err != nil {
			return err
		}
	}
}

func (p *jsonReader) fields(n *Node, depth int) error {
	p.at++
	if p.blanks(); p.next() == '}' {
		p.at++
		return nil
	}
	for {
		p.blanks()
		f := Field{Line: p.line, Col: p.col()}
		if p.next() != '"' {
			return p.unlike("a key in quotes")
		}
		var err error
		if f.Name, err = p.text(); err != nil {
			return err
		}
		if p.blanks(); p.next() != ':' {
			return p.unlike("a colon")
		}
		p.at++
		if f.Value, err = p.value(n, f.Name, depth+1); err != nil {
			return err
		}
		n.Fields = append(n.Fields, f)
		if done, err := p.more('}', "a comma or a brace"); done || err != nil {
			return err
		}
	}
}

// more goes over the comma between two, or over what ends them all.
func (p *jsonReader) more(end byte, wanted string) (done bool, err error) {
	p.blanks()
	switch p.next() {
	case end:
		p.at++
		return true, nil
	case ',':
		p.at++
		return false, nil
	}
	return false, p.unlike(wanted)
}

// number reads one as it is written (RFC 8259, 6).
func (p *jsonReader) number() (string, error) {
	from := p.at
	digits := func() error {
		if c := p.next(); c < '0' || c > '9' {
			return p.unlike("a digit")
		}
		for c := p.next(); c >= '0' && c <= '9'; c = p.next() {
			p.at++
		}
		return nil
	}
	if p.next() == '-' {
		p.at++
	}
	if p.next() == '0' {
		p.at++
	} else if err := digits(); err != nil {
		return "", err
	}
	if p.next() == '.' {
		p.at++
		if err := digits(); err != nil {
			return "", err
		}
	}
	if c := p.next(); c == 'e' || c == 'E' {
		p.at++
		if c := p.next(); c == '+' || c == '-' {
			p.at++
		}
		if err := digits(); err != nil {
			return "", err
		}
	}
	return p.src[from:p.at], nil
}

// text reads one in quotes (RFC 8259, 7). Most have nothing to undo.
func (p *jsonReader) text() (string, error) {
	p.at++
	from := p.at
	for ; p.at < len(p.src); p.at++ {
		switch c := p.src[p.at]; {
		case c == '"':
			p.at++
			return p.src[from : p.at-1], nil
		case c == '\\':
			return p.escaped(from)
		case c < ' ':
			return "", p.fail("this is not valid JSON: a text contains a control character",
				`write a line break as \n, or end the text with a quotation mark`)
		}
	}
	return "", p.unlike("a quotation mark")
}

// escaped reads on in a text from its first escape.
func (p *jsonReader) escaped(from int) (string, error) {
	var b strings.Builder
	b.WriteString(p.src[from:p.at])
	for p.at < len(p.src) {
		switch c := p.src[p.at]; {
		case c == '"':
			p.at++
			return b.String(), nil
		case c < ' ':
			return "", p.fail("this is not valid JSON: a text contains a control character",
				`write a line break as \n, or end the text with a quotation mark`)
		case c != '\\':
			b.WriteByte(c)
			p.at++
		default:
			p.at++
			if err := p.escape(&b); err != nil {
				return "", err
			}
		}
	}
	return "", p.unlike("a quotation mark")
}

const escapes, meant = `"\/bfnrt`, "\"\\/\b\f\n\r\t"

func (p *jsonReader) escape(b *strings.Builder) error {
	if i := strings.IndexByte(escapes, p.next()); i >= 0 && p.at < len(p.src) {
		b.WriteByte(meant[i])
		p.at++
		return nil
	}
	r, ok := p.unit()
	if !ok {
		return p.unlike(`one of "\/bfnrt, or u and four digits,`)
	}
	if utf16.IsSurrogate(r) {
		pair, was := utf8.RuneError, p.at
		if p.next() == '\\' {
			p.at++
			if low, ok := p.unit(); ok {
				pair = utf16.DecodeRune(r, low)
			}
		}
		if pair == utf8.RuneError {
			p.at = was // half a pair means nothing; what follows may mean something
		}
		r = pair
	}
	b.WriteRune(r)
	return nil
}

// unit reads u and four digits. Where there is none it stays where it is.
func (p *jsonReader) unit() (rune, bool) {
	if p.next() != 'u' || len(p.src)-p.at < 5 {
		return 0, false
	}
	x, err := strconv.ParseUint(p.src[p.at+1:p.at+5], 16, 16)
	if err != nil {
		return 0, false
	}
	p.at += 5
	return rune(x), true
}

// Package plist decodes property lists as macOS tools and bundles write them,
// in XML and in the binary form, into maps, slices, strings, int64, float64,
// bool and []byte; a whole number above the int64 is a uint64. Dates are text. No length is trusted; nothing is nested
// deeper than a limit.
package plist

import (
	"bytes"
	"encoding/base64"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"unicode/utf8"
)

// deepest is how far values may be nested, most how many there may be.
const (
	deepest = 32
	most    = 1 << 18
)

// Decode reads either form.
func Decode(b []byte) (any, error) {
	if bytes.HasPrefix(b, []byte("bplist00")) {
		return decodeBinary(b)
	}
	p := &parser{rest: b}
	return p.document()
}

// parser reads the XML form: a declaration, a document type, and elements that
// have neither attributes nor mixed content.
type parser struct {
	rest  []byte
	count int
}

var errShort = errors.New("plist: it ends in the middle")

// blanks are what may stand between the parts of a tag (XML 1.0, section 2.3).
const blanks = " \t\r\n"

// pass passes over a comment or an instruction (XML 1.0, sections 2.5 and 2.6), if one comes next.
func (p *parser) pass() (passed bool, err error) {
	for begin, end := range map[string]string{"<!--": "-->", "<?": "?>"} {
		if bytes.HasPrefix(p.rest, []byte(begin)) {
			_, err := p.until(begin, end)
			return true, err
		}
	}
	return false, nil
}

// documentType passes over a document type, which can have declarations of its own (section 2.8).
func (p *parser) documentType() error {
	s, err := p.until("<!", ">")
	if err == nil && strings.Contains(s, "[") && !strings.Contains(s, "]") {
		if _, err = p.until("", "]"); err == nil {
			_, err = p.until("", ">")
		}
	}
	return err
}

// tag returns the next start or end tag or empty element, without its brackets
// and attributes; declarations and comments are passed over.
func (p *parser) tag() (string, error) {
	for {
		at := bytes.IndexByte(p.rest, '<')
		if at < 0 {
			return "", errShort
		}
		p.rest = p.rest[at:]
		passed, err := p.pass()
		if err == nil && !passed && bytes.HasPrefix(p.rest, []byte("<!")) {
			passed, err = true, p.documentType()
		}
		if err != nil {
			return "", err
		}
		if passed {
			continue
		}
		inner, err := p.until("<", ">")
		if err != nil {
			return "", err
		}
		name := inner
		if at := strings.IndexAny(inner, blanks); at >= 0 {
			name = inner[:at]
		}
		if strings.HasSuffix(inner, "/") {
			name = strings.TrimSuffix(name, "/") + "/"
		}
		return name, nil
	}
}

// text is the content up to the end tag of an element: without comments, with what stands in CDATA as it is, and with
// references to characters resolved (XML 1.0, sections 2.5, 2.7 and 4.1).
func (p *parser) text(name string) (string, error) {
	var out strings.Builder
	for {
		at := bytes.IndexByte(p.rest, '<')
		if at < 0 {
			return "", errShort
		}
		out.WriteString(unescape(string(p.rest[:at])))
		p.rest = p.rest[at:]
		if after, ok := bytes.CutPrefix(p.rest, []byte("</"+name)); ok {
			after = bytes.TrimLeft(after, blanks)
			if rest, ok := bytes.CutPrefix(after, []byte(">")); ok {
				p.rest = rest
				return out.String(), nil
			}
		}
		switch passed, err := p.pass(); {
		case err != nil:
			return "", err
		case passed:
		case bytes.HasPrefix(p.rest, []byte("<![CDATA[")):
			s, err := p.until("<![CDATA[", "]]>")
			if err != nil {
				return "", err
			}
			out.WriteString(s)
		default:
			return "", fmt.Errorf("plist: another element in %q", name)
		}
	}
}

// until is what stands between two marks, of which the rest begins with the first.
func (p *parser) until(begin, end string) (string, error) {
	at := bytes.Index(p.rest[len(begin):], []byte(end))
	if at < 0 {
		return "", errShort
	}
	s := string(p.rest[len(begin) : len(begin)+at])
	p.rest = p.rest[len(begin)+at+len(end):]
	return s, nil
}

var named = map[string]string{"lt": "<", "gt": ">", "quot": `"`, "apos": "'", "amp": "&"}

// unescape resolves references to characters, by name or number. What is none stays as it is.
func unescape(s string) string {
	var out strings.Builder
	for {
		before, rest, found := strings.Cut(s, "&")
		out.WriteString(before)
		if !found {
			return out.String()
		}
		ref, after, closed := strings.Cut(rest, ";")
		text, known := named[ref]
		if digits, ok := strings.CutPrefix(ref, "#"); ok && closed {
			if hex, ok := strings.CutPrefix(digits, "x"); ok {
				digits = "0x" + hex
			} else {
				digits = strings.TrimLeft(digits, "0") // a leading zero would make it octal
			}
			n, err := strconv.ParseUint(digits, 0, 21)
			text, known = string(rune(n)), err == nil && utf8.ValidRune(rune(n)) && n > 0
		}
		if !closed || !known {
			out.WriteByte('&')
			s = rest
			continue
		}
		out.WriteString(text)
		s = after
	}
}

// whole reads a whole number: an int64, or a uint64 where it is greater than that.
func whole(s string) (any, error) {
	n, err := strconv.ParseInt(s, 0, 64)
	if err == nil {
		return n, nil
	}
	if u, err := strconv.ParseUint(s, 0, 64); err == nil {
		return u, nil
	}
	return nil, err
}

func (p *parser) document() (any, error) {
	name, err := p.tag()
	if err != nil {
		return nil, err
	}
	if name == "plist" {
		if name, err = p.tag(); err != nil {
			return nil, err
		}
	}
	return p.value(name, 0)
}

func (p *parser) value(name string, depth int) (any, error) {
	if p.count++; depth > deepest || p.count > most {
		return nil, errors.New("plist: too deep or too long")
	}
	switch name {
	case "true/":
		return true, nil
	case "false/":
		return false, nil
	case "dict/":
		return map[string]any{}, nil
	case "array/":
		return []any{}, nil
	case "string/":
		return "", nil
	case "data/":
		return []byte{}, nil
	case "dict":
		return p.dict(depth)
	case "array":
		return p.array(depth)
	}
	s, err := p.text(name)
	if err != nil {
		return nil, err
	}
	switch name {
	case "string", "date":
		return s, nil
	case "true", "false":
		if strings.Trim(s, blanks) != "" {
			return nil, fmt.Errorf("plist: content in %q", name)
		}
		return name == "true", nil
	case "integer":
		return whole(strings.TrimSpace(s))
	case "real":
		return strconv.ParseFloat(strings.TrimSpace(s), 64)
	case "data":
		return base64.StdEncoding.DecodeString(strings.Join(strings.Fields(s), ""))
	}
	return nil, fmt.Errorf("plist: there is no element %q", name)
}

func (p *parser) dict(depth int) (any, error) {
	out := map[string]any{}
	for {
		name, err := p.tag()
		switch {
		case err != nil:
			return nil, err
		case name == "/dict":
			return out, nil
		case name != "key" && name != "key/":
			return nil, fmt.Errorf("plist: %q where a key should be", name)
		}
		key := ""
		if name == "key" {
			if key, err = p.text("key"); err != nil {
				return nil, err
			}
		}
		if name, err = p.tag(); err != nil {
			return nil, err
		}
		if out[key], err = p.value(name, depth+1); err != nil {
			return nil, err
		}
	}
}

func (p *parser) array(depth int) (any, error) {
	out := []any{}
	for {
		name, err := p.tag()
		if err != nil {
			return nil, err
		}
		if name == "/array" {
			return out, nil
		}
		v, err := p.value(name, depth+1)
		if err != nil {
			return nil, err
		}
		out = append(out, v)
	}
}

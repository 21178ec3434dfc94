package plist_test

import (
	"encoding/base64"
	"encoding/binary"
	"fmt"
	"math"
	"math/rand/v2"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"testing"
	"unicode/utf16"

	"rolltop.example/rolltop/core/decode/plist"
)

// written writes random values in every way in which the published grammars of property lists allow it.
type written struct {
	*rand.Rand
	objects []string // of the binary form
	known   map[string]int
	refSize int
}

func (w *written) one(of ...string) string { return of[w.IntN(len(of))] }

// value draws a value of a list that is nested no deeper than that.
func (w *written) value(depth int) any {
	kind := w.IntN(9)
	if depth == 0 {
		kind = w.IntN(7)
	}
	switch kind {
	case 0:
		return w.IntN(2) == 0
	case 1:
		return []int64{0, 1, -1, 200, 40_000, 1 << 31, 1 << 40, math.MaxInt64, math.MinInt64}[w.IntN(9)]
	case 2:
		return []float64{0, 0.5, -2.25, 1e20, 400.5}[w.IntN(5)]
	case 3:
		return slices.Repeat([]byte{byte(w.IntN(256))}, w.IntN(40))
	case 4:
		return uint64(math.MaxInt64) + 1 + w.Uint64N(1<<62)
	case 5, 6:
		return w.text()
	case 7:
		out := make([]any, w.IntN(20))
		for i := range out {
			out[i] = w.value(depth - 1)
		}
		return out
	}
	out := map[string]any{}
	for range w.IntN(20) {
		out[w.text()] = w.value(depth - 1)
	}
	return out
}

func (w *written) text() string {
	var out strings.Builder
	for range w.IntN(4) {
		out.WriteString(w.one("Gull Quay", "a < b & c > d", "]]>", "ü", "𝄞", "'\"", "--", " two  blanks ", "&amp;",
			"/", "0"))
	}
	return out.String()
}

// between is what may stand between elements.
func (w *written) between() string {
	return w.one("", "", "", "\n", "\t ", "\r\n", "<!-- <key>no</key> -->", "<?remark a > b?>")
}

// content writes text as it may stand in an element.
func (w *written) content(s string) string {
	var out strings.Builder
	for _, r := range s {
		switch {
		case r == '<' || r == '&' || r == '>' || w.IntN(8) == 0:
			out.WriteString(w.one(fmt.Sprintf("&#%d;", r), fmt.Sprintf("&#x%X;", r), fmt.Sprintf("&#x%x;", r),
				fmt.Sprintf("<![CDATA[%c]]>", r)))
		default:
			out.WriteRune(r)
		}
		if w.IntN(20) == 0 {
			out.WriteString(w.one("<!-- </string></key> -->", "<?remark?>", "<![CDATA[]]>"))
		}
	}
	return out.String()
}

func (w *written) element(name, content string) string {
	if content == "" && w.IntN(2) == 0 {
		return w.one("<"+name+"/>", "<"+name+" />", "<"+name+"\n/>")
	}
	return "<" + name + w.one("", "", " ", "\n") + ">" + content + "</" + name + w.one("", "", " ", "\t") + ">"
}

// xml writes a value in the XML form (the document type “PLIST 1.0”).
func (w *written) xml(v any) string {
	switch x := v.(type) {
	case bool:
		return w.element(strconv.FormatBool(x), "")
	case int64:
		return w.element("integer", w.one("", " ", "\n")+strconv.FormatInt(x, 10))
	case uint64:
		return w.element("integer", w.one(strconv.FormatUint(x, 10), fmt.Sprintf("0x%x", x)))
	case float64:
		return w.element("real", w.one(strconv.FormatFloat(x, 'g', -1, 64), strconv.FormatFloat(x, 'f', 6, 64)))
	case string:
		return w.element("string", w.content(x))
	case []byte:
		s := base64.StdEncoding.EncodeToString(x)
		at := w.IntN(len(s) + 1)
		return w.element("data", s[:at]+w.one("", "\n\t")+s[at:])
	case []any:
		s := ""
		for _, one := range x {
			s += w.between() + w.xml(one)
		}
		return w.element("array", s)
	}
	s := ""
	for key, one := range v.(map[string]any) {
		s += w.between() + w.element("key", w.content(key)) + w.between() + w.xml(one)
	}
	return w.element("dict", s)
}

func (w *written) document(v any) string {
	kind := w.one("", `<!DOCTYPE plist PUBLIC "-//x//DTD PLIST 1.0//EN" "x.dtd">`,
		"<!DOCTYPE plist [\n<!ELEMENT key (#PCDATA)>\n<!ELEMENT true EMPTY>\n]>")
	begin := "<plist" + w.one("", ` version="1.0"`, "\n  version='1.0' ") + ">"
	return w.one("", `<?xml version="1.0" encoding="UTF-8"?>`) + w.between() + kind + w.between() + begin +
		w.between() + w.xml(v) + w.between() + "</plist>\n"
}

func big(n uint64, size int) string {
	b := binary.BigEndian.AppendUint64(make([]byte, 8), n)
	return string(b[16-size:])
}

// counted is the first byte of an object with its length, behind which it may stand as a number.
func (w *written) counted(kind byte, n int) string {
	if n < 15 && w.IntN(4) > 0 {
		return string([]byte{kind<<4 | byte(n)})
	}
	power := w.IntN(4)
	for n >= 1<<(8<<power) && power < 3 {
		power++
	}
	return string([]byte{kind<<4 | 0xF, 0x10 | byte(power)}) + big(uint64(n), 1<<power)
}

// object adds a value to those of the binary form, and gives its number. The same text may be one object.
func (w *written) object(v any) int {
	if s, ok := v.(string); ok {
		if at, had := w.known[s]; had && w.IntN(2) == 0 {
			return at
		}
	}
	at := len(w.objects)
	w.objects = append(w.objects, "")
	w.objects[at] = w.bytes(v)
	if s, ok := v.(string); ok {
		w.known[s] = at
	}
	return at
}

func (w *written) bytes(v any) string {
	switch x := v.(type) {
	case bool:
		return map[bool]string{false: "\x08", true: "\x09"}[x]
	case int64:
		power := w.IntN(4)
		for power < 3 && (x < 0 || x >= 1<<(8<<power)) {
			power++
		}
		return string([]byte{0x10 | byte(power)}) + big(uint64(x), 1<<power)
	case uint64:
		return "\x14" + big(x, 16)
	case float64:
		if float64(float32(x)) == x && w.IntN(2) == 0 {
			return "\x22" + big(uint64(math.Float32bits(float32(x))), 4)
		}
		return "\x23" + big(math.Float64bits(x), 8)
	case []byte:
		return w.counted(4, len(x)) + string(x)
	case string:
		units := utf16.Encode([]rune(x))
		if len(units) == len(x) && w.IntN(2) == 0 { // every one of them is ASCII
			return w.counted(5, len(x)) + x
		}
		s := w.counted(6, len(units))
		for _, u := range units {
			s += big(uint64(u), 2)
		}
		return s
	case []any:
		s := w.counted(0xA, len(x))
		for _, one := range x {
			s += big(uint64(w.object(one)), w.refSize)
		}
		return s
	}
	keys, values, m := "", "", v.(map[string]any)
	for key, one := range m {
		keys += big(uint64(w.object(key)), w.refSize)
		values += big(uint64(w.object(one)), w.refSize)
	}
	return w.counted(0xD, len(m)) + keys + values
}

// binary writes a value in the binary form, with numbers as wide as they may be.
func (w *written) binary(v any) string {
	w.objects, w.known, w.refSize = nil, map[string]int{}, 2+2*w.IntN(2)
	top := w.object(v)
	b, offsets, size := "bplist00", "", 4*(1+w.IntN(2))
	for _, o := range w.objects {
		offsets += big(uint64(len(b)), size)
		b += o
	}
	return b + offsets + "\x00\x00\x00\x00\x00\x00" + string([]byte{byte(size), byte(w.refSize)}) +
		big(uint64(len(w.objects)), 8) + big(uint64(top), 8) + big(uint64(len(b)), 8)
}

// Whatever the grammars of both forms allow is read as what was written.
func TestEveryFormOfTheGrammars(t *testing.T) {
	for seed := range uint64(2000) {
		w := &written{Rand: rand.New(rand.NewPCG(seed, 7))}
		v := w.value(3)
		for form, s := range map[string]string{"XML": w.document(v), "binary": w.binary(v)} {
			t.Run(fmt.Sprint(form, seed), func(t *testing.T) {
				if got, err := plist.Decode([]byte(s)); err != nil || !reflect.DeepEqual(got, v) {
					t.Errorf("%v\n%#v was written\n%q\nand is read as\n%#v", err, v, s, got)
				}
			})
		}
	}
}

// Values may be nested 32 deep below the first, in both forms, and no deeper.
func TestDepth(t *testing.T) {
	w := &written{Rand: rand.New(rand.NewPCG(1, 7))}
	for arrays, good := range map[int]bool{1: true, 32: true, 33: true, 34: false, 40: false} {
		v := any([]any{})
		for range arrays - 1 {
			v = []any{v}
		}
		for form, s := range map[string]string{"XML": w.document(v), "binary": w.binary(v)} {
			t.Run(fmt.Sprint(form, arrays), func(t *testing.T) {
				if _, err := plist.Decode([]byte(s)); (err == nil) != good {
					t.Errorf("%v; want it to be taken: %v", err, good)
				}
			})
		}
	}
}

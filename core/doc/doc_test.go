package doc_test

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"strings"
	"testing"
	"time"
	"unicode/utf8"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/internal/expect"
)

type crate struct {
	Name   string            `json:"name"`
	Kind   string            `json:"kind,omitempty" enum:"box,barrel"`
	Weight int64             `json:"weight,omitempty" minimum:"0" maximum:"500"`
	Ratio  float64           `json:"ratio,omitempty"`
	Open   bool              `json:"open,omitempty"`
	At     time.Time         `json:"at,omitzero"`
	Marks  []string          `json:"marks,omitempty"`
	Inner  *crate            `json:"inner,omitempty"`
	Tags   map[string]string `json:"tags,omitempty"`
	Scale  doc.Scalar        `json:"scale,omitempty"`

	Node *doc.Node `json:"-"`
}

func TestDecodeFillsEveryKind(t *testing.T) {
	for _, form := range []struct{ name, src string }{
		{"yaml", "name: Tea\nkind: box\nweight: 12\nratio: 0.5\nopen: true\nat: 2026-11-22\nmarks: [a, 'b " +
			"c']\ninner: {name: Cup}\ntags: {x: y}\nscale: 2.0\n"},
		{"json", `{"name":"Tea","kind":"box","weight":12,"ratio":0.5,"open":true,"at":"2026-11-22T00:00:00Z","marks":["a","b c"],"inner":{"name":"Cup"},"tags":{"x":"y"},"scale":2.0}`},
	} {
		t.Run(form.name, func(t *testing.T) {
			var c crate
			if err := doc.Decode(form.name, []byte(form.src), &c); err != nil {
				t.Fatal(err)
			}
			got := fmt.Sprint(c.Name, c.Kind, c.Weight, c.Ratio, c.Open, c.At.Format(time.DateOnly), c.Marks,
				c.Inner.Name, c.Tags, c.Scale)
			if want := "Teabox12 0.5 true2026-11-22[a b c]Cupmap[x:y]2.0"; strings.ReplaceAll(got, " ",
				"") != strings.ReplaceAll(want, " ", "") {
				t.Errorf("got %s, want %s", got, want)
			}
		})
	}
}

func TestVersionTextStaysAsWritten(t *testing.T) {
	for _, src := range []string{"name: x\nscale: 1.20\n", `{"name":"x","scale":1.20}`, "name: x\nscale: '1.20'\n"} {
		var c crate
		if err := doc.Decode("x", []byte(src), &c); err != nil || c.Scale != "1.20" {
			t.Errorf("%q gives %q, %v", src, c.Scale, err)
		}
	}
}

func TestMistakesHavePlaceAndRemedy(t *testing.T) {
	tests := []struct{ name, src, want string }{
		{"unknown key", "nmae: Tea\n", `f:1:1: unknown key "nmae"; did you mean "name"?`},
		{"missing key", "kind: box\n", `f:1:1: the key "name" is missing`},
		{"key twice", "{\"name\":\"a\",\n \"name\":\"b\"}",
			`f:2:2: name: the key "name" appears twice; it appears first in line 1`},
		{"word not known", "name: Tea\nkind: bix\n",
			`f:2:7: kind: "bix" is not a valid value; did you mean "box"?`},
		{"number in quotes", `{"name":"a","weight":"12"}`,
			`f:1:22: weight: "12" is not a whole number; write digits without a unit and without quotes`},
		{"number with unit", "name: a\nweight: 12 kg\n", `f:2:9: weight: "12 kg" is not a whole number`},
		{"negative", "name: a\nweight: -1\n", `f:2:9: weight: -1 is out of range; from 0 to 500`},
		{"absurd", "name: a\nweight: 501\n", `501 is out of range`},
		{"fraction", "name: a\nweight: 1.5\n", `"1.5" is not a whole number`},
		{"not a number", "name: a\nratio: .nan\n", `".nan" is not a number`},
		{"truth", "name: a\nopen: yes\n", `"yes" is not true or false`},
		{"null", `{"name":null}`, `f:1:9: name: the value is empty; give a value, or omit the key`},
		{"empty value", "name:\n", `the value is empty`},
		{"list for text", "name: [a]\n", `this is a list; text is needed here`},
		{"text for list", "name: a\nmarks: b\n", `this is text; a list is needed here`},
		{"number for text in JSON", `{"name":7}`, `this is a number; text is needed here, in quotes`},
		{"time", "name: a\nat: tomorrow\n", `"tomorrow" is not a time; write it as 2026-11-22T08:14:00Z`},
		{"time out of range", "name: a\nat: 1601-01-01\n", `is not a time`},
		{"control character", `{"name":"a\u0007"}`, `the text contains a control character`},
		{"long text", "name: " + strings.Repeat("x", doc.MaxText+1), "the text is too long"},
		{"nested place", "name: a\ninner:\n  name: b\n  marks: [1, [2]]\n", `f:4:14: inner.marks[1]: this is a list`},
		{"not YAML", "name: [a\n", "this is not YAML"},
		{"not JSON", `{"name": nope}`, "this is not valid JSON"},
		{"cut off", `{"name": "a"`, "the document is incomplete"},
		{"two documents", "name: a\n---\nname: b\n", "more than one document"},
		{"more after JSON", `{"name":"a"} x`, "more after the end"},
		{"empty", "  \n", "the document is empty"},
		{"not text", "\x00\x01", "not a text file in UTF-8"},
		{"not UTF-8", "name: \xff\xfe", "not a text file in UTF-8"},
		{"anchor", "name: &a Tea\n", "anchors and aliases are not supported"},
		{"alias bomb", "name: a\nmarks: &m [x]\ntags: {y: *m}\n", "anchors and aliases are not supported"},
		{"deep YAML", "name: " + strings.Repeat("[", 60) + strings.Repeat("]", 60), "nested too deeply"},
		{"deep JSON", `{"name":` + strings.Repeat("[", 60) + strings.Repeat("]", 60) + "}", "nested too deeply"},
		{"too large", "name: " + strings.Repeat("x", doc.MaxBytes), "larger than 8 MB"},
		{"scalar at the top", "just text", "a group of keys is needed here"},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			err := doc.Decode("f", []byte(tt.src), new(crate))
			if err == nil || !strings.Contains(err.Error(), tt.want) {
				t.Errorf("got %v\nwant it to have %s", err, tt.want)
			}
			if m := new(doc.Mistakes); !errors.As(err, &m) {
				t.Errorf("the error is a %T", err)
			}
		})
	}
}

func TestAllMistakesAtOnceInTheirOrder(t *testing.T) {
	err := doc.Decode("f", []byte("weight: -1\nkind: cask\nopen: maybe\ncolour: red\n"), new(crate))
	var m *doc.Mistakes
	if !errors.As(err, &m) || len(m.List) != 5 {
		t.Fatalf("got %v", err)
	}
	last := 0
	for _, x := range m.List {
		if x.Line < last {
			t.Errorf("line %d after line %d", x.Line, last)
		}
		last = x.Line
	}
}

func TestManyMistakesAreCounted(t *testing.T) {
	var b strings.Builder
	b.WriteString("name: a\n")
	for i := range doc.MaxMistakes + 7 {
		fmt.Fprintf(&b, "key%03d: x\n", i)
	}
	err := doc.Decode("f", []byte(b.String()), new(crate))
	if err == nil || !strings.HasSuffix(err.Error(), "and 7 more mistakes") {
		t.Errorf("got %v", err)
	}
}

func TestBOMIsNoMistake(t *testing.T) {
	if err := doc.Decode("f", []byte("\xef\xbb\xbfname: a\n"), new(crate)); err != nil {
		t.Error(err)
	}
}

func TestCheckFormat(t *testing.T) {
	tests := []struct{ src, want string }{
		{"format: rolltop-crate/1\n", ""},
		{"name: x\n", `the key "format" is missing; this should be format: rolltop-crate/1`},
		{"format: rolltop-crate/2\n", `unknown version "2" of this format; this program reads rolltop-crate/1`},
		{"format: rolltop-barrel/1\n", `is another kind of document; this should be rolltop-crate/1`},
		{"[1]", "a document begins with the key format"},
	}
	for _, tt := range tests {
		t.Run(tt.src, func(t *testing.T) {
			n, err := doc.Parse("f", []byte(tt.src))
			if err != nil {
				t.Fatal(err)
			}
			r := &doc.Report{Name: "f"}
			ok := doc.CheckFormat(n, "rolltop-crate/1", r)
			expect.Same(t, "ok", ok, (tt.want == ""))
			expect.That(t, "!(!ok && !strings.Contains(r.Err().Error(), tt.want))",
				!(!ok && !strings.Contains(r.Err().Error(), tt.want)))
		})
	}
}

func TestSuggest(t *testing.T) {
	words := []string{"tpm.state", "tpm.version", "memory.installed_bytes"}
	tests := []struct{ word, want string }{
		{"tpm.sate", `did you mean "tpm.state"?`},
		{"tpm.vesrion", `did you mean "tpm.version"?`},
		{"Memory.Installed_Bytes", `did you mean "memory.installed_bytes"?`},
		{"zzz", "use tpm.state, tpm.version, memory.installed_bytes"},
	}
	for _, tt := range tests {
		t.Run(tt.word, func(t *testing.T) {
			if got := doc.Suggest(tt.word, words); got != tt.want {
				t.Errorf("Suggest(%q) = %q, want %q", tt.word, got, tt.want)
			}
		})
	}
}

// Few words are all named; of many, those that go on from what was written.
func TestSuggestOfMany(t *testing.T) {
	var words []string
	for i := range 17 {
		words = append(words, fmt.Sprintf("word%02d", i))
	}
	expect.Same(t, "of 16", doc.Suggest("zzzzzz", words[:16]), "use "+strings.Join(words[:16], ", "))
	expect.Same(t, "of 17", doc.Suggest("zzzzzz", words), "")
	expect.Same(t, "of five that go on", doc.Suggest("word", words[:5]), "use "+strings.Join(words[:5], ", "))
	expect.Same(t, "of six that go on", doc.Suggest("word", words[:6]), "use "+strings.Join(words[:5], ", ")+", …")
}

func FuzzDecode(f *testing.F) {
	for _, s := range []string{
		"name: a\n", `{"name":"a","marks":["x"]}`, "a: [", "{", "- - - -", "name: !!binary x", "? a\n: b",
		"\xef\xbb\xbf{}",
	} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, src []byte) {
		err := doc.Decode("f", src, new(crate))
		var m *doc.Mistakes
		if err != nil && !errors.As(err, &m) {
			t.Fatalf("%T: %v", err, err)
		}
		if m != nil {
			lines := 2 // YAML ends lines in several ways
			for _, end := range []string{"\n", "\r", "\u0085", "\u2028", "\u2029"} {
				lines += strings.Count(string(src), end)
			}
			for _, x := range m.List {
				if x.Line > lines || x.Wrong == "" {
					t.Errorf("mistake %v in a document of %d lines", x, lines)
				}
			}
		}
	})
}

// Our reader of JSON takes what the library's takes, and understands the same by it.
func FuzzJSON(f *testing.F) {
	for _, s := range []string{
		`{"a":[1,-0.5e+3,"x\u00e9\n",true,false,null,{}]}`, `{"a":"\ud83d\ude00 \ud83d \ude00\ud83d\u0041"}`,
		`{"a":01}`, `{"a":1.}`, `{"a":-}`, `{"a":1e}`, `{"a":"\x"}`, `{"a":"\u12"}`, `{"a":[1,]}`, `{"a":1,}`,
		"{\"a\":\"\t\"}", `{"a":tru}`, `{"a" 1}`, `{a:1}`, `{"":""}`, " {\n\"a\" : [ ] } ", `{"a":1}}`, `{"a":"b`,
		`{"a":"\`, `{"a":"\u00`, `{"a":"\ud83d\u"}`, `{"a":"\u+123"}`,
	} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, src []byte) {
		blank := bytes.TrimLeft(src, " \t\r\n")
		text := utf8.Valid(src) && bytes.IndexByte(src, 0) < 0
		if !text || len(src) > 1<<16 {
			return
		}
		if !bytes.HasPrefix(blank, []byte("{\"")) {
			return
		}
		n, err := doc.Parse("f", src)
		if err != nil {
			if strings.Contains(err.Error(), "too deeply") || strings.Contains(err.Error(), "too long") {
				return
			}
		}
		if valid := json.Valid(src); valid != (err == nil) {
			t.Fatalf("the library says %v, we say %v", valid, err)
		}
		if err != nil {
			var m *doc.Mistakes
			lines := strings.Split(string(src), "\n")
			expect.That(t, "errors.As(err, &m)", errors.As(err, &m))
			expect.That(t, "m.List[0].Line >= 1", m.List[0].Line >= 1)
			expect.That(t, "m.List[0].Line <= len(lines)", m.List[0].Line <= len(lines))
			expect.That(t, "m.List[0].Col >= 1", m.List[0].Col >= 1)
			expect.That(t, "m.List[0].Col <= len(lines[m.List[0].Line-1])+1",
				m.List[0].Col <= len(lines[m.List[0].Line-1])+1)
			return
		}
		dec := json.NewDecoder(bytes.NewReader(src))
		dec.UseNumber()
		var want any
		if err := dec.Decode(&want); err != nil {
			t.Fatal(err)
		}
		if got := plain(n); !reflect.DeepEqual(got, want) {
			t.Errorf("got %#v, want %#v", got, want)
		}
	})
}

// plain is what the library would make of a node.
func plain(n *doc.Node) any {
	switch n.Kind {
	case doc.Map:
		m := map[string]any{}
		for _, f := range n.Fields {
			m[f.Name] = plain(f.Value)
		}
		return m
	case doc.List:
		l := make([]any, len(n.Items))
		for i, item := range n.Items {
			l[i] = plain(item)
		}
		return l
	case doc.Number:
		return json.Number(n.Text)
	case doc.Bool:
		return n.Text == "true"
	case doc.Null:
		return nil
	}
	return n.Text
}

// BenchmarkJSON reads an inventory's kind of document, against the library's check of it.
func BenchmarkJSON(b *testing.B) {
	src := []byte(`{"format":"rolltop-crate/1","list":[` +
		strings.Repeat(
			`{"name":"graphics[0].driver_model","cause":"needs-rights","detail":"the table is for administrators","bytes":8589934592,"whole":true},`,
			60,
		) + `{}]}`)
	b.SetBytes(int64(len(src)))
	var ours, valid time.Duration
	for b.Loop() {
		at := time.Now()
		if _, err := doc.Parse("f", src); err != nil {
			b.Fatal(err)
		}
		ours += time.Since(at)
		at = time.Now()
		if !json.Valid(src) {
			b.Fatal("not JSON")
		}
		valid += time.Since(at)
	}
	b.ReportMetric(ours.Seconds()/valid.Seconds(), "×valid")
}

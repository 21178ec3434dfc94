package registry_test

import (
	"encoding/binary"
	"slices"
	"strings"
	"testing"
	"unicode/utf16"

	"rolltop.example/rolltop/core/decode/registry"
)

func wide(s string) []byte {
	var b []byte
	for _, u := range utf16.Encode([]rune(s)) {
		b = binary.LittleEndian.AppendUint16(b, u)
	}
	return b
}

func TestValues(t *testing.T) {
	parse := func(kind uint32, data []byte) registry.Value {
		v, err := registry.Parse(registry.Encode(registry.Value{Type: kind, Data: data}))
		if err != nil || v.Type != kind {
			t.Fatalf("%+v %v", v, err)
		}
		return v
	}
	for _, tt := range []struct{ in, want string }{
		{"Lodestar 11\x00", "Lodestar 11"}, {"no end", "no end"}, {"Fähre\x00junk", "Fähre"}, {"", ""},
	} {
		t.Run(tt.in, func(t *testing.T) {
			if got, ok := parse(registry.Text, wide(tt.in)).Text(); !ok || got != tt.want {
				t.Errorf("%q: %q", tt.in, got)
			}
		})
	}
	if n, ok := parse(registry.Number32, []byte{0x39, 0x30, 0, 0}).Number(); !ok || n != 12345 {
		t.Errorf("%d %v", n, ok)
	}
	if n, ok := parse(registry.Number64, []byte{0, 0, 0, 0, 1, 0, 0, 0}).Number(); !ok || n != 1<<32 {
		t.Errorf("%d %v", n, ok)
	}
	// Pairs of source and target; an empty target means: delete.
	if got := parse(registry.List, wide("a\x00\x00b\x00c\x00\x00")).List(); !slices.Equal(got,
		[]string{"a", "b", "c"}) {
		t.Errorf("%q", got)
	}
	// A type that was not asked for is no answer.
	if _, ok := parse(registry.Number32, []byte{1, 0, 0, 0}).Text(); ok {
		t.Error("a number was taken for a text")
	}
	if _, ok := parse(registry.Number32, []byte{1, 0}).Number(); ok {
		t.Error("two bytes were taken for a number")
	}
	if _, err := registry.Parse([]byte{1, 0, 0}); err == nil {
		t.Error("three bytes were taken for a value")
	}
}

func FuzzValue(f *testing.F) {
	f.Add(registry.Encode(registry.Value{Type: registry.Text, Data: wide("Skerry\x00")}))
	f.Add(registry.Encode(registry.Value{Type: registry.List, Data: wide("a\x00\x00b\x00\x00")}))
	f.Fuzz(func(t *testing.T, raw []byte) {
		v, err := registry.Parse(raw)
		if err != nil {
			return
		}
		if s, ok := v.Text(); ok && strings.ContainsRune(s, 0) {
			t.Errorf("%q holds a zero", s)
		}
		if slices.Contains(v.List(), "") {
			t.Error("the list holds an empty text")
		}
		if n, ok := v.Number(); ok && v.Type == registry.Number32 {
			if n > 1<<32-1 {
				t.Errorf("%d", n)
			}
		}
	})
}

package plist_test

import (
	"encoding/base64"
	"encoding/binary"
	"fmt"
	"math"
	"reflect"
	"testing"

	"rolltop.example/rolltop/core/decode/plist"
)

const xml = `<?xml version="1.0" encoding="UTF-8"?>
<!DOCTYPE plist PUBLIC "-//x//DTD PLIST 1.0//EN" "x.dtd">
<plist version="1.0">
<!-- <dict> in a comment -->
<dict>
	<key>Name</key><string>Tide &amp; table &lt;8&gt;</string>
	<key>Size</key><integer>500277792768</integer>
	<key>Hex</key><integer>0x10</integer>
	<key>Share</key><real>0.5</real>
	<key>Solid</key><true/><key>Removable</key><false/>
	<key>Serial</key><data>
	AQID
	</data>
	<key>Parts</key><array><string>disk0s1</string><array/><dict/></array>
</dict>
</plist>`

var xmlWant = map[string]any{
	"Name":      "Tide & table <8>",
	"Size":      int64(500277792768),
	"Hex":       int64(16),
	"Share":     0.5,
	"Solid":     true,
	"Removable": false,
	"Serial":    []byte{1, 2, 3},
	"Parts":     []any{"disk0s1", []any{}, map[string]any{}},
}

// binaryForm is {"A": "b", "N": 258, "Y": true, "W": "ü", "L": ["b"]}, put
// together by hand: nine objects, offsets and references of one byte.
func binaryForm() []byte {
	objects := []string{
		"\xD5\x01\x02\x03\x04\x05\x06\x07\x08\x09\x0A", "\x51A", "\x51N", "\x51Y", "\x51W", "\x51L", "\x51b",
		"\x11\x01\x02", "\x09", "\x61\x00\xFC", "\xA1\x06",
	}
	b, offsets := []byte("bplist00"), []byte{}
	for _, o := range objects {
		offsets = append(offsets, byte(len(b)))
		b = append(b, o...)
	}
	table := byte(len(b))
	b = append(b, offsets...)
	b = append(b, 0, 0, 0, 0, 0, 0, 1, 1)
	b = append(b, 0, 0, 0, 0, 0, 0, 0, byte(len(objects)))
	b = append(b, 0, 0, 0, 0, 0, 0, 0, 0)
	return append(b, 0, 0, 0, 0, 0, 0, 0, table)
}

// Content that the standard of XML allows in an element is resolved; a number above the signed ones stays what it is.
func TestContent(t *testing.T) {
	for _, tt := range []struct {
		in   string
		want any
	}{
		{"<string>Gull&#39;s &#x26; tern&#039;s</string>", "Gull's & tern's"},
		{"<string>A &lt;b&gt; &amp;#39; c</string>", "A <b> &#39; c"},
		{"<string>one<![CDATA[ & <two> ]]>three</string>", "one & <two> three"},
		{"<string>before<!-- </string> -->after</string>", "beforeafter"},
		{"<string>a & b &unknown; &#0; &#xD800; &#1114112; &#</string>",
			"a & b &unknown; &#0; &#xD800; &#1114112; &#"},
		{"<integer>18446744073709551615</integer>", uint64(18446744073709551615)},
		{"<integer>9223372036854775807</integer>", int64(9223372036854775807)},
		{"<integer> -5 </integer>", int64(-5)},
		{"<integer><!-- of bytes -->7</integer>", int64(7)},
	} {
		t.Run(tt.in, func(t *testing.T) {
			got, err := plist.Decode([]byte("<plist>" + tt.in + "</plist>"))
			if err != nil || !reflect.DeepEqual(got, tt.want) {
				t.Errorf("%#v, %v; want %#v", got, err, tt.want)
			}
		})
	}
}

// A whole number of 16 bytes is how one above the signed ones is written.
func TestBinaryWholeNumbers(t *testing.T) {
	one := func(object string) []byte {
		b := append([]byte("bplist00"), object...)
		table := byte(len(b))
		b = append(b, 8, 0, 0, 0, 0, 0, 0, 1, 1)
		b = append(b, 0, 0, 0, 0, 0, 0, 0, 1, 0, 0, 0, 0, 0, 0, 0, 0)
		return append(b, 0, 0, 0, 0, 0, 0, 0, table)
	}
	for _, tt := range []struct {
		name, object string
		want         any
	}{
		{"above", "\x14" + "\x00\x00\x00\x00\x00\x00\x00\x00" + "\xFF\xFF\xFF\xFF\xFF\xFF\xFF\xFE",
			uint64(18446744073709551614)},
		{"small", "\x14" + "\x00\x00\x00\x00\x00\x00\x00\x00" + "\x00\x00\x00\x00\x00\x00\x00\x09", int64(9)},
		{"negative", "\x13" + "\xFF\xFF\xFF\xFF\xFF\xFF\xFF\xFE", int64(-2)},
		{"too great", "\x14" + "\x00\x00\x00\x00\x00\x00\x00\x01" + "\x00\x00\x00\x00\x00\x00\x00\x00", nil},
	} {
		t.Run(tt.name, func(t *testing.T) {
			got, err := plist.Decode(one(tt.object))
			if (err == nil) != (tt.want != nil) || !reflect.DeepEqual(got, tt.want) {
				t.Errorf("%#v, %v; want %#v", got, err, tt.want)
			}
		})
	}
}

func TestDecode(t *testing.T) {
	for name, tt := range map[string]struct {
		in   []byte
		want any
	}{
		"xml":    {[]byte(xml), xmlWant},
		"binary": {binaryForm(), map[string]any{"A": "b", "N": int64(258), "Y": true, "W": "ü", "L": []any{"b"}}},
	} {
		t.Run(name, func(t *testing.T) {
			if got, err := plist.Decode(tt.in); err != nil || !reflect.DeepEqual(got, tt.want) {
				t.Errorf("%s: %v\n got %#v\nwant %#v", name, err, got, tt.want)
			}
		})
	}
}

func TestBroken(t *testing.T) {
	loop := []byte("bplist00\xA1\x00\x08" + "\x00\x00\x00\x00\x00\x00\x01\x01" + "\x00\x00\x00\x00\x00\x00\x00\x01" +
		"\x00\x00\x00\x00\x00\x00\x00\x00" + "\x00\x00\x00\x00\x00\x00\x00\x0A")
	for name, in := range map[string][]byte{
		"nothing":            nil,
		"no end":             []byte(xml[:200]),
		"an array in itself": loop,
		"no plist":           []byte("FileVault is On."),
		"a wrong element":    []byte("<plist><year>8</year></plist>"),
		"no key":             []byte("<dict><string>x</string></dict>"),
		"not base64":         []byte("<data>!</data>"),
		"binary, cut":        binaryForm()[:30],
	} {
		t.Run(name, func(t *testing.T) {
			if got, err := plist.Decode(in); err == nil {
				t.Errorf("%s was taken: %v", name, got)
			}
		})
	}
}

func FuzzDecode(f *testing.F) {
	f.Add([]byte(xml))
	f.Add(binaryForm())
	b, _ := base64.StdEncoding.DecodeString("YnBsaXN0MDA=")
	f.Add(b)
	f.Fuzz(func(t *testing.T, b []byte) {
		if v, err := plist.Decode(b); err == nil {
			_ = fmt.Sprint(v)
		}
	})
}

// one is a list in the binary form that is one object.
func one(object string) []byte {
	b := []byte("bplist00" + object)
	return append(append(b, 8, 0, 0, 0, 0, 0, 0, 1, 1, 0, 0, 0, 0, 0, 0, 0, 1), 0, 0, 0, 0, 0, 0, 0, 0,
		0, 0, 0, 0, 0, 0, 0, byte(len(b)))
}

// A date of the binary form is written as that of the XML form; one far from now is none.
func TestDates(t *testing.T) {
	at := func(seconds float64) string {
		return "\x33" + string(binary.BigEndian.AppendUint64(nil, math.Float64bits(seconds)))
	}
	for _, tt := range []struct {
		name, object string
		want         any
	}{
		{"the first", at(0), "2001-01-01T00:00:00Z"},
		{"a day and a part of a second", at(86400.75), "2001-01-02T00:00:00Z"},
		{"before it", at(-3600), "2000-12-31T23:00:00Z"},
		{"far in the future", at(1e12), nil},
		{"long ago", at(-1e12), nil},
		{"no number", at(math.NaN()), nil},
		{"a date in four bytes is a number", "\x32\x3F\x80\x00\x00", 1.0},
		{"a number in eight bytes is no date", "\x23" + at(1.5)[1:], 1.5},
	} {
		t.Run(tt.name, func(t *testing.T) {
			if got, err := plist.Decode(one(tt.object)); got != tt.want || (err == nil) != (tt.want != nil) {
				t.Errorf("%v (%v), want %v", got, err, tt.want)
			}
		})
	}
}

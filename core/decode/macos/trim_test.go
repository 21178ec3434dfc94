package macos

import (
	"bytes"
	"encoding/base64"
	"testing"

	"rolltop.example/rolltop/core/decode/sample"
	"rolltop.example/rolltop/internal/expect"
)

func TestTrim(t *testing.T) {
	got, err := Trim(JSON, []string{"a", "list", "n"},
		[]byte(`{"a":{"n":1,"secret":2},"list":[{"n":3,"x":4},5],"other":6}`))
	if err != nil || string(got) != `{"a":{"n":1},"list":[{"n":3},5]}` {
		t.Errorf("%s %v", got, err)
	}
	got, err = Trim(List, []string{"n"},
		[]byte("<plist><dict><key>n</key><data>AQI=</data><key>x</key><true/></dict></plist>"))
	if err != nil || string(got) != `{"n":"AQI="}` {
		t.Errorf("%s %v", got, err)
	}
	if got, _ := Trim(Text, nil, bytes.Repeat([]byte{'x'}, 5000)); len(got) != maxText {
		t.Errorf("%d bytes of text", len(got))
	}
	if got, err := Trim(Mark, nil, []byte("a name")); err != nil || got != nil {
		t.Errorf("%q %v", got, err)
	}
	for form, bad := range map[Form]string{JSON: "{", List: "none"} {
		if _, err := Trim(form, nil, []byte(bad)); err == nil {
			t.Errorf("%q was taken", bad)
		}
	}
}

func TestFind(t *testing.T) {
	v := tree([]byte(`{"b":{"x":{"deep":1}},"a":[{"deep":2}],"x":3}`))
	expect.Same(t, `find(v, "x")`, find(v, "x"), 3.0)
	expect.Same(t, `find(v, "deep")`, find(v, "deep"), 2.0)
	expect.That(t, `find(v, "none") == nil`, find(v, "none") == nil)
	expect.That(t, `find(nil, "x") == nil`, find(nil, "x") == nil)
}

func TestRedact(t *testing.T) {
	hide := func(b []byte) []byte { return bytes.Repeat([]byte("f0"), 32) }
	table := sample.PC{
		Serial:  "TW99",
		Maker:   "Tessaly",
		Product: "x",
		Chassis: 9,
		UUID:    "71de0000-0000-4000-8000-000000000007",
	}.Tables()
	raw := `[{"IOPlatformSerialNumber":"TW99","IOPlatformUUID":"71DE0000-0000-4000-8000-000000000007","SMBIOS":"` +
		base64.StdEncoding.EncodeToString([]byte(table)) + `","other":"kept"}]`
	got := Redact([]byte(raw), hide)
	back := find(tree(got), "SMBIOS")
	inside, _ := base64.StdEncoding.DecodeString(back.(string))
	expect.That(t, `!bytes.Contains(got, []byte("TW99"))`, !bytes.Contains(got, []byte("TW99")))
	expect.That(t, `!bytes.Contains(got, []byte("71DE"))`, !bytes.Contains(got, []byte("71DE")))
	expect.That(t, `!bytes.Contains(inside, []byte("TW99"))`, !bytes.Contains(inside, []byte("TW99")))
	expect.That(t, `bytes.Contains(inside, []byte("Tessaly"))`, bytes.Contains(inside, []byte("Tessaly")))
	expect.That(t, `bytes.Contains(got, []byte("kept"))`, bytes.Contains(got, []byte("kept")))
}

func FuzzTrim(f *testing.F) {
	f.Add([]byte(`{"SPHardwareDataType":[{"machine_name":"Foldbook 13"}]}`), true)
	f.Add([]byte("<plist><dict><key>Size</key><integer>5</integer></dict></plist>"), false)
	f.Fuzz(func(t *testing.T, b []byte, isJSON bool) {
		form := List
		if isJSON {
			form = JSON
		}
		kept, err := Trim(form, volumeKeys, b)
		if err != nil {
			return
		}
		again, err := Trim(JSON, volumeKeys, kept)
		if err != nil || !bytes.Equal(kept, again) {
			t.Errorf("%s became %s (%v)", kept, again, err)
		}
	})
}

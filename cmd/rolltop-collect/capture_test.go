package main

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/internal/collect"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/standin/recorded"
)

func recordedFile(t *testing.T, name string) string {
	t.Helper()
	src, err := recorded.Source(name)
	if err != nil {
		t.Fatal(err)
	}
	return write(t, name+".json", src)
}

// A capture from any platform is decoded here, and hidden before it is saved.
func TestCapturesOfOtherPlatforms(t *testing.T) {
	for name, want := range map[string]string{
		"GULL-101":  "Ostrel Bollard 300",
		"NSLIP-M51": "Tessaly Foldbook 13",
		"OUTER-101": "Brannock Windlass T1",
	} {
		t.Run(name, func(t *testing.T) {
			code, out, errOut := collector(t, "--from-capture", recordedFile(t, name))
			expect.Same(t, name+": code", code, 0)
			expect.Contains(t, out, want)
			expect.Same(t, name+": errOut", errOut, "")
		})
	}
	key := write(t, "key", []byte("a key of the counter's own"))
	saved := filepath.Join(t.TempDir(), "hidden.json")
	if code, _, errOut := collector(t, "--from-capture", recordedFile(t, "GULL-101"), "--redact", "--redact-key-file",
		key, "--save-capture", saved); code != 0 {
		t.Fatal(errOut)
	}
	b, err := os.ReadFile(saved)
	if err != nil {
		t.Fatal(err)
	}
	c, err := capture.Read(saved, b)
	if err != nil {
		t.Fatal(err)
	}
	for _, r := range c.Records {
		if strings.Contains(string(r.Raw), "TW2230456") || strings.Contains(string(r.Raw), "G\x00U\x00L\x00L") {
			t.Errorf("%s still names the machine", r.Source)
		}
	}
	if code, out, _ := collector(t, "--from-capture", saved); code != 0 ||
		!strings.Contains(out, "Ostrel Bollard 300") {
		t.Errorf("%d %s", code, out)
	}
}

func TestSoftwareOption(t *testing.T) {
	code, out, _ := collector(t, "--software", "nothing that anybody has", "--output", "-")
	expect.Same(t, "code", code, 0)
	expect.That(t, `!(!strings.Contains(out, "only the titles asked for were read") && !strings.…`,
		!(!strings.Contains(out, "only the titles asked for were read") &&
			!strings.Contains(out, "no list of packages")))
	if _, out, _ = collector(t, "--output", "-"); !strings.Contains(out, "no titles were asked for") {
		t.Error("titles were read without being asked for")
	}
}

// What it says of itself is true on this platform, and of rights it speaks
// beforehand only to a person who looks on.
func TestWords(t *testing.T) {
	code, out, _ := collector(t, "--explain")
	for _, want := range []string{
		"changes nothing", collect.Explain, collect.RightsAdd, "never reads user names",
		"It sends nothing, unless --server names where",
	} {
		if code != 0 || !strings.Contains(out, want) {
			t.Errorf("--explain does not say %q", want)
		}
	}
	for _, o := range []options{{out: "-"}, {server: "x"}, {fromCapture: "x"}} {
		var said strings.Builder
		if beforehand(&o, &said); said.Len() > 0 {
			t.Errorf("%+v: %s", o, said.String())
		}
	}
}

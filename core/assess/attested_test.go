package assess_test

import (
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/attest"
	"rolltop.example/rolltop/core/decode/bootlog"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
)

const attesting = `
format: rolltop-release/1
id: skerry-12
name: Skerry 12
installs_on: pc
revision: 1
published: 2026-10-06
source: https://publisher.example/skerry-12
upgrade: [{platform: windows, way: in-place, keeps: [programs, files, settings]}]
requirements:
  - id: secure-boot-on
    title: Secure boot on
    level: must
    consequence: unsupported
    reason: Only then does the firmware check what it starts.
    need: {fact: firmware.secure_boot, equals: "on"}
    attested: required
`

// With attested: required, what the system reports is not enough to pass; it is enough to fail.
func TestAttestedRequired(t *testing.T) {
	rel, err := release.Read("r.yaml", []byte(attesting), nil)
	if err != nil {
		t.Fatal(err)
	}
	if text := say.Requirement(&rel.Requirements[0]); !strings.Contains(text, "its TPM attests secure boot") {
		t.Errorf("the requirement reads %q", text)
	}
	taken := time.Date(2026, 11, 20, 9, 0, 0, 0, time.UTC)
	proof := func(claims ...attest.Claim) *attest.Standing {
		return &attest.Standing{State: attest.Attested, At: taken, Fresh: true, Proof: &attest.Proof{
			Key: strings.Repeat("a", 64), Claims: claims, Measured: new(bootlog.Measured),
		}}
	}
	on := attest.Claim{Fact: "firmware.secure_boot", Value: "on"}
	off := attest.Claim{Fact: "firmware.secure_boot", Value: "off"}
	for _, c := range []struct {
		name, read string
		standing   *attest.Standing
		want, says string
	}{
		{"read, and not attested", "on", nil, "unknown", "no proof by the machine's TPM"},
		{"read and attested", "on", proof(on), "pass", ""},
		{"not read, and attested", "", proof(on), "pass", ""},
		{"another fact is attested", "on", proof(attest.Claim{Fact: "tpm.version", Value: "2.0"}), "unknown",
			"says nothing else"},
		{"the TPM says something else", "on", proof(off), "unknown", "attested by its TPM"},
		{"off, and not attested", "off", nil, "fail", ""},
		{"off, and attested", "off", proof(off), "fail", ""},
		{"the proof was refused", "on", &attest.Standing{State: attest.Rejected, At: taken, Why: "the log is cut"},
			"unknown", "the log is cut"},
	} {
		t.Run(c.name, func(t *testing.T) {
			d := &inventory.Document{Format: inventory.Format, TakenAt: taken}
			d.OS.Platform = inventory.Some("windows")
			if c.read != "" {
				d.Firmware.SecureBoot = inventory.Some(c.read)
			}
			a, err := assess.Run(rel, attest.Apply(d, c.standing, taken))
			if err != nil {
				t.Fatal(err)
			}
			f := a.Document(taken, "test").Findings[0]
			if f.Outcome != c.want || !strings.Contains(f.Reason, c.says) {
				t.Errorf("%s: %s; want %s: %s", f.Outcome, f.Reason, c.want, c.says)
			}
			if c.want == "unknown" && !strings.Contains(strings.Join(f.Close, " "), "rolltop-collect") {
				t.Errorf("to find it out: %q", f.Close)
			}
		})
	}
}

// Only what firmware measures can be attested.
func TestAttestedRequiredOfSomethingElse(t *testing.T) {
	text := strings.Replace(attesting, `fact: firmware.secure_boot, equals: "on"`,
		"fact: memory.installed_bytes, at_least: 8 GiB", 1)
	_, err := release.Read("r.yaml", []byte(text), nil)
	if err == nil || !strings.Contains(err.Error(), "a TPM cannot attest memory.installed_bytes") {
		t.Errorf("error %v", err)
	}
	text = strings.Replace(attesting, "attested: required", "attested: maybe", 1)
	if _, err = release.Read("r.yaml", []byte(text), nil); err == nil {
		t.Error("another word was taken")
	}
}

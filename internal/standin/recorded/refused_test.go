package recorded_test

import (
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/manual"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/standin/recorded"
)

// A source that is refused makes facts unknown, and never other ones: what a machine does not give out is not said to
// be absent.
func TestARefusalMakesNoOtherFact(t *testing.T) {
	for _, name := range every() {
		t.Run(name, func(t *testing.T) {
			c, err := recorded.Read(name)
			expect.NoError(t, err)
			d, err := decode.Inventory(c)
			expect.NoError(t, err)
			whole := fact.Read(d)
			for i, r := range c.Records {
				for _, outcome := range []string{capture.Denied, capture.Failed} {
					c.Records[i] = capture.Record{Source: r.Source, Outcome: outcome, Errno: 5}
					d, err := decode.Inventory(c)
					expect.NoError(t, err)
					for _, what := range others(whole, fact.Read(d)) {
						t.Errorf("%s is %s: %s", r.Source, outcome, what)
					}
				}
				c.Records[i] = r
			}
		})
	}
}

// byHand are causes of gaps that a person closes who looks elsewhere.
var byHand = []string{inventory.NotOffered, inventory.NotAsked}

// entered is the fact that a person enters where a gap says so.
var entered = regexp.MustCompile(`enter ([a-z_.0-9\[\]]*[a-z_])( by hand)?\.`)

// What a system does not offer, a person finds: the gap says where to look, and as what to enter it. The fact can be
// entered.
func TestWhatIsNotOfferedSaysWhereToLook(t *testing.T) {
	said := 0
	for _, name := range every() {
		t.Run(name, func(t *testing.T) {
			for _, g := range decoded(t, name).Gaps {
				closes := slices.Contains(byHand, g.Cause) && !g.None
				if closes && g.Try == "" {
					t.Errorf("%s (%s) does not say how it becomes known", g.Fact, g.Detail)
				}
				for _, m := range entered.FindAllStringSubmatch(g.Try, -1) {
					said++
					f := manual.Fact{Fact: m[1], Value: "2026-11-22", By: "mara", At: time.Now()}
					if err := f.Check(); err != nil && !strings.Contains(err.Error(), "is not a value of") {
						t.Errorf("%s: %q: %v", g.Fact, g.Try, err)
					}
				}
			}
		})
	}
	expect.That(t, "facts to enter were named", said > 100)
}

// lessExact are facts of which another source says less, and says it truly.
var lessExact = map[string]func(was, is string) bool{
	// The tables of the firmware name the same processor without its speed.
	"processor.name": strings.Contains,
	// Each of those who manage it does, whoever else may.
	"os.managed_by": strings.Contains,
	// The note of the last start says that it was protected then.
	"storage.system.encryption.state": func(was, is string) bool { return was == "paused" && is == "on" },
	// In set-up mode, secure boot is off, too.
	"firmware.secure_boot": func(was, is string) bool { return was == "setup" && is == "off" },
	// Without rights nobody asks the TPM itself, and the word of the driver that serves it counts.
	"tpm.state": func(was, is string) bool { return was == "not-ready" && is == "ready" },
}

// others are facts that two readings of one machine know to be different.
func others(whole, part *fact.Facts) []string {
	var out []string
	for _, name := range fact.Names() {
		id := fact.ByName(name).ID
		if id.Group() != 0 {
			continue
		}
		a, b := whole.Get(id), part.Get(id)
		if less := lessExact[name]; less != nil && less(a.Plain(), b.Plain()) {
			continue
		}
		if none := b.Gap != nil && b.Gap.None; a.Value.Known() && none {
			out = append(out, name+" was "+a.Plain()+" and is none: "+b.Gap.Detail)
		}
		both := a.Value.Known() && b.Value.Known()
		if both && !a.Value.Equal(b.Value) {
			out = append(out, name+" was "+a.Plain()+" and is "+b.Plain()+" ("+b.Source+")")
		}
	}
	return out
}

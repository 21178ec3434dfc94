package recorded_test

import (
	"strings"
	"testing"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/standin/recorded"
)

// A source that is refused makes facts unknown, and never other ones: what a machine does not give out is not said to
// be absent.
func TestARefusalMakesNoOtherFact(t *testing.T) {
	for _, name := range recorded.Names() {
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

// What a collector does not read on a system is found by a person: where to look, and as what to enter it.
func TestWhatIsNotReadSaysWhereToLook(t *testing.T) {
	for _, name := range recorded.Names() {
		t.Run(name, func(t *testing.T) {
			for _, g := range decoded(t, name).Gaps {
				if strings.HasPrefix(g.Detail, "this collector does not read it") {
					expect.Contains(t, strings.ToLower(g.Try), "enter ")
				}
			}
		})
	}
}

// lessExact are facts of which another source says less, and says it truly.
var lessExact = map[string]func(was, is string) bool{
	// The tables of the firmware name the same processor without its speed.
	"processor.name": strings.Contains,
	// Each of those who manage it does, whoever else may.
	"os.managed_by": strings.Contains,
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
		both := a.Value.Known() && b.Value.Known()
		if both && !a.Value.Equal(b.Value) {
			out = append(out, name+" was "+a.Plain()+" and is "+b.Plain()+" ("+b.Source+")")
		}
	}
	return out
}

package remedy

import (
	"testing"

	"rolltop.example/rolltop/internal/expect"
)

// Each disposition has a name of its own, and asks for one thing of three: somebody does
// something on the machine, nobody is sent to it, or neither.
func TestDispositions(t *testing.T) {
	for d, want := range map[Disposition]struct {
		name          string
		takes, futile bool
	}{
		Done: {"done", false, true}, Ready: {"ready", false, false}, Reconfigure: {"reconfigure", true, false},
		Refit: {"refit", true, false}, Decide: {"decide", false, true}, Replace: {"replace", false, true},
		Undetermined: {"undetermined", false, false},
	} {
		got, ok := DispositionOf(want.name)
		expect.That(t, want.name+": ok", ok)
		expect.Same(t, want.name+": got", got, d)
		expect.Same(t, want.name+": d.String()", d.String(), want.name)
		expect.Same(t, want.name+": d.Takes()", d.Takes(), want.takes)
		expect.Same(t, want.name+": d.Futile()", d.Futile(), want.futile)
	}
	if _, ok := DispositionOf("scrapped"); ok {
		t.Error("there is a disposition that nobody knows")
	}
}

func TestWhatAClassMakesOfAMachine(t *testing.T) {
	for class, want := range map[Class]Disposition{
		NoClass: Ready, CleanUp: Reconfigure, Software: Reconfigure, Setting: Reconfigure, Interim: Reconfigure,
		Afresh: Reconfigure, Part: Refit, Decision: Decide, Replacement: Replace,
	} {
		expect.Same(t, classNames[class], class.disposition(), want)
	}
}

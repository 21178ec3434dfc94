package remedy

import (
	"maps"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/internal/expect"
)

func TestStepFilesAreSound(t *testing.T) {
	for i := range Shipped().steps {
		s := &Shipped().steps[i]
		if s.Class != NoClass && s.Class < Decision {
			if len(s.effects) == 0 && s.ID != "interim" {
				t.Errorf("%s is a remedy without an effect", s.ID)
			}
		}
		if s.Risk != "" && s.Risk != "none" {
			if s.Back == "" && s.Risk != "may-lose-keys" {
				t.Errorf("%s %s, and does not say the way back", s.ID, s.Risk)
			}
		}
		texts := []string{s.Do, s.Tell, s.Confirm}
		for _, w := range s.warnings {
			texts = append(texts, w.say)
		}
		for _, text := range append(texts, s.Otherwise...) {
			text = strings.TrimSuffix(text, " {keeps}")
			expect.Lacks(t, text, "!")
			if !strings.HasSuffix(text, ".") {
				t.Errorf("%s says %q", s.ID, text)
			}
		}
	}
	if _, err := Read("shipped.yaml", ShippedText()); err != nil {
		t.Errorf("the files that an administrator starts from are refused: %v", err)
	}
}

const tail = "phase: desk, do: Do., tell: Tell., confirm: Yes., minutes: {least: 1, most: 2}"

func TestBadSteps(t *testing.T) {
	tests := []struct{ step, want string }{
		{"{id: a, title: A, after: [b], " + tail + "}", `2:34: steps[0].after: there is not a step "b"`},
		{"{id: a, title: A, after: [bakup], " + tail + "}", `did you mean "backup"?`},
		{"{id: a, title: A, effect: {tpm.sate: ready}, " + tail + "}",
			`unknown fact "tpm.sate" to have an effect on; did you mean "tpm.state"?`},
		{
			"{id: a, title: A, effect: {tpm.state: redy}, disturbs: [firmware], " + tail + "}",
			`"redy" is not a value of tpm.state`,
		},
		{"{id: a, title: A, when: {fact: tpm.sate, equals: off}, " + tail + "}", `unknown fact "tpm.sate"`},
		{"{id: a, title: A, warn: [{when: {fact: tpm.sate, equals: off}, say: Mind.}], " + tail + "}",
			`unknown fact "tpm.sate"`},
		{"{id: a, title: A, routes: [by-sea], " + tail + "}", `routes knows no "by-sea"; it is one of in-place,`},
		{"{id: a, title: A, closes: [bad-luck], " + tail + "}",
			`closes knows no "bad-luck"; it is one of needs-rights,`},
		{"{id: a, title: A, setting: turbo, " + tail + "}", `setting knows no "turbo"; it is one of boot-mode,`},
		{"{id: a, title: A, ceiling: memory.most, " + tail + "}", `unknown fact "memory.most"`},
		{"{id: a, title: A, class: setting, " + tail + "}", "a step with a class needs a noun"},
		{"{id: A b, title: A, " + tail + "}", `"A b" cannot be the id of a step`},
		{"{id: a, title: A, " + tail + "}, {id: a, title: B, " + tail + "}", "appears twice"},
		{"{id: a, title: A, phase: desk, do: Do., tell: Tell., confirm: Yes., minutes: {least: 9, most: 2}}",
			"at least 9 minutes is more than 2 at most"},
		{"{id: a, title: A, after: [b], " + tail + "}, {id: b, title: B, after: [a], " + tail + "}",
			"the steps wait for each other: a → b → a"},
		{"{id: a, title: A, after: [c, b], " + tail + "}, {id: c, title: C, " + tail +
			"}, {id: b, title: B, after: [a], " + tail + "}", "the steps wait for each other: a → b → a"},
		{"{id: a, title: A, before: [backup], after: [boot-mode], " + tail + "}", "the steps wait for each other: "},
		{"{id: a, title: A, pulls: [b], " + tail + "}, {id: b, title: B, pulls: [a], " + tail + "}",
			"the steps pull each other: a → b → a"},
	}
	for _, tt := range tests {
		t.Run(tt.step, func(t *testing.T) {
			_, err := Read("steps", []byte("format: rolltop-steps/1\nsteps: ["+tt.step+"]"))
			coretest.Refused(t, err, tt.want)
		})
	}
	if _, err := Read("steps", []byte("format: rolltop-guides/1\nsteps: []")); err == nil {
		t.Error("a document of another format is taken")
	}
}

// An administrator's step takes the place of a shipped one, or stands among
// them where its edges say.
func TestOwnSteps(t *testing.T) {
	lib, err := Read("own.yaml", []byte(`format: rolltop-steps/1
steps:
  - id: unplug-scanner
    title: Unplug the ticket scanner
    phase: desk
    pulled_by: [enter-firmware]
    when: {fact: device.form, equals: desktop}
    before: [enter-firmware]
    do: Pull the plug of the scanner.
    tell: The scanner is unplugged for a while.
    confirm: The scanner is dark.
    minutes: {least: 1, most: 1}
  - id: backup
    title: Back up to the pier's own store
    phase: remote
    after: [read-again]
    do: Use the store.
    tell: A copy is made.
    confirm: The store shows it.
    minutes: {least: 20, most: 40}
`))
	if err != nil {
		t.Fatal(err)
	}
	if got, want := len(lib.steps), len(Shipped().steps)+1; got != want {
		t.Errorf("%d steps, want %d", got, want)
	}
	rel, seen := coretest.Release(t, "skerry-12"), 0
	plansOf(t, rel, lib, 500, func(f *fact.Facts, v *Verdict) bool {
		at := func(id string) int { return slices.IndexFunc(v.Plan, func(p Planned) bool { return p.ID == id }) }
		if v.Disposition == Replace {
			return true
		}
		i, j := at("unplug-scanner"), at("enter-firmware")
		if (i >= 0) != (j >= 0 && f.Is(fact.DeviceForm, "desktop")) || i > j {
			t.Errorf("on a %s, the scanner stands at %d of %s", f.Value(fact.DeviceForm).Text(), i, ids(v))
			return false
		}
		if i >= 0 {
			seen++
		}
		if i := at("backup"); i >= 0 && v.Plan[i].Title != "Back up to the pier's own store" {
			t.Errorf("the backup is %q", v.Plan[i].Title)
		}
		return true
	})
	if seen == 0 {
		t.Error("no plan has both steps: nothing is tested")
	}
}

// pairs are every pair of steps of which the first comes after the second, by itself or
// through others.
func pairs(l *Library) map[[2]int]bool {
	out := map[[2]int]bool{}
	for i := range l.steps {
		for j := range l.steps {
			if i != j && l.waitsFor(i, j) {
				out[[2]int{i, j}] = true
			}
		}
	}
	return out
}

// An order that follows from what steps disturb, or from other edges, is not written: a
// mistake in it would go unnoticed.
func TestEdgesAreNotWrittenTwice(t *testing.T) {
	whole := pairs(Shipped())
	for i, d := range shipped() {
		for k, id := range d.After {
			docs := slices.Clone(shipped())
			docs[i].After = slices.Delete(slices.Clone(d.After), k, k+1)
			r := &doc.Report{}
			lib := compile(docs, nil, safeguards(), r)
			if err := r.Err(); err != nil {
				t.Fatal(err)
			}
			if maps.Equal(whole, pairs(lib)) {
				t.Errorf("%s comes after %s anyway", d.ID, id)
			}
		}
	}
}

// What is put into a machine is put in before the TPM module: all of it while the case is open, and the
// module last, so that the first start shows one new thing.
func TestTheModuleComesLast(t *testing.T) {
	lib := Shipped()
	var module *Step
	for i := range lib.steps {
		if lib.steps[i].ID == "tpm-module" {
			module = &lib.steps[i]
		}
	}
	expect.That(t, "there is a module", module != nil)
	parts := 0
	for i := range lib.steps {
		s := &lib.steps[i]
		inside := s.Class == Part && s.Phase == Desk && slices.Contains(s.Disturbs, "hardware")
		if !inside || slices.Contains([]string{"tpm-module", "graphics-card", "display"}, s.ID) {
			continue
		}
		parts++
		if !slices.Contains(module.After, s.ID) {
			t.Errorf("the TPM module does not wait for %s", s.ID)
		}
	}
	expect.That(t, "parts were looked at", parts >= 4)
}

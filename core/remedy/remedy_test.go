package remedy

import (
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
)

func TestStepFilesAreSound(t *testing.T) {
	lib := loaded()
	for i := range lib.steps {
		s := &lib.steps[i]
		if s.Class != NoClass && s.Class != Replacement && (s.Noun.One == "" || len(s.effects) == 0) && s.ID != "interim" && s.ID != "secure-boot-keys" {
			t.Errorf("%s is a remedy without a noun or an effect", s.ID)
		}
		if !s.sure(fact.Read(&inventory.Document{})) && s.Class != NoClass && s.Sure == nil && s.RestsOn == "" {
			t.Errorf("%s is uncertain, and does not say what it rests on", s.ID)
		}
		if s.Minutes.Least > s.Minutes.Most {
			t.Errorf("%s takes %d to %d minutes", s.ID, s.Minutes.Least, s.Minutes.Most)
		}
		for _, text := range []string{s.Do, s.Tell, s.Confirm} {
			if text == "" || strings.ContainsAny(text, "!") || !strings.HasSuffix(text, ".") {
				t.Errorf("%s says %q", s.ID, text)
			}
		}
	}
	if c := circle(lib); c != "" {
		t.Errorf("steps wait for each other: %s", c)
	}
}

// circle follows the edges and names a step that comes after itself.
func circle(lib *library) string {
	state := make([]int, len(lib.steps)) // 1 being visited, 2 done
	var visit func(int) string
	visit = func(i int) string {
		switch state[i] {
		case 1:
			return lib.steps[i].ID
		case 2:
			return ""
		}
		state[i] = 1
		for _, j := range lib.steps[i].after {
			if c := visit(j); c != "" {
				return c
			}
		}
		state[i] = 2
		return ""
	}
	for i := range lib.steps {
		if c := visit(i); c != "" {
			return c
		}
	}
	return ""
}

func TestBadSteps(t *testing.T) {
	const tail = "phase: desk, do: Do., tell: Tell., confirm: Yes., minutes: {least: 1, most: 2}"
	tests := []struct{ step, want string }{
		{"{id: a, title: A, after: [b], " + tail + "}", `there is no step "b"`},
		{"{id: a, title: A, effect: {tpm.sate: ready}, " + tail + "}", "a fact that does not exist"},
		{"{id: a, title: A, effect: {tpm.state: redy}, " + tail + "}", `"redy" is not a value of tpm.state`},
		{"{id: a, title: A, routes: [by-sea], " + tail + "}", `there is no route "by-sea"`},
		{"{id: a, title: A, ceiling: memory.most, " + tail + "}", "there is no such fact"},
		{"{id: a, title: A, " + tail + "}, {id: a, title: B, " + tail + "}", "stands twice"},
	}
	for _, tt := range tests {
		var d StepDocument
		if err := doc.Decode("steps", []byte("format: rolltop-steps/1\nsteps: ["+tt.step+"]"), &d); err != nil {
			t.Fatal(err)
		}
		if _, err := compile(d.Steps); err == nil || !strings.Contains(err.Error(), tt.want) {
			t.Errorf("%s: %v, want %s", tt.step, err, tt.want)
		}
	}
}

// hazards are pairs of which the first must never come after the second where
// both stand in a plan.
var hazards = [][2]string{
	{"convert-disk", "boot-mode"}, {"boot-mode", "secure-boot-on"}, {"boot-mode", "tpm-on"}, {"tpm-on", "secure-boot-on"},
	{"backup", "convert-disk"}, {"backup", "free-space"}, {"backup", "add-memory"}, {"backup", "reinstall"}, {"backup", "interim"}, {"recovery-key", "pause-encryption"},
	{"pause-encryption", "convert-disk"}, {"pause-encryption", "tpm-on"}, {"pause-encryption", "secure-boot-on"}, {"pause-encryption", "tpm-module"},
	{"secure-boot-on", "check-again"}, {"check-again", "resume-encryption"}, {"resume-encryption", "upgrade"}, {"interim", "upgrade"}, {"read-again", "backup"},
	{"free-space", "upgrade"}, {"change-drive", "convert-disk"}, {"boot-mode", "reinstall"},
}

// random makes the facts of a machine whose states are drawn at random.
func random(r *rand.Rand) *fact.Facts {
	f := fact.Read(&inventory.Document{})
	word := func(id fact.ID, words ...string) {
		if w := words[r.IntN(len(words))]; w != "" {
			f.Set(id, fact.Of(id.Def().Kind, w), "random")
		}
	}
	number := func(id fact.ID, values ...float64) {
		if v := values[r.IntN(len(values))]; v >= 0 {
			f.Set(id, fact.Num(v), "random")
		}
	}
	word(fact.DeviceClass, "pc")
	word(fact.DeviceForm, "desktop", "laptop")
	word(fact.DeviceEnvironment, "hardware", "hardware", "hardware", "guest")
	word(fact.OSPlatform, "windows", "windows", "windows", "linux")
	word(fact.OSVersion, "11.2", "11.2", "10.4", "")
	word(fact.OSArchitecture, "x86-64", "x86-64", "x86-64", "x86")
	word(fact.ProcessorArch, "x86-64")
	word(fact.ProcessorName, "Corvane K5-9400", "Corvane K5-8500T", "Corvane K5-8250U", "Corvane sample", "Corvane K5-7300U")
	number(fact.ProcessorMHz, 2900)
	number(fact.ProcessorCores, 6, 6, 6, 2)
	f.Set(fact.ProcessorFeatures, fact.Items([]string{"cmpxchg16b", "sse4.2", "avx2"}[:2+r.IntN(2)]), "random")
	number(fact.MemoryInstalled, 4<<30, 8<<30, 16<<30, -1)
	number(fact.MemoryFreeSlots, 0, 1, -1)
	number(fact.DiskBytes, 64e9, 256e9)
	word(fact.DiskKind, "ssd", "hdd", "emmc")
	word(fact.DiskHealth, "good", "good", "bad")
	number(fact.FreeBytes, 9e9, 90e9)
	style := []string{"gpt", "mbr"}[r.IntN(2)]
	word(fact.DiskStyle, style)
	word(fact.BootStyle, style)
	word(fact.EncryptionState, "on", "off", "")
	word(fact.EncryptionKind, "platform", "luks", "")
	word(fact.BootMode, "uefi", "legacy")
	f.Set(fact.UEFICapable, fact.Truth(true), "random")
	if f.Is(fact.BootMode, "legacy") {
		word(fact.SecureBoot, "inactive")
	} else {
		word(fact.SecureBoot, "on", "off", "setup")
		f.Set(fact.SecureBootCapable, fact.Truth(true), "random")
	}
	word(fact.TPMState, "ready", "off", "not-seen", "not-ready", "")
	if s := f.Value(fact.TPMState).Text(); s == "ready" || s == "not-ready" {
		word(fact.TPMVersion, "2.0", "2.0", "1.2")
	}
	return f
}

func skerry(t *testing.T) *release.Release {
	t.Helper()
	src, err := os.ReadFile("../../internal/standin/releases/skerry-12.yaml")
	if err != nil {
		t.Fatal(err)
	}
	rel, err := release.Read("skerry-12", src, beside)
	if err != nil {
		t.Fatal(err)
	}
	return rel
}

// reversed is the library with its files read backwards, so that the order in
// which steps are written helps no plan: only what they say of each other does.
// The edge numbered drop is left out.
func reversed(t *testing.T, drop int) (lib *library, edge string) {
	t.Helper()
	var docs []StepDoc
	n := 0
	for _, s := range slices.Backward(loaded().steps) {
		d := s.StepDoc
		d.After = nil
		for _, a := range s.After {
			if n == drop {
				edge = s.ID + " after " + a
			} else {
				d.After = append(d.After, a)
			}
			n++
		}
		docs = append(docs, d)
	}
	lib, err := compile(docs)
	if err != nil {
		t.Fatal(err)
	}
	return lib, edge
}

// plans runs f over the plans of many machines until it returns false.
func plans(t *testing.T, rel *release.Release, lib *library, count int, f func(*check.Result, *Verdict) bool) {
	t.Helper()
	r := rand.New(rand.NewPCG(7, 7))
	for range count {
		res, err := check.Run(rel, random(r))
		if err != nil {
			t.Fatal(err)
		}
		v := solve(lib, res, nil, res.Path, -1)
		if !f(res, &v) {
			return
		}
	}
}

// broken names a hazard that a plan runs into.
func broken(v *Verdict) string {
	at := map[string]int{}
	for i, p := range v.Plan {
		at[p.ID] = i + 1
	}
	for _, h := range hazards {
		if a, b := at[h[0]], at[h[1]]; a > 0 && b > 0 && a > b {
			return h[1] + " before " + h[0]
		}
	}
	return ""
}

func TestPlansAreSafeAndEndReady(t *testing.T) {
	rel := skerry(t)
	lib, _ := reversed(t, -1)
	seen := map[Disposition]int{}
	plans(t, rel, lib, 10_000, func(res *check.Result, v *Verdict) bool {
		seen[v.Disposition]++
		if h := broken(v); h != "" {
			t.Errorf("%s in %s", h, ids(v))
			return false
		}
		if v.Disposition == Replace {
			if len(v.Plan) != 1 {
				t.Errorf("futile steps on a machine to replace: %s", ids(v))
			}
			return true
		}
		// Simulated in its order, each step can be done when its turn comes, and
		// at the end every must that was failing is met.
		sim := &solver{lib: lib, was: res.Facts, sim: copyOf(res.Facts)}
		for i := range res.Findings {
			if res.Findings[i].Outcome == check.Fail && res.Findings[i].Requirement.Level == release.Must {
				sim.failing = append(sim.failing, &res.Findings[i])
			}
		}
		for i := range v.Plan {
			p := &v.Plan[i]
			if p.Class != NoClass && p.can(sim.sim) == need.False {
				t.Errorf("%s cannot be done at its place in %s", p.ID, ids(v))
				return false
			}
			for k := range res.Findings {
				if q := res.Findings[k].Requirement; slices.Contains(p.Settles, q.ID) {
					sim.simulate(p, q)
				}
			}
			sim.simulate(p, nil)
		}
		for i := range res.Findings {
			fd := &res.Findings[i]
			if fd.Requirement.Level == release.Must && fd.Outcome == check.Fail && fd.Requirement.Need.Test(sim.sim.View()) == need.False {
				t.Errorf("%s still fails after %s", fd.Requirement.ID, ids(v))
				return false
			}
		}
		return true
	})
	for d := range Undetermined + 1 {
		if seen[d] == 0 && d != Ready {
			t.Errorf("no machine is %s: the test says nothing of it", d)
		}
	}
}

func ids(v *Verdict) string {
	var out []string
	for _, p := range v.Plan {
		out = append(out, p.ID)
	}
	return fmt.Sprint(out)
}

// The test above proves something only if it fails when what it guards is
// taken away: without its edge, each of these hazards must be run into.
func TestEdgesAreNeeded(t *testing.T) {
	rel := skerry(t)
	needed := map[string]bool{"boot-mode after convert-disk": false, "check-again after secure-boot-on": false, "resume-encryption after check-again": false, "pause-encryption after recovery-key": false,
		"tpm-on after boot-mode": false, "upgrade after interim": false, "backup after read-again": false, "free-space after backup": false}
	for drop := 0; ; drop++ {
		lib, edge := reversed(t, drop)
		if edge == "" {
			break
		}
		if _, watched := needed[edge]; !watched {
			continue
		}
		plans(t, rel, lib, 3000, func(_ *check.Result, v *Verdict) bool {
			needed[edge] = needed[edge] || broken(v) != ""
			return !needed[edge]
		})
	}
	for edge, ran := range needed {
		if !ran {
			t.Errorf("without %q no plan is unsafe: nothing tests it", edge)
		}
	}
}

func TestSolveIsTheSameAtEveryRun(t *testing.T) {
	rel := skerry(t)
	first := map[int]string{}
	for run := range 3 {
		i := 0
		plans(t, rel, loaded(), 500, func(_ *check.Result, v *Verdict) bool {
			s := v.Disposition.String() + ids(v)
			if run == 0 {
				first[i] = s
			} else if first[i] != s {
				t.Errorf("machine %d: %s, then %s", i, first[i], s)
			}
			i++
			return true
		})
	}
}

// beside reads a file beside the demo's release documents.
func beside(name string) ([]byte, error) {
	return os.ReadFile("../../internal/standin/releases/" + name)
}

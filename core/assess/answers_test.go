package assess_test

import (
	"encoding/json"
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"os"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/internal/expect"
)

// What is said of the cases, of cases with gaps, and of random machines is what was said
// before. A change of words or of a rule shows here as a difference to read; after
// reading it, -update writes the record anew. The other tests say what is right.
func TestAnswersAreThoseOfTheRecord(t *testing.T) {
	var out strings.Builder
	skerry12, skerry13 := coretest.Release(t, "skerry-12"), coretest.Release(t, "skerry-13")
	for i, c := range cases {
		d := sound()
		c.change(d)
		answer(t, &out, c.name, skerry12, d, true)
		answer(t, &out, c.name+", Skerry 13", skerry13, d, false)
		for j, at := range []string{"tpm.state", "memory.installed_bytes", "firmware.secure_boot", "processor.name"} {
			d := sound()
			causes([]string{
				inventory.NeedsRights, inventory.NotOffered, inventory.ReadFailed, inventory.NotAsked,
			}[(i+j)%4], at)(d)
			c.change(d)
			answer(t, &out, c.name+", without "+at, skerry12, d, false)
		}
	}
	r := rand.New(rand.NewPCG(15, 29))
	for n := range 30 {
		rel := drawRelease(r).read(t, nil)
		for m := range 10 {
			answer(t, &out, fmt.Sprintf("random %d.%d", n, m), rel, drawMachine(r), false)
		}
	}
	expect.Record(t, "testdata/answers.txt", out.String())
}

// The same over machines that differ in everything that steps and rules read, with the
// demo's own documents and with two waivers.
func TestAnswersForManyMachinesAreThoseOfTheRecord(t *testing.T) {
	var out strings.Builder
	own := knowledgeOfTheDemo(t)
	every := everyRemedy(t)
	skerry12, skerry13, fathom := coretest.Release(t, "skerry-12"), coretest.Release(t, "skerry-13"),
		coretest.Release(t, "fathom-9")
	r := rand.New(rand.NewPCG(26, 11))
	waivers := func(rel *release.Release) []assess.Waiver {
		var all []assess.Waiver
		for range 2 {
			q := rel.Requirements[r.IntN(len(rel.Requirements))]
			all = append(all,
				assess.Waiver{Requirement: q.ID, Reason: "For " + q.ID, By: "demo", Until: now.AddDate(0, 1, 0)})
		}
		return all
	}
	for i := range 300 {
		d := coretest.PC(r)
		name := fmt.Sprintf("PC %d", i)
		answer(t, &out, name, skerry12, d, false)
		answerWith(t, &out, name+", own documents", own, skerry12, d, false, waivers(skerry12)...)
		answerWith(t, &out, name+", Skerry 13", own, skerry13, d, false, waivers(skerry13)...)
		answer(t, &out, name+", every remedy", every, d, false)
	}
	for i := range 150 {
		answerWith(t, &out, fmt.Sprintf("Mac %d", i), own, fathom, coretest.Mac(r), false, waivers(fathom)...)
	}
	expect.Record(t, "testdata/many.txt", out.String())
}

// knowledgeOfTheDemo is what the demo's organisation adds of its own.
func knowledgeOfTheDemo(t *testing.T) *knowledge.Base {
	t.Helper()
	var docs []knowledge.Document
	for _, kind := range knowledge.Kinds() {
		text, err := os.ReadFile("../../internal/standin/knowledge/" + kind + ".yaml")
		if err != nil {
			t.Fatal(err)
		}
		docs = append(docs, knowledge.Document{Name: kind + ".yaml", Text: text})
	}
	own, err := knowledge.Read(docs...)
	if err != nil {
		t.Fatal(err)
	}
	return own
}

// everyRemedy is a release that asks for all that some step brings about.
func everyRemedy(t *testing.T) *release.Release {
	t.Helper()
	text, err := os.ReadFile("../remedy/testdata/every-remedy.yaml")
	if err != nil {
		t.Fatal(err)
	}
	rel, err := release.Read("every-remedy", text, nil)
	if err != nil {
		t.Fatal(err)
	}
	return rel
}

// answer writes the verdict, the plan and a digest of everything that is said; in full,
// also the words.
func answer(t *testing.T, out *strings.Builder, name string, rel *release.Release, d *doc, full bool) {
	t.Helper()
	answerWith(t, out, name, knowledge.Shipped(), rel, d, full)
}

// answerWith is answer with own documents and waivers.
func answerWith(
	t *testing.T, out *strings.Builder, name string, own *knowledge.Base, rel *release.Release, d *doc, full bool,
	waivers ...assess.Waiver,
) {
	t.Helper()
	a, err := assess.With(own, rel, d, waivers...)
	if err != nil {
		t.Fatal(err)
	}
	c := a.Document(now, "record")
	text, err := json.Marshal(c)
	if err != nil {
		t.Fatal(err)
	}
	digest := fnv.New32a()
	_, _ = digest.Write(text)
	fmt.Fprintf(out, "%s: %s (%s to %s): %s [%08x]\n", name, c.Disposition, c.Best, c.Worst, planOf(c), digest.Sum32())
	if !full {
		return
	}
	fmt.Fprintf(out, "  %s\n", c.Answer)
	for _, s := range c.Details {
		fmt.Fprintf(out, "  %s\n", s)
	}
	for _, f := range c.Findings {
		if f.Outcome != "pass" {
			fmt.Fprintf(out, "  - %s: %s: %s\n", f.Title, f.Outcome, f.Reason)
		}
	}
}

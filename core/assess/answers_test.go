package assess_test

import (
	"encoding/json"
	"flag"
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"os"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/release"
)

var update = flag.Bool("update", false, "write the records in testdata anew")

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
	record(t, "testdata/answers.txt", out.String())
}

// record compares a text with the one that was written before.
func record(t *testing.T, file, text string) {
	t.Helper()
	if *update {
		if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	written, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	is, was := strings.Split(text, "\n"), strings.Split(string(written), "\n")
	differ := 0
	for i := range max(len(is), len(was)) {
		a, b := "", ""
		if i < len(was) {
			a = was[i]
		}
		if i < len(is) {
			b = is[i]
		}
		if a == b {
			continue
		}
		if differ++; differ <= 5 {
			t.Errorf("line %d was\n\t%s\nand is\n\t%s", i+1, a, b)
		}
	}
	if differ > 5 {
		t.Errorf("%d lines differ", differ)
	}
}

// answer writes the verdict, the plan and a digest of everything that is said; in full,
// also the words.
func answer(t *testing.T, out *strings.Builder, name string, rel *release.Release, d *doc, full bool) {
	t.Helper()
	c := run(t, rel, d).Document(now, "record")
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

package manual_test

import (
	"encoding/json"
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/manual"
	"rolltop.example/rolltop/internal/expect"
)

// What becomes of every fact with every kind of value, right and wrong, is as recorded.
func TestEnteredFactsAreAsRecorded(t *testing.T) {
	values := []string{
		"8 GiB", "8", "500 GB", "2400", "2.4 GHz", "true", "false", "ready", "2.0", "uefi", "gpt", "laptop",
		"x86-64", "de",
		"avx2 sse4.2", "none", "0", "-1", "Gull-014", "ssd", "2026-11-20", "on", "", " ", "1e9",
		"9999999999999999999", "good",
	}
	names := fact.Names()
	for _, d := range fact.OfRows() {
		list, field, _ := strings.Cut(d.Name, ".")
		names = append(names, d.Name, list+"[0]."+field, list+"[1]."+field, list+"[9]."+field)
	}
	r := rand.New(rand.NewPCG(30, 11))
	machines := []*inventory.Document{machine(), coretest.PC(r), coretest.PC(r), coretest.Mac(r)}
	for _, d := range machines {
		d.Format, d.TakenAt = inventory.Format, machine().TakenAt
	}
	var out strings.Builder
	for _, name := range names {
		sum, right := fnv.New64a(), 0
		for _, v := range values {
			for _, d := range machines {
				one := entered(name, v)
				got, errs := manual.Enter(d, []manual.Fact{one})
				fmt.Fprintln(sum, one.Check())
				b, err := json.Marshal(got)
				expect.NoError(t, err)
				fmt.Fprintln(sum, string(b), errs)
				if len(errs) == 0 {
					right++
				}
				filled, err := json.Marshal(manual.Fill(d, []manual.Fact{one}, []manual.Fact{one}))
				expect.NoError(t, err)
				fmt.Fprintln(sum, string(filled))
			}
		}
		fmt.Fprintf(&out, "%s: %d right, %016x\n", name, right, sum.Sum64())
	}
	expect.Record(t, "testdata/entered.txt", out.String())
}

package fleet_test

import (
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/internal/expect"
)

// The records of this file hold what every filter, order and comparison gives over drawn machines. They say
// that something changed, and the other tests what is right.

// drawnFleet is an index of machines that differ in everything.
func drawnFleet() (*fleet.Index, *rand.Rand) {
	r := rand.New(rand.NewPCG(30, 11))
	x := fleet.NewIndex()
	plans := []string{
		"", "backup tpm-on* upgrade", "free-space*? upgrade | remove-titles=required",
		"| update-titles=advised update-drivers@host=optional", "add-memory* tpm-on* secure-boot-on*@host",
	}
	for n := range 300 {
		row, f := drawn(r, n)
		row.Plan = plans[r.IntN(len(plans))]
		row.Decided = fleet.Decided(r.IntN(16))
		row.DecidedBy = []string{"", " 3 ", " 3 14 "}[r.IntN(3)]
		row.WaivedMusts = []string{"", "tpm", "tpm\nmemory"}[r.IntN(3)]
		row.Causes = fleet.Causes(r.IntN(32))
		if r.IntN(3) == 0 {
			row.Later = time.Unix(r.Int64N(1e6), 0).UTC()
		}
		x.Put(int64(n+1), row, f)
	}
	return x, r
}

// values are what a filter may be given, right and wrong.
var values = []string{
	"yes", "no", "refit", "ready,replace", "tpm", "memory", "tpm,memory", "x", "0", "1", "3", "14", "30", "3000", "-1",
	"1.5", "8GiB", "4 GiB", "500GB", `"Gull Quay"`, "Gull*", "*quay*", "counter", "off", "ready", "true", "false",
	"confirmed", "in-place", "pc", "mac", "needs-rights", "waive", "later", "M0*", "tpm-on", "remove-titles", "Ostrel",
	"11.2", "", "§", "a b", "12.0,11", "none",
}

func TestFiltersAreAsRecorded(t *testing.T) {
	x, r := drawnFleet()
	e := fleet.Existing{
		Requirements: []string{"tpm", "memory", "drive"}, Steps: []string{"tpm-on", "remove-titles"},
		Sites: []string{"Gull Quay", "Holm Ferry"}, Tags: []string{"counter", "spare"},
	}
	keys := append(fleet.Keys(), fact.Names()...)
	ops := []string{"=", "!=", ">=", "<=", ">", "<", ":", " = "}
	var out strings.Builder
	for _, key := range keys {
		sum := fnv.New64a()
		picked := 0
		for _, op := range ops {
			for _, v := range values {
				if op != "=" && r.IntN(3) > 0 {
					continue
				}
				text := key + op + v
				for _, c := range fleet.Complete(text[:r.IntN(len(text)+1)], e) {
					fmt.Fprintln(sum, c.Text, c.Says)
				}
				f, err := fleet.Parse(text)
				if err != nil {
					fmt.Fprintln(sum, err)
					continue
				}
				parts, plain := f.Parts()
				fmt.Fprintln(sum, f.String(), f.Words(), f.Unknown(e), parts, plain, f.External())
				for _, row := range x.Select(f).Page(fleet.Order{}, 0, 400) {
					fmt.Fprint(sum, row.ID, " ")
					picked++
				}
			}
		}
		fmt.Fprintf(&out, "%s picks %d: %016x\n", key, picked, sum.Sum64())
	}
	expect.Record(t, "testdata/filters.txt", out.String())
}

func TestOrdersAreAsRecorded(t *testing.T) {
	x, _ := drawnFleet()
	all, err := fleet.Parse("retired=yes,no")
	expect.NoError(t, err)
	var out strings.Builder
	for _, key := range slices.Concat([]string{"needs.tpm", "needs.memory", "x", ""}, fleet.Keys(), fact.Names()) {
		for _, sign := range []string{"", "-"} {
			o, err := fleet.ParseOrder(sign + key)
			if err != nil {
				fmt.Fprintln(&out, sign+key, err)
				continue
			}
			sum := fnv.New64a()
			picked := x.Select(all)
			for from := 0; from < picked.Len(); from += 37 {
				page := picked.Page(o, from, 37)
				for i := range page {
					fmt.Fprint(sum, page[i].ID, " ")
				}
				if mark, ok := x.MarkOf(o, page[0].ID); ok {
					next, before := picked.After(o, mark, 3)
					fmt.Fprintln(sum, len(next), before)
				}
			}
			fmt.Fprintf(&out, "%s %016x\n", sign+key, sum.Sum64())
		}
	}
	expect.Record(t, "testdata/orders.txt", out.String())
}

func TestWhatIfIsAsRecorded(t *testing.T) {
	was, is := coretest.Release(t, "skerry-12"), coretest.Release(t, "skerry-13")
	r := rand.New(rand.NewPCG(30, 12))
	halves := []*fleet.WhatIf{fleet.NewWhatIf(was, is), fleet.NewWhatIf(was, is)}
	var out strings.Builder
	for n := range 400 {
		d := coretest.PC(r)
		a, b := fact.Read(d), fact.Read(d)
		for range r.IntN(4) {
			b.Set(is.Needed[r.IntN(len(is.Needed))], fact.Value{}, "")
		}
		one := fleet.Standpoint{
			Outcomes:    string(check.Outcomes(was, a, nil)),
			Disposition: remedy.Disposition(r.IntN(7)),
		}
		two := fleet.Standpoint{
			Outcomes:    string(check.Outcomes(is, b, nil)),
			Disposition: remedy.Disposition(r.IntN(7)),
		}
		halves[n%2].Add(int64(n), fmt.Sprint("site ", r.IntN(5)), one, two, b)
		fmt.Fprintln(&out, halves[0].Changed(one.Outcomes, two.Outcomes), halves[0].Unmoved(one.Outcomes, two.Outcomes))
	}
	whole := halves[0]
	whole.Merge(halves[1])
	for _, s := range whole.Sites() {
		fmt.Fprintf(&out, "%+v\n", s)
	}
	for _, c := range whole.Changes() {
		fmt.Fprintf(
			&out,
			"%s %d %d %d %d %d\n",
			c.Requirement.ID,
			c.Fails,
			c.Passes,
			c.Opens,
			c.FailsNow,
			c.UnknownsNow,
		)
	}
	for _, m := range whole.Missing() {
		fmt.Fprintf(&out, "%s %+v\n", m.Fact, m)
	}
	failed, passed := whole.Unanimous()
	fmt.Fprintln(&out, len(failed), len(passed))
	expect.Record(t, "testdata/what-if.txt", out.String())
}

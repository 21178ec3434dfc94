package identity_test

import (
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/identity"
	"rolltop.example/rolltop/internal/expect"
)

// Who a machine is among others whose marks are drawn from few values is as recorded: a sum for each hundred, with how
// often each answer was given.
func TestAnswersAreAsRecorded(t *testing.T) {
	r := rand.New(rand.NewPCG(23, 11))
	one := func(of ...string) string { return of[r.IntN(len(of))] }
	draw := func() identity.Marks {
		return identity.Marks{
			Maker: one("", "Ostrel", "Fennick"), Model: one("", "Slipway 14", "Tern 2"), Serial: one("", "OS1", "OS2"),
			UUID: one("", uuid1, uuid1As, uuid2), Board: one("", "B1", "B2"), Name: one("", "GULL-001", "GULL-002"),
			Weak: one("", "", "w1", "w2"),
		}
	}
	var out strings.Builder
	for range 60 {
		sum, kinds := fnv.New64a(), map[identity.Kind]int{}
		for range 100 {
			var known []identity.Known
			for i := range r.IntN(5) {
				known = append(known, identity.Known{ID: int64(i + 1), Marks: draw()})
			}
			is := draw()
			a := identity.Decide(is, known)
			fmt.Fprintf(sum, "%+v %v %+v\n", a, is.Blank(), is.Clean())
			kinds[a.Kind]++
		}
		fmt.Fprintf(&out, "%016x %v\n", sum.Sum64(), kinds)
	}
	expect.Record(t, "testdata/answers.txt", out.String())
}

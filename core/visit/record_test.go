package visit_test

import (
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/visit"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/internal/expect"
)

// Whether a day has room for a visit is as recorded, with minutes at, below and above what there is.
func TestRoomIsAsRecorded(t *testing.T) {
	r := rand.New(rand.NewPCG(15, 3))
	one := func(of ...string) string { return of[r.IntN(len(of))] }
	var out strings.Builder
	for range 40 {
		sum, full, last := fnv.New64a(), 0, ""
		for range 100 {
			draw := func() visit.Appointment {
				return visit.Appointment{
					Who: one("", "technician, east", "Technician, East", "technician, west", "nobody known"),
					Day: wave.Day(one("", "2026-12-03", "2026-12-04")), Half: one("", visit.Morning, visit.Afternoon),
				}
			}
			var booked []visit.Booked
			for i := range r.IntN(6) {
				booked = append(booked, visit.Booked{Machine: int64(i), Appointment: draw(), Minutes: 59 + r.IntN(3)})
			}
			a := draw()
			says := visit.Full(&a, 59+r.IntN(3), booked, []visit.Technician{
				{Name: "technician, east", Minutes: 240}, {Name: "technician, west", Minutes: 121},
			}, wave.Hours{From: 8 * 60, To: 16 * 60})
			fmt.Fprintln(sum, says)
			if says != "" {
				full, last = full+1, says
			}
		}
		fmt.Fprintf(&out, "%016x %d full: %s\n", sum.Sum64(), full, last)
	}
	expect.Record(t, "testdata/room.txt", out.String())
}

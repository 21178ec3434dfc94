package visit_test

import (
	"fmt"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/part"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/visit"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/internal/expect"
)

var technicians = []visit.Technician{{Name: "east", Minutes: 120}, {Name: "west", Minutes: 480, LeftOn: "2026-12-04"}}

func TestCheck(t *testing.T) {
	free, err := wave.ReadWorkingDays("mon,tue,wed,thu,fri")
	expect.NoError(t, err)
	cal := &wave.Calendar{Free: free}
	for _, tt := range []struct {
		name string
		a    visit.Appointment
		want string
	}{
		{"nothing", visit.Appointment{}, ""},
		{"a day", visit.Appointment{Who: "EAST", Day: "2026-12-03", Half: "pm"}, ""},
		{"today", visit.Appointment{Day: "2026-11-30"}, ""},
		{"yesterday", visit.Appointment{Day: "2026-11-29"}, "is in the past"},
		{"a Saturday", visit.Appointment{Day: "2026-12-05"},
			"is a Saturday, not a working day; the next allowed day is 2026-12-07"},
		{"before they leave", visit.Appointment{Who: "west", Day: "2026-12-03"}, ""},
		{"on the day they leave", visit.Appointment{Who: "west", Day: "2026-12-04"}, "has left on 2026-12-04"},
		{"without a day", visit.Appointment{Who: "west"}, ""},
		{"nobody", visit.Appointment{Who: "eats"}, `there is no technician "eats"; did you mean "east"?`},
		{"a half of nothing", visit.Appointment{Half: "am"}, "needs a day"},
		{"another half", visit.Appointment{Day: "2026-12-03", Half: "x"}, "use am or pm"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			expect.Error(t, visit.Check(&tt.a, technicians, cal, "2026-11-30"), tt.want)
		})
	}
	expect.NoError(t, visit.Check(&visit.Appointment{Who: "anybody"}, nil, cal, "2026-11-30"))
}

func TestFull(t *testing.T) {
	hours, err := wave.ReadHours("08:00-16:00")
	expect.NoError(t, err)
	at := func(who, day, half string, minutes int) visit.Booked {
		return visit.Booked{Minutes: minutes, Appointment: visit.Appointment{Who: who, Day: wave.Day(day), Half: half}}
	}
	booked := []visit.Booked{at("east", "2026-12-03", "am", 40), at("east", "2026-12-03", "pm", 30),
		at("west", "2026-12-03", "", 400), at("east", "2026-12-04", "", 100)}
	for _, tt := range []struct {
		name string
		a    visit.Appointment
		more int
		want string
	}{
		{"just room", visit.Appointment{Who: "East", Day: "2026-12-03"}, 50, ""},
		{"a minute too much", visit.Appointment{Who: "east", Day: "2026-12-03"}, 51,
			"120 minutes for visits on 2026-12-03"},
		{"room in the morning", visit.Appointment{Who: "east", Day: "2026-12-03", Half: "am"}, 20, ""},
		{"no room in the morning", visit.Appointment{Who: "east", Day: "2026-12-03", Half: "am"}, 21,
			"60 minutes for visits on the morning of 2026-12-03"},
		{"another day", visit.Appointment{Who: "east", Day: "2026-12-07"}, 120, ""},
		{"somebody unknown has a working day", visit.Appointment{Who: "new", Day: "2026-12-03"}, 480, ""},
		{"and no more", visit.Appointment{Who: "new", Day: "2026-12-03"}, 481, "480 minutes"},
		{"no day", visit.Appointment{Who: "east"}, 999, ""},
		{"nobody", visit.Appointment{Day: "2026-12-03"}, 999, ""},
	} {
		t.Run(tt.name, func(t *testing.T) {
			got := visit.Full(&tt.a, tt.more, booked, technicians, hours)
			expect.Same(t, "full", got != "", tt.want != "")
			expect.Contains(t, got, tt.want)
		})
	}
	// A half that is full leaves no room for a whole day.
	tight := []visit.Booked{at("east", "2026-12-03", "", 90)}
	expect.That(t, "the day counts for its half", visit.Full(&visit.Appointment{Who: "east", Day: "2026-12-03",
		Half: "am"}, 31, tight, technicians, hours) != "")
}

// The cover has each machine with its desk, parts together, and what has to be at hand; its sums are those of the
// visits.
func TestCover(t *testing.T) {
	module := part.Part{Kind: part.Memory, Count: 1, Bytes: 4 << 30, Type: "ddr4", Form: "dimm", Manual: true}
	doc := func(name string, encrypted, locked bool, minutes ...int) *assess.Document {
		d := &assess.Document{Encrypted: encrypted, FirmwarePassword: locked, Bring: []string{"a wired keyboard"}}
		d.Machine.Name = name
		for _, n := range minutes {
			d.Plan = append(d.Plan, assess.Step{Phase: remedy.Desk, Minutes: remedy.Minutes{Least: n, Most: 2 * n},
				Restarts: 1, Parts: []assess.Part{{Part: module}}})
		}
		d.Plan = append(d.Plan, assess.Step{Phase: remedy.Remote, Minutes: remedy.Minutes{Least: 99, Most: 99}})
		return d
	}
	got := visit.CoverOf([]*assess.Document{doc("A", true, false, 10, 5), doc("B", true, true, 20)},
		map[string][2]string{"A": {"counter 2", "clerk"}})
	expect.Same(t, "sums", fmt.Sprint(got.Minutes, got.Restarts), "{35 70} 3")
	expect.Same(t, "machines", fmt.Sprint(got.Machines), "[{A  counter 2 clerk {15 30}} {B    {20 40}}]")
	if len(got.Parts) != 1 {
		t.Fatalf("%+v", got.Parts)
	}
	expect.Same(t, "parts", fmt.Sprint(got.Parts[0].Count, got.Parts[0].Machines), "3 [A A B]")
	expect.That(t, "a part that is ordered is not to be confirmed", !strings.Contains(got.Parts[0].Says, "confirm"))
	expect.Same(t, "tools", fmt.Sprint(got.Bring), "[a wired keyboard]")
	expect.Same(t, "passwords", strings.Join(got.Passwords, "\n"),
		"Firmware passwords: B\nRecovery keys of the encrypted disks: A, B")
}

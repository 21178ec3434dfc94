package standin

import (
	"context"
	"slices"
	"time"

	"rolltop.example/rolltop/core/decision"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/wave"
)

// Worker is a service that the work of the demo is put into.
type Worker interface {
	Load(ctx context.Context, d *inventory.Document) error
	PutDecision(ctx context.Context, d *decision.Decision) error
	SetStock(ctx context.Context, part string, onHand, leadDays int) error
	AssignWork(ctx context.Context, where, who, note, day, half string) error
	SetWave(ctx context.Context, w wave.Wave, where string, handedOff time.Time) (int64, error)
	SayOutcome(ctx context.Context, wave int64, key, outcome, reason string, at time.Time) error
	SetBlackouts(ctx context.Context, list []wave.Blackout) error
	PlaceOrder(ctx context.Context, number, supplier, day, expected, part, where string, price int64) error
	SetOrder(ctx context.Context, number, state, part, day string) error
	SetReplacement(ctx context.Context, key, newName, note string) error
	AskQuestion(ctx context.Context, fact, who, due, note string) error
	SetTechnician(ctx context.Context, name string, minutes int) error
	AddModelFact(ctx context.Context, maker, model, fact, value, note string) error
}

// pc12 is the release that the demo's PCs get.
const pc12 = "skerry-12"

// Employ adds the work of some weeks: what was decided, what lies in store, who goes
// where, a pilot that is done, a wave under way and one that is planned.
func Employ(ctx context.Context, s Worker, now time.Time) error {
	for _, d := range []decision.Decision{
		{
			Kind:        decision.Waive,
			Release:     pc12,
			Requirement: "house-drive",
			Scope:       `site="Corbel Head" fails=house-drive`,
			Reason:      "The machines there are replaced in spring, and start slowly until then",
			By:          "chief of support",
			At:          days(now, -40),
			Until:       day(now, 95),
		},
		{
			Kind:   decision.Later,
			Scope:  `tag=season site="Gull Quay"`,
			Reason: "Ticket counters are in season",
			By:     "desktop support",
			At:     days(now, -12),
			Until:  day(now, 24),
		},
		{
			Kind:   decision.Stay,
			Scope:  `site="The Narrows" fails=processor-list`,
			Reason: "The pier is rebuilt, and its machines go with it",
			By:     "chief of support",
			At:     days(now, -33),
			Until:  day(now, 160),
		},
		{
			Kind:   decision.Hold,
			Scope:  `model="Gannet 24" site="Corbel Head"`,
			Reason: "The label printers there get new drivers first",
			By:     "chief of support",
			At:     days(now, -8),
			Until:  day(now, 9),
		},
		{
			Kind:        decision.Waive,
			Release:     pc12,
			Requirement: "graphics",
			Scope:       `site="Eelgrass Landing" fails=graphics`,
			Reason:      "No driver was to be had yet",
			By:          "chief of support",
			At:          days(now, -70),
			Until:       day(now, -3),
		},
	} {
		if err := s.PutDecision(ctx, &d); err != nil {
			return err
		}
	}
	for _, p := range []struct {
		part         string
		onHand, days int
	}{
		{"solid-state drive of 512 GB or more (SATA)", 2, 6}, {"4 GiB DDR4 DIMM, 2666 MT/s or faster", 8, 0},
		{"4 GiB DDR4 SODIMM, 2666 MT/s or faster", 3, 5}, {"TPM 2.0 module for the board Fennick FT2-M", 0, 21},
		{"new laptop", 0, 35},
	} {
		if err := s.SetStock(ctx, p.part, p.onHand, p.days); err != nil {
			return err
		}
	}
	for _, g := range [][3]string{{`site="Eelgrass Landing","Corbel Head"`, "technician, east",
		"The boat leaves at 8:15"}, {`site="North Slip"`, "technician, head office", ""}} {
		if err := s.AssignWork(ctx, g[0]+" disposition=reconfigure,refit", g[1], g[2], "", ""); err != nil {
			return err
		}
	}
	if err := s.AddModelFact(ctx, "Ostrel", "Bollard 300", "device.warranty_until",
		day(now, 400).Format(time.DateOnly), "contract with Quayside Supplies"); err != nil {
		return err
	}
	if err := waves(ctx, s, now); err != nil {
		return err
	}
	return orders(ctx, s, now)
}

// orders adds what was ordered, which machine takes the place of another, and a question that waits for its answer.
func orders(ctx context.Context, s Worker, now time.Time) error {
	const supplier = "Quayside Supplies"
	on := func(n int) string { return day(now, n).Format(time.DateOnly) }
	for _, o := range []struct {
		number, supplier, day, expected, part, where string
		price                                        int64 // of one, in hundredths
	}{
		{
			number: "T-101", supplier: supplier, day: on(-19), expected: on(-12),
			part:  "4 GiB DDR4 SODIMM, 2666 MT/s or faster",
			where: `site="Lantern Pier","North Slip"`, price: 1450,
		},
		{
			number: "T-102", supplier: supplier, day: on(-9), expected: on(26), part: "new laptop",
			where: `site="Eelgrass Landing","Gull Quay"`, price: 71900,
		},
		{
			number: "T-103", supplier: "Slip Road Parts", day: on(-8), expected: on(-1),
			part:  "solid-state drive of 512 GB or more (SATA)",
			where: `site="North Slip"`, price: 4490,
		},
	} {
		if err := s.PlaceOrder(ctx, o.number, o.supplier, o.day, o.expected, o.part, o.where, o.price); err != nil {
			return err
		}
	}
	if err := s.SetOrder(ctx, "T-101", "arrived", "", on(-11)); err != nil {
		return err
	}
	for name, minutes := range map[string]int{"technician, east": 300, "technician, head office": 360} {
		if err := s.SetTechnician(ctx, name, minutes); err != nil {
			return err
		}
	}
	if err := week(ctx, s, now); err != nil {
		return err
	}
	if err := s.SetReplacement(ctx, "gull-002", "GULL-041", "The desk at the window goes with it"); err != nil {
		return err
	}
	return s.AskQuestion(ctx, "processor.name", "support of the maker", on(6), "ticket 4711")
}

func days(now time.Time, n int) time.Time { return now.AddDate(0, 0, n).UTC() }

// day is the beginning of a day.
func day(now time.Time, n int) time.Time { return days(now, n).Truncate(24 * time.Hour) }

func waves(ctx context.Context, s Worker, now time.Time) error {
	on := func(n int) wave.Day { return wave.On(days(now, n)) }
	if err := s.SetBlackouts(ctx,
		[]wave.Blackout{{From: on(23), To: on(39), Reason: "turn of the year: every counter is open"}}); err != nil {
		return err
	}
	pilot, err := s.SetWave(ctx,
		wave.Wave{
			Name:    "Pilot",
			Release: pc12,
			Pilot:   true,
			Rule:    `site="Lantern Pier" disposition=ready`,
			Most:    6,
			Starts:  on(-20),
			Ends:    on(-15),
			Note:    "People who said that they would not mind",
		}, `key=lant-002,lant-008,lant-010,lant-012,lant-013,lant-014`, days(now, -20))
	if err != nil {
		return err
	}
	first, err := s.SetWave(ctx,
		wave.Wave{
			Name:    "Lantern Pier and Holm Ferry",
			Release: pc12,
			Rule:    `site="Lantern Pier","Holm Ferry" disposition=ready`,
			Most:    20,
			Starts:  on(-4),
			Ends:    on(8),

			StopPercent: 15,
		}, `site="Holm Ferry" disposition=ready class=pc`, days(now, -4))
	if err != nil {
		return err
	}
	if _, err := s.SetWave(ctx,
		wave.Wave{
			Name:    "Head office",
			Release: pc12,
			Rule:    `site="North Slip" disposition=ready`,
			Most:    12,
			Starts:  on(10),
			Ends:    on(20),
			Note:    "After the accounts of the month are closed",
		}, `site="North Slip" disposition=ready class=pc model="Slipway 14"`, time.Time{}); err != nil {
		return err
	}
	if err := s.SayOutcome(ctx, pilot, "lant-013", wave.Failed,
		"the set-up stopped at 62 %: a driver of the label printer could not be brought along",
		days(now, -16)); err != nil {
		return err
	}
	if err := s.SayOutcome(ctx, first, "holm-006", wave.Failed,
		"the battery ran empty in the middle of it; it started again with the former release",
		days(now, -1)); err != nil {
		return err
	}
	return arrive(ctx, s, now, "LANT-002", "LANT-008", "LANT-010", "LANT-012", "LANT-014", "HOLM-001", "HOLM-003",
		"HOLM-005")
}

// arrive hands in inventories of machines that run the release now.
func arrive(ctx context.Context, s Worker, now time.Time, names ...string) error {
	machines, err := fleet(now)
	if err != nil {
		return err
	}
	for _, d := range machines {
		if !slices.Contains(names, d.Device.Name.Or("")) {
			continue
		}
		d.OS.Name, d.OS.Version, d.OS.Build = some("Skerry 12"), some("12.0"), some("12.0.310")
		d.TakenAt = d.TakenAt.Add(now.Sub(d.TakenAt) / 2).UTC().Truncate(time.Second)
		if err := s.Load(ctx, d); err != nil {
			return err
		}
	}
	return nil
}

// week gives some visits a day of the next working days.
func week(ctx context.Context, s Worker, now time.Time) error {
	next := now
	for _, v := range []struct{ where, who, half string }{
		{`key=eelg-007,eelg-012,eelg-018`, "technician, east", ""},
		{`key=nslip-003,nslip-007,nslip-012,nslip-022`, "technician, head office", ""},
		{`key=corb-004,corb-007`, "technician, east", "am"},
		{`key=nslip-033,nslip-035`, "technician, head office", "pm"},
	} {
		next = next.AddDate(0, 0, 1)
		for next.Weekday() == time.Saturday || next.Weekday() == time.Sunday {
			next = next.AddDate(0, 0, 1)
		}
		err := s.AssignWork(ctx, v.where, v.who, "", day(next, 0).Format(time.DateOnly), v.half)
		if err != nil {
			return err
		}
	}
	return nil
}

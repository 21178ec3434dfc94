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
	AssignWork(ctx context.Context, where, who, note string) error
	SetWave(ctx context.Context, w wave.Wave, where string, handedOff time.Time) (int64, error)
	SayOutcome(ctx context.Context, wave int64, key, outcome, reason string, at time.Time) error
	SetBlackouts(ctx context.Context, list []wave.Blackout) error
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
		if err := s.AssignWork(ctx, g[0]+" disposition=reconfigure,refit", g[1], g[2]); err != nil {
			return err
		}
	}
	if err := s.AddModelFact(ctx, "Ostrel", "Bollard 300", "device.warranty_until",
		day(now, 400).Format(time.DateOnly), "contract with Quayside Supplies"); err != nil {
		return err
	}
	return waves(ctx, s, now)
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
	o, err := Load()
	if err != nil {
		return err
	}
	machines, err := o.Fleet(now)
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

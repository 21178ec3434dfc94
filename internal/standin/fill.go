package standin

import (
	"context"
	"time"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/internal/standin/recorded"
)

// Service is what the demo is filled into.
type Service interface {
	LoadRelease(ctx context.Context, name string, src []byte) error
	SetTarget(ctx context.Context, class, id string) error
	SetSites(ctx context.Context, byPrefix map[string]string) error
	Load(ctx context.Context, d *inventory.Document) error
	SetKnowledge(ctx context.Context, kind, text, by string) error
}

// Knowledge are the organisation's own steps, firmware guides and prices, by kind.
func Knowledge() map[string]string {
	out := map[string]string{}
	for _, kind := range knowledge.Kinds() {
		text, err := files.ReadFile("knowledge/" + kind + ".yaml")
		if err != nil {
			panic(err) // it is embedded
		}
		out[kind] = string(text)
	}
	return out
}

// Fill puts the organisation into a service and returns how many machines it
// has.
func Fill(ctx context.Context, s Service, now time.Time) (int, error) {
	o, err := Load()
	if err != nil {
		return 0, err
	}
	// The fleet was judged by the revision before, until the present one came in force.
	var present Release
	for _, r := range AllReleases() {
		if r.File == "skerry-12.yaml" {
			present = r
			continue
		}
		if err := s.LoadRelease(ctx, r.File, r.Text); err != nil {
			return 0, err
		}
	}
	for kind, text := range Knowledge() {
		if err := s.SetKnowledge(ctx, kind, text, "desktop support"); err != nil {
			return 0, err
		}
	}
	for class, id := range map[string]string{"pc": "skerry-12", "mac": "fathom-9"} {
		if err := s.SetTarget(ctx, class, id); err != nil {
			return 0, err
		}
	}
	sites := map[string]string{}
	for _, p := range o.Sites {
		sites[p.Prefix] = p.Name
	}
	if err := s.SetSites(ctx, sites); err != nil {
		return 0, err
	}
	machines, err := o.Fleet(now)
	if err != nil {
		return 0, err
	}
	captured, err := recorded.Inventories(now)
	if err != nil {
		return 0, err
	}
	for _, d := range Earlier(machines) {
		if err := s.Load(ctx, d); err != nil {
			return 0, err
		}
	}
	machines = append(machines, captured...)
	for _, d := range machines {
		if err := s.Load(ctx, d); err != nil {
			return 0, err
		}
	}
	if err := s.LoadRelease(ctx, present.File, present.Text); err != nil {
		return 0, err
	}
	return len(machines), s.SetTarget(ctx, "pc", "skerry-12")
}

// Host is a service that the demo's daily work is put into, too.
type Host interface {
	Service
	Tally(ctx context.Context) (map[[3]string]int, error)
	PutTally(ctx context.Context, day time.Time, counts map[[3]string]int) error
	Expect(ctx context.Context, list [][3]string) error
	Tag(ctx context.Context, where, tag string) error
	SetFilter(ctx context.Context, name, filter, by string) error
	Attester
	Worker
}

// Days of progress that the demo looks back on.
const Days = 56

// Furnish adds what two months of work leave behind in a filled service: tags, saved
// filters, machines that were expected and did not report, an inventory that may be
// another machine's, and how the counts came to be what they are.
func Furnish(ctx context.Context, s Host, now time.Time) error {
	for tag, where := range map[string]string{
		"season":         `site="Gull Quay","Lantern Pier" disposition=ready`,
		"workshop-visit": "disposition=refit",
	} {
		if err := s.Tag(ctx, where, tag); err != nil {
			return err
		}
	}
	for name, filter := range map[string]string{
		"Parts to order":                      "disposition=refit",
		"Ready now, not for the next":         "disposition=ready next=reconfigure,refit,replace",
		"Unread without administrator rights": "cause=needs-rights",
	} {
		if err := s.SetFilter(ctx, name, filter, "desktop support"); err != nil {
			return err
		}
	}
	if err := s.Expect(ctx, [][3]string{
		{"GULL-301", "", ""}, {"GULL-302", "", "off"}, {"HOLM-301", "", "no-network"},
		{"OUTER-301", "Outer Light", "no-network"}, {"NSLIP-301", "", "refused"}, {"CORB-301", "", ""},
		{"GULL-001", "", ""}, {"HOLM-001", "", ""},
	}); err != nil {
		return err
	}
	if err := without(ctx, s, now); err != nil {
		return err
	}
	if err := attest(ctx, s, now); err != nil {
		return err
	}
	if err := Employ(ctx, s, now); err != nil {
		return err
	}
	today, err := s.Tally(ctx)
	if err != nil {
		return err
	}
	for back := 1; back <= Days; back++ {
		if err := s.PutTally(ctx, now.AddDate(0, 0, -back), Before(today, back)); err != nil {
			return err
		}
	}
	return nil
}

// Before is how a day some days ago would have ended: settings were changed on about
// a third of the machines that are ready now, and some were not read yet.
func Before(today map[[3]string]int, back int) map[[3]string]int {
	out := make(map[[3]string]int, len(today))
	for key, n := range today {
		if key[1] == "pc" && key[2] == "done" && back > 1 { // those of the waves came to their target only yesterday
			came := min(n, map[string]int{"Lantern Pier": 5, "Holm Ferry": 3}[key[0]])
			ready := key
			ready[2] = "ready"
			out[key] -= came
			out[ready] += came
		}
		out[key] += n
		if key[2] != "ready" {
			continue
		}
		open := n * back / (3 * Days)
		unread := n * back / (8 * Days)
		for to, moved := range map[string]int{"reconfigure": open, "undetermined": unread} {
			key := key
			key[2] = to
			out[key] += moved
		}
		out[key] -= open + unread
	}
	return out
}

// fleet is the machines of the organisation.
func fleet(now time.Time) ([]*inventory.Document, error) {
	o, err := Load()
	if err != nil {
		return nil, err
	}
	return o.Fleet(now)
}

// without hands in an inventory that somebody took without rights, a while ago: only
// its name and model say which machine it is.
func without(ctx context.Context, s Host, now time.Time) error {
	machines, err := fleet(now)
	if err != nil {
		return err
	}
	for _, d := range machines {
		if d.Device.Name.Or("") != "LANT-004" {
			continue
		}
		var none inventory.Opt[string]
		d.Device.Serial, d.Device.UUID, d.Device.Board.Serial = none, none, none
		for _, name := range []string{"device.serial", "device.uuid", "device.board.serial"} {
			delete(d.Sources, name)
			d.DropGap(name)
			d.AddGap(name, inventory.NeedsRights, "", "Run the collector as administrator.")
		}
		d.TakenAt = d.TakenAt.AddDate(0, 0, -20)
		return s.Load(ctx, d)
	}
	return nil
}

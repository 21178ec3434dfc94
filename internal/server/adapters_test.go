package server_test

import (
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
)

// What no system tells of a graphics adapter is answered once for all machines of the model that have the adapter, and
// holds for those that come later.
func TestAnAdapterIsAnsweredOnce(t *testing.T) {
	t.Parallel()
	s := servertest.Start(t, nil)
	c := s.Client
	_, err := c.AddRelease(ctx, revised(t, 6,
		"    when: {fact: os.platform, equals: windows}\n"+
			`    need: {in: graphics, some: {fact: graphics.driver_model, at_least: "2.0"}}`,
		`    need: {in: graphics, some: {fact: graphics.interface_level, at_least: "12.0"}}`))
	expect.NoError(t, err)
	_, err = c.SetTargets(ctx, api.TargetSet{PC: "skerry-12"})
	expect.NoError(t, err)
	taken := time.Now().UTC().Add(-time.Hour)
	send := func(name, ids string, change func(*inventory.Document)) string {
		got, err := c.Submit(ctx, machine(t, func(d *inventory.Document) {
			d.Device.Name, d.Device.Serial = inventory.Some(name), inventory.Some("LL-"+name)
			d.Device.UUID, d.TakenAt = inventory.Opt[string]{}, taken
			vendor, device, _ := strings.Cut(ids, ":")
			d.Graphics = []inventory.Adapter{
				{VendorID: inventory.Some(vendor), DeviceID: inventory.Some(device)},
			}
			change(d)
		}))
		expect.NoError(t, err)
		return got.Disposition
	}
	submit := func(name, ids string) string {
		return send(name, ids, func(d *inventory.Document) {
			d.AddGap("graphics[0].interface_level", inventory.NotOffered, "the kernel does not tell it", "")
		})
	}
	submitOther := func(name, level string) {
		send(name, "7e5a:0c21", func(d *inventory.Document) {
			d.Device.Model, d.Graphics[0].InterfaceLevel = inventory.Some("Tern 2"), inventory.Some(level)
		})
	}
	expect.Same(t, "the first", submit("GULL-901", "7e5a:0c21"), "undetermined")
	expect.Same(t, "the same adapter in capitals", submit("GULL-902", "7E5A:0C21"), "undetermined")
	expect.Same(t, "another adapter", submit("GULL-903", "7e5a:0c22"), "undetermined")
	const fact = "graphics[7e5a:0c21].interface_level"
	expect.Same(t, "what nobody tells", questionOf(t, s, fact).Told, "")
	// The same adapter on machines of another model, under a system that tells its level.
	for name, level := range map[string]string{"GULL-905": "12.0", "GULL-906": "12.1", "GULL-907": "12.0"} {
		t.Run(name, func(t *testing.T) { submitOther(name, level) })
	}
	q := questionOf(t, s, fact)
	expect.Same(t, "what others tell", q.Told,
		"Other machines with this adapter tell 12.0 (two machines) and 12.1 (one machine); a driver may tell less "+
			"than the adapter can do.")
	expect.Same(t, "machines", q.Machines, 2)
	expect.Same(t, "the number leads to them", total(t, c, q.Where), 2)
	trial, err := c.AnswerQuestion(ctx, q.ID, api.AnswerQuestion{Value: "12.1", DryRun: true})
	expect.NoError(t, err)
	expect.Same(t, "machines of a trial", trial.Count, 2)
	_, err = c.SetFact(ctx, "gull-902", strings.Replace(fact, "7e5a", "7E5A", 1), api.SetFact{Value: "11.0"})
	expect.NoError(t, err)
	expect.Same(t, "what a person entered is not told", questionOf(t, s, fact).Told, q.Told)
	_, err = c.RemoveFact(ctx, "gull-902", fact)
	expect.NoError(t, err)
	for _, tt := range []struct{ name, fact, value, want string }{
		{"a value that is none", fact, "high", `"high" is not a value of graphics.interface_level`},
		{"a place in a list", "graphics[0].interface_level", "12.1", "pick an adapter by its PCI ids"},
		{"an adapter that no machine has", "graphics[7e5a:0c29].interface_level", "12.1",
			"has an adapter with the ids 7e5a:0c29"},
		{"ids that are none", "graphics[7e5a].interface_level", "12.1", "is not a position in a list"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			_, err := c.AddModelFact(ctx,
				api.AddModelFact{Maker: q.Maker, Model: q.Model, Fact: tt.fact, Value: tt.value})
			refused(t, tt.name, err, tt.want)
		})
	}
	_, err = c.AnswerQuestion(ctx, q.ID, api.AnswerQuestion{Value: "12.1", Note: "the maker's documents"})
	expect.NoError(t, err)
	ofModel := ` model="` + q.Model + `"`
	expect.Same(t, "those that have the adapter", total(t, c, "disposition=ready"+ofModel), 2)
	expect.Same(t, "the other", total(t, c, "disposition=undetermined"), 1)
	expect.Same(t, "one that comes later", submit("GULL-904", "7e5a:0c21"), "ready")
	m, err := c.Machine(ctx, "gull-904")
	expect.NoError(t, err)
	found := false
	for _, g := range m.Facts {
		for _, f := range g.Facts {
			found = found || strings.Contains(f.Source, "entered by hand for every Ostrel "+q.Model)
		}
	}
	expect.That(t, "the page says who entered it", found)
	got, err := c.AddModelFact(ctx, api.AddModelFact{Maker: q.Maker, Model: q.Model, Fact: fact, Value: "11.0"})
	expect.NoError(t, err)
	expect.Same(t, "machines that the fact is of", got.Machines, 3)
	expect.Same(t, "machines that pass no longer", total(t, c, "disposition=ready"+ofModel), 0)
	l, err := c.ModelFacts(ctx)
	expect.NoError(t, err)
	expect.Same(t, "machines of the list", l.Facts[0].Machines, 3)
	_, err = c.RemoveModelFact(ctx, l.Facts[0].ID)
	expect.NoError(t, err)
	expect.Same(t, "nothing is known without it", total(t, c, "disposition=undetermined"), 4)
}

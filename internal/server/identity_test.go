package server_test

import (
	"encoding/json"
	"testing"
	"time"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
)

// like is the inventory of a machine of the demo, changed.
func like(t *testing.T, s *servertest.Service, key string, change func(*inventory.Document)) []byte {
	t.Helper()
	b, err := s.Client.Inventory(ctx, key, 0)
	if err != nil {
		t.Fatal(err)
	}
	d, err := inventory.Read(key, b)
	if err != nil {
		t.Fatal(err)
	}
	change(d)
	if b, err = json.Marshal(d); err != nil {
		t.Fatal(err)
	}
	return b
}

var unknown inventory.Opt[string]

// A cloned UUID makes a machine of its own and a question for a person; their word
// joins the two, or leaves them.
func TestCloneIsAQuestion(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	clone := like(t, s, "gull-007", func(d *inventory.Document) {
		d.Device.Serial = inventory.Some("CLONE-1")
		d.Device.Name = inventory.Some("GULL-907")
		d.TakenAt = d.TakenAt.Add(time.Minute)
	})
	got, err := s.Client.Submit(ctx, clone)
	expect.NoError(t, err)
	expect.That(t, "got.Created", got.Created)
	expect.Contains(t, got.Note, "the UUID of GULL-007")
	again, err := s.Client.Submit(ctx, clone)
	expect.NoError(t, err)
	expect.That(t, "!again.Created", !again.Created)
	expect.Same(t, "again.Note", again.Note, "")
	l, err := s.Client.Duplicates(ctx)
	expect.NoError(t, err)
	expect.Same(t, "len(l.Duplicates)", len(l.Duplicates), 1)
	expect.Same(t, "l.Duplicates[0].Kind", l.Duplicates[0].Kind, "conflict")
	expect.Same(t, "l.Duplicates[0].OtherName", l.Duplicates[0].OtherName, "GULL-007")
	if n := total(t, s.Client, "duplicate=yes"); n != 2 {
		t.Errorf("%d machines are doubted", n)
	}
	d, err := s.Client.Machine(ctx, "gull-007")
	expect.NoError(t, err)
	expect.Same(t, "len(d.Duplicates)", len(d.Duplicates), 1)
	expect.That(t, "d.Duplicate", d.Duplicate)
	before := total(t, s.Client, "")
	if err := s.Client.ResolveDuplicate(ctx, l.Duplicates[0].ID, "same"); err != nil {
		t.Fatal(err)
	}
	// One machine is left, with both histories and the latest name.
	d, err = s.Client.Machine(ctx, "gull-007")
	expect.NoError(t, err)
	expect.Same(t, "d.Name", d.Name, "GULL-907")
	expect.That(t, "len(d.History) >= 2", len(d.History) >= 2)
	expect.Same(t, "len(d.Duplicates)", len(d.Duplicates), 0)
	expect.Same(t, `total(t, s.Client, "")`, total(t, s.Client, ""), before-1)
	d, err = s.Client.Machine(ctx, "gull-907") // its name now
	expect.NoError(t, err)
	expect.Same(t, "the key of the one that is left", d.Key, "gull-007")
	refused(t, "settled twice", s.Client.ResolveDuplicate(ctx, l.Duplicates[0].ID, "apart"),
		"there is no unresolved duplicate")
}

// Machines whose identifiers are what a maker leaves in all of them are machines of
// their own; where only the id of the installed system differs, a person is asked.
func TestBlankMachinesStayApart(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	before := total(t, s.Client, "")
	blank := func(name, system string) string {
		t.Helper()
		got, err := s.Client.Submit(ctx, like(t, s, "gull-008", func(d *inventory.Document) {
			d.Device.Serial = inventory.Some("To be filled by O.E.M.")
			d.Device.UUID = inventory.Some("03000200-0400-0500-0006-000700080009")
			d.Device.Board.Serial = inventory.Some("Default string")
			d.Device.Name = inventory.Some(name)
			d.Device.WeakKey = inventory.Some(system)
			d.TakenAt = d.TakenAt.Add(time.Minute)
		}))
		if err != nil {
			t.Fatal(err)
		}
		return got.Machine
	}
	a, b := blank("CORB-901", "w1"), blank("CORB-902", "w2")
	expect.That(t, "a != b", a != b)
	expect.Same(t, `total(t, s.Client, "")`, total(t, s.Client, ""), before+2)
	expect.Same(t, `total(t, s.Client, "duplicate=yes")`, total(t, s.Client, "duplicate=yes"), 0)
	twin := blank("CORB-901", "w3")
	if twin == "corb-901" || total(t, s.Client, "") != before+3 {
		t.Errorf("the twin is %s", twin)
	}
	l, err := s.Client.Duplicates(ctx)
	expect.NoError(t, err)
	expect.Same(t, "len(l.Duplicates)", len(l.Duplicates), 1)
	expect.Same(t, "l.Duplicates[0].Kind", l.Duplicates[0].Kind, "conflict")
	expect.Same(t, "l.Duplicates[0].OtherName", l.Duplicates[0].OtherName, "CORB-901")
	if renamed := blank("CORB-903", "w2"); renamed != "corb-902" || total(t, s.Client, "") != before+3 {
		t.Errorf("the renamed one is %s", renamed)
	}
}

// An inventory without rights joins the machine of its name and model, as a weak
// match; a person may take it out again.
func TestWeakMatchComesApart(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	weak := like(t, s, "gull-008", func(d *inventory.Document) {
		d.Device.Serial, d.Device.UUID, d.Device.Board.Serial = unknown, unknown, unknown
		d.OS.Build, d.TakenAt = inventory.Some("99"), d.TakenAt.Add(time.Minute)
	})
	got, err := s.Client.Submit(ctx, weak)
	expect.NoError(t, err)
	expect.That(t, "!got.Created", !got.Created)
	expect.Same(t, "got.Machine", got.Machine, "gull-008")
	expect.Contains(t, got.Note, "Only the host name and the model")
	l, err := s.Client.Duplicates(ctx)
	expect.NoError(t, err)
	expect.Same(t, "len(l.Duplicates)", len(l.Duplicates), 1)
	expect.Same(t, "l.Duplicates[0].Other", l.Duplicates[0].Other, "")
	expect.That(t, "l.Duplicates[0].Inventory != 0", l.Duplicates[0].Inventory != 0)
	if err := s.Client.ResolveDuplicate(ctx, l.Duplicates[0].ID, "apart"); err != nil {
		t.Fatal(err)
	}
	d, err := s.Client.Machine(ctx, "gull-008-2")
	if err != nil || len(d.History) != 1 {
		t.Fatalf("%+v %v", d, err)
	}
	// From now on the one without numbers is the second one.
	got, err = s.Client.Submit(ctx, weak)
	expect.NoError(t, err)
	expect.Same(t, "got.Machine", got.Machine, "gull-008-2")
	expect.Same(t, "got.Note", got.Note, "")
	first, err := s.Client.Machine(ctx, "gull-008")
	expect.NoError(t, err)
	expect.That(t, `first.Disposition != ""`, first.Disposition != "")
	expect.Lacks(t, first.Facts[0].Summary, "99")
}

// A fact that was looked up once holds for every machine of the model where it fills
// a gap, and goes when it is taken back.
func TestModelFact(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	where := `missing=processor.built_in_tpm model="Slipway 14"`
	missing := total(t, s.Client, where)
	all := total(t, s.Client, `maker=Ostrel model="Slipway 14"`)
	if missing == 0 || all == 0 {
		t.Fatalf("%d of %d lack it", missing, all)
	}
	got, err := s.Client.AddModelFact(ctx,
		api.AddModelFact{Maker: "Ostrel", Model: "Slipway 14", Fact: "tpm.header", Value: "true", Note: "data sheet"})
	if err != nil || got.Machines != all {
		t.Fatalf("%+v %v, of %d", got, err, all)
	}
	if n := total(t, s.Client, `tpm.header=true maker=Ostrel model="Slipway 14"`); n != all {
		t.Errorf("%d of %d have it", n, all)
	}
	// What comes in later has it, too; what a person entered for one machine counts more.
	keys, _ := s.Client.Machines(ctx, `maker=Ostrel model="Slipway 14"`, "name", 1, 1)
	one := keys.Machines[0].Key
	if _, err := s.Client.SetFact(ctx, one, "tpm.header", api.SetFact{Value: "false", Days: 30}); err != nil {
		t.Fatal(err)
	}
	if n := total(t, s.Client, `tpm.header=true maker=Ostrel model="Slipway 14"`); n != all-1 {
		t.Errorf("%d of %d have it", n, all)
	}
	// At its date the own fact ends, and the model's is back.
	s.Upkeep.Round(ctx, time.Now().AddDate(0, 0, 31), false)
	if n := total(t, s.Client, `tpm.header=true maker=Ostrel model="Slipway 14"`); n != all {
		t.Errorf("after its date %d of %d have it", n, all)
	}
	l, err := s.Client.ModelFacts(ctx)
	expect.NoError(t, err)
	expect.Same(t, "len(l.Facts)", len(l.Facts), 1)
	expect.Same(t, "l.Facts[0].Machines", l.Facts[0].Machines, all)
	if _, err := s.Client.RemoveModelFact(ctx, l.Facts[0].ID); err != nil ||
		total(t, s.Client, "tpm.header=true model=\"Slipway 14\"") != 0 {
		t.Errorf("it was not taken back: %v", err)
	}
	for want, f := range map[string]api.AddModelFact{
		"belongs to one machine": {Model: "Slipway 14", Maker: "Ostrel", Fact: "device.serial",
			Value: "x"},
		"no machine has the model": {Model: "Slipway 99", Fact: "tpm.header", Value: "true"},
		"is not a value":           {Model: "Slipway 14", Fact: "tpm.header", Value: "perhaps"},
	} {
		t.Run(want, func(t *testing.T) {
			_, err := s.Client.AddModelFact(ctx, f)
			refused(t, want, err, want)
		})
	}
}

// A machine's page tells how its disposition came about.
func TestDispositionOverTime(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	if _, err := s.Client.Submit(ctx, like(t, s, "gull-003", func(d *inventory.Document) {
		d.Memory.Installed = inventory.Some(int64(2 << 30))
		d.Memory.Visible = inventory.Opt[int64]{}
		d.Memory.Modules = nil
		d.TakenAt = d.TakenAt.Add(time.Minute)
	})); err != nil {
		t.Fatal(err)
	}
	d, err := s.Client.Machine(ctx, "gull-003")
	expect.NoError(t, err)
	expect.Same(t, "len(d.Changes)", len(d.Changes), 1)
	expect.Same(t, "d.Changes[0].Was", d.Changes[0].Was, "ready")
	expect.Same(t, "d.Changes[0].Becomes", d.Changes[0].Becomes, d.Disposition)
	expect.Same(t, "d.Changes[0].Cause", d.Changes[0].Cause, "inventory")
	expect.Same(t, "d.Changes[0].Release", d.Changes[0].Release, "skerry-12")
	// Other rules change many at once, each with its own line.
	if _, err := s.Client.SetTargets(ctx, api.TargetSet{PC: "skerry-13", Testing: true}); err != nil {
		t.Fatal(err)
	}
	l, err := s.Client.Machines(ctx, "disposition=refit class=pc", "name", 1, 1)
	if err != nil || len(l.Machines) == 0 {
		t.Fatalf("%+v %v", l, err)
	}
	changed := 0
	for _, key := range []string{"gull-002", "gull-004", "gull-005", "gull-006", "gull-008", l.Machines[0].Key} {
		if d, err := s.Client.Machine(ctx, key); err == nil && len(d.Changes) > 0 {
			if d.Changes[0].Cause == "rules" && d.Changes[0].Release == "skerry-13" {
				changed++
			}
		}
	}
	if changed == 0 {
		t.Error("no machine says that other rules changed it")
	}
	// The last change goes with its machine; the next one has another number, and waits
	// for whoever is told.
	again := func(key string, bytes int64) {
		t.Helper()
		if _, err := s.Client.Submit(ctx, like(t, s, key, func(d *inventory.Document) {
			d.Memory.Installed = inventory.Some(bytes)
			d.Memory.Visible = inventory.Opt[int64]{}
			d.Memory.Modules = nil
			d.TakenAt = d.TakenAt.Add(time.Minute)
		})); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := s.Client.SetTargets(ctx, api.TargetSet{PC: "skerry-12"}); err != nil {
		t.Fatal(err)
	}
	ready, err := s.Client.Machines(ctx, "disposition=ready class=pc", "name", 1, 2)
	if err != nil || len(ready.Machines) != 2 {
		t.Fatalf("%+v %v", ready, err)
	}
	again(ready.Machines[0].Key, 2<<30)
	s.AllowPrivateWebhooks(t)
	if _, err := s.Client.SetWebhook(ctx, "desk", api.SetWebhook{URL: "http://127.0.0.1:9/"}); err != nil {
		t.Fatal(err)
	}
	if err := s.Client.RemoveMachine(ctx, ready.Machines[0].Key); err != nil {
		t.Fatal(err)
	}
	again(ready.Machines[1].Key, 2<<30)
	h, err := s.Client.Webhooks(ctx)
	expect.NoError(t, err)
	expect.Same(t, "len(h.Webhooks)", len(h.Webhooks), 1)
	expect.Same(t, "h.Webhooks[0].Waiting", h.Webhooks[0].Waiting, 1)
}

// With another board, facts that were entered for the old one end.
func TestFactsEndWithTheBoard(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	if _, err := s.Client.Submit(ctx, like(t, s, "gull-009", func(d *inventory.Document) {
		d.Device.Board.Serial, d.TakenAt = inventory.Some("BOARD-1"), d.TakenAt.Add(time.Second)
	})); err != nil {
		t.Fatal(err)
	}
	if d, err := s.Client.SetFact(ctx, "gull-009", "tpm.header", api.SetFact{Value: "true"}); err != nil ||
		len(d.Hand) != 1 {
		t.Fatalf("%v", err)
	}
	if _, err := s.Client.Submit(ctx, like(t, s, "gull-009", func(d *inventory.Document) {
		d.Device.Board.Serial, d.TakenAt = inventory.Some("BOARD-2"), d.TakenAt.Add(time.Minute)
	})); err != nil {
		t.Fatal(err)
	}
	if d, err := s.Client.Machine(ctx, "gull-009"); err != nil || len(d.Hand) != 0 {
		t.Errorf("%+v %v", d.Hand, err)
	}
}

package assess_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/means"
)

const house = `format: rolltop-prices/1
currency: EUR
as_of: 2026-10-15
prices:
  - {part: memory-module, least: 18, most: 30}
  - {part: machine, least: 500, most: 900}
`

const boards = `format: rolltop-guides/1
guides:
  - {id: ostrel, title: Ostrel boards, maker: Ostrel, keys: {setup: F2}, settings: {secure-boot: {path: [Protection], name: Check what starts, set: "On"}}}
`

// planned checks a sound machine with changes, with prices and guides.
func planned(t *testing.T, change func(*doc)) *assess.Document {
	t.Helper()
	m, err := means.Read(means.Document{Name: "prices", Text: []byte(house)},
		means.Document{Name: "guides", Text: []byte(boards)})
	if err != nil {
		t.Fatal(err)
	}
	d := sound()
	d.Device.Board.Manufacturer, d.Device.Board.Model = some("Ostrel"), some("OB-300")
	change(d)
	a, err := assess.With(m, coretest.Release(t, "skerry-12"), d)
	if err != nil {
		t.Fatal(err)
	}
	return a.Document(now, "test")
}

func step(t *testing.T, c *assess.Document, id string) *assess.Step {
	t.Helper()
	i := slices.IndexFunc(c.Plan, func(s assess.Step) bool { return s.Step == id })
	if i < 0 {
		t.Fatalf("the plan has no %s: %s", id, c.Answer)
	}
	return &c.Plan[i]
}

func TestPlanSaysWhereWhoAndHowMuch(t *testing.T) {
	c := planned(t, with(memory(4, 1), func(d *doc) {
		d.Firmware.SecureBoot, d.Firmware.Password = some("off"), some("set")
		d.Storage.OtherSystems = []string{"Lodestar Linux"}
	}))
	add, secure, enter, other := step(t, c, "add-memory"), step(t, c, "secure-boot-on"), step(t, c, "enter-firmware"),
		step(t, c, "other-system")
	if len(add.Parts) != 1 || add.Parts[0].Cost != "EUR 18–30" || add.Who != "technician" || add.Back == "" {
		t.Errorf("the memory is %+v by %s", add.Parts, add.Who)
	}
	if secure.Where == nil || secure.Where.Says != "Protection › Check what starts: on." ||
		secure.Risk != "may-not-start" {
		t.Errorf("secure boot is at %+v, risk %q", secure.Where, secure.Risk)
	}
	if !slices.ContainsFunc(secure.Cautions,
		func(s string) bool { return strings.Contains(s, "Another system is on the disk") }) || other.Who != "owner" ||
		!slices.Contains(secure.After, other.Number) && !slices.Contains(secure.After, enter.Number) {
		t.Errorf("the other system is not thought of: %v, after %v", secure.Cautions, secure.After)
	}
	if !slices.Contains(enter.Cautions, "A firmware password is set. Have it at hand before the visit.") {
		t.Errorf("the firmware's password is not thought of: %v", enter.Cautions)
	}
	c2 := planned(t, func(d *doc) {
		d.Firmware.SecureBoot, d.Firmware.SettingsInterface = some("off"), some("firmware attributes")
	})
	if said := strings.Join(step(t, c2, "enter-firmware").Cautions, " "); !strings.Contains(said,
		"can be changed from its running system") || strings.Contains(said, "password") {
		t.Errorf("the settings interface is not thought of: %s", said)
	}
	if c.Firmware == nil || c.Firmware.Guide != "ostrel" || c.Firmware.Setup != "F2" || c.Firmware.General {
		t.Errorf("the guide is %+v", c.Firmware)
	}
	least, most, restarts := 0, 0, 0
	for _, s := range c.Plan {
		least, most, restarts = least+s.Minutes.Least, most+s.Minutes.Most, restarts+s.Restarts
	}
	if e := c.Effort; e.Minutes.Least != least || e.Minutes.Most != most || e.Restarts != restarts || e.Parts != 1 ||
		e.Cost == nil || e.Cost.Says != "EUR 18–30 by prices of 15 October 2026" || e.Cost.Missing != 0 {
		t.Errorf("the effort is %+v, %+v", e, e.Cost)
	}
	if !strings.HasPrefix(c.Stay, "Or it stays on Skerry 11, which is supported until 13 April 2027") {
		t.Errorf("staying is %q", c.Stay)
	}
}

// What a step waits for is said once: not again what those wait for.
func TestStepsWaitForTheNearest(t *testing.T) {
	c := planned(t, legacy)
	for _, s := range c.Plan {
		for _, n := range s.After {
			for _, m := range s.After {
				if m != n && slices.Contains(c.Plan[m-1].After, n) {
					t.Errorf("%s waits for %d and for %d, which waits for it", s.Step, n, m)
				}
			}
		}
	}
	if b := step(t, c, "boot-mode"); len(b.After) == 0 {
		t.Error("the boot mode waits for nothing")
	}
}

func TestReplacedMachineHasNothingFutile(t *testing.T) {
	c := planned(t, with(func(d *doc) { d.Processor.Architecture, d.OS.Architecture = some("x86"), some("x86") },
		noTPM))
	if c.Disposition != "replace" || c.Firmware != nil || c.Withheld == nil && c.Counts.Fail > 1 {
		t.Errorf("%s: firmware %v, withheld %v of %d fails", c.Disposition, c.Firmware, c.Withheld, c.Counts.Fail)
	}
	if e := c.Effort; e.Parts != 1 || e.Cost == nil || e.Cost.Says != "EUR 500–900 by prices of 15 October 2026" {
		t.Errorf("the new machine is %+v", e.Cost)
	}
	if c = planned(t, func(d *doc) {
		d.OS.Name = some("Skerry 10")
		d.OS.Version = some("10.4")
		d.Processor.Name = some("Corvane K5-6500")
	}); !strings.Contains(c.Stay,
		"Skerry 10, which is supported until 8 December 2026 (extended support until 14 December 2027") {
		t.Errorf("staying is %q", c.Stay)
	}
}

func TestConversion(t *testing.T) {
	places := func(kinds ...string) func(*doc) {
		return func(d *doc) {
			for _, k := range kinds {
				d.Storage.Boot.Partitions = append(d.Storage.Boot.Partitions, inventory.Partition{Kind: some(k)})
			}
		}
	}
	tests := []struct {
		name        string
		change      func(*doc)
		state, says string
		plan        string
	}{
		{"three places", places("primary", "primary", "primary"), "possible",
			"three places of its table taken, no logical ones, not dynamic", "convert-disk"},
		{"four places", places("primary", "primary", "primary", "primary"), "impossible",
			"all four places of its table are taken", "uefi-reinstall"},
		{"logical", places("primary", "extended", "logical"), "impossible", "it has logical partitions",
			"uefi-reinstall"},
		{"dynamic", func(d *doc) { d.Storage.Boot.Dynamic = some(true) }, "impossible", "it is dynamic",
			"uefi-reinstall"},
		{"another product", func(d *doc) {
			d.Storage.System.Encryption = inventory.Encryption{State: some("on"), Kind: some("other")}
		}, "impossible", "another product encrypts it", "uefi-reinstall"},
		{"nothing known", func(*doc) {}, "not-known", "the conversion tool's own test shows", "convert-disk"},
		{"failing", func(d *doc) { d.Storage.Disks[0].Health = some("bad") }, "not-known",
			"it is changed before anything is converted", "failing-drive"},
	}
	for _, tt := range tests {
		c := planned(t, with(legacy, func(d *doc) { d.Storage.Boot.Dynamic = some(false) }, tt.change))
		if c.Conversion == nil || c.Conversion.State != tt.state || !strings.Contains(c.Conversion.Says, tt.says) {
			t.Errorf("%s: %+v", tt.name, c.Conversion)
		}
		step(t, c, tt.plan)
	}
	if c := planned(t, func(*doc) {}); c.Conversion != nil {
		t.Errorf("there is nothing to convert: %+v", c.Conversion)
	}
}

// An alternative stands as either the one or the other, with why it was not
// taken.
func TestAlternatives(t *testing.T) {
	c := planned(t, func(d *doc) { d.Storage.System.FreeBytes = some(int64(9e9)) })
	s := step(t, c, "free-space")
	if len(s.Instead) != 1 || s.Instead[0].Step != "change-drive" || s.Instead[0].Says != "It asks for more." {
		t.Errorf("in its place: %+v", s.Instead)
	}
	for _, s := range c.Plan {
		for _, a := range s.Instead {
			if slices.ContainsFunc(c.Plan, func(p assess.Step) bool { return p.Step == a.Step }) {
				t.Errorf("%s stands in the plan and in place of %s", a.Step, s.Step)
			}
		}
	}
}

func TestTicks(t *testing.T) {
	c := planned(t, with(func(d *doc) { d.Firmware.SecureBoot = some("off") }))
	var byHand, seen string
	for _, p := range c.Preparation {
		switch p.State {
		case "by-hand":
			byHand = p.ID
		case "done":
			seen = p.ID
		}
	}
	if byHand == "" || seen == "" {
		t.Fatalf("the release has no such items: %+v", c.Preparation)
	}
	tick := func(item, state string, at time.Time) assess.Tick {
		return assess.Tick{Item: item, State: state, By: "technician of Gull Quay", At: at, Note: "on the share"}
	}
	c.Apply([]assess.Tick{tick("prepare/"+byHand, "done", now), tick("prepare/"+seen, "refused", now),
		tick("step/secure-boot-on", "done", c.Machine.TakenAt.Add(-time.Hour)),
		tick("step/check-again", "done", c.Machine.TakenAt.Add(-time.Hour)), tick("step/gone", "done", now)})
	for _, p := range c.Preparation {
		if p.ID == byHand && (p.State != "done" || p.Ticked == nil) || p.ID == seen && p.State != "refused" {
			t.Errorf("%s is %s", p.ID, p.State)
		}
	}
	if s := step(t, c, "secure-boot-on"); s.Ticked == nil || !s.Ticked.Stale ||
		!strings.Contains(s.Ticked.Says(), "The inventory taken since does not show it.") {
		t.Errorf("a tick without effect: %+v", s.Ticked)
	}
	if s := step(t, c, "check-again"); s.Ticked == nil || s.Ticked.Stale ||
		!strings.HasPrefix(s.Ticked.Says(), "Done, says technician of Gull Quay on ") {
		t.Errorf("a tick of what no program sees: %+v", s.Ticked)
	}
}

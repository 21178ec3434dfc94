package assess_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/internal/expect"
)

const prices = `format: rolltop-prices/1
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
	m, err := knowledge.Read(knowledge.Document{Name: "prices", Text: []byte(prices)},
		knowledge.Document{Name: "guides", Text: []byte(boards)})
	if err != nil {
		t.Fatal(err)
	}
	d := sound()
	d.Device.Board.Manufacturer, d.Device.Board.Model = inventory.Some("Ostrel"), inventory.Some("OB-300")
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
		d.Firmware.SecureBoot, d.Firmware.Password = inventory.Some("off"), inventory.Some("set")
		d.Storage.OtherSystems = []string{"Lodestar Linux"}
	}))
	add, secure, enter, other := step(t, c, "add-memory"), step(t, c, "secure-boot-on"), step(t, c, "enter-firmware"),
		step(t, c, "other-system")
	expect.Same(t, "len(add.Parts)", len(add.Parts), 1)
	expect.Same(t, "add.Parts[0].Cost", add.Parts[0].Cost, "EUR 18–30")
	expect.Same(t, "add.Who", add.Who, "technician")
	expect.That(t, `add.Back != ""`, add.Back != "")
	expect.That(t, "secure.Where != nil", secure.Where != nil)
	expect.Same(t, "secure.Where.Says", secure.Where.Says, "Protection › Check what starts: on.")
	expect.Same(t, "secure.Risk", secure.Risk, "may-not-start")
	expect.That(
		t,
		`slices.ContainsFunc(secure.Cautions, func(s string) bool { return strings.Contains(s, "Another system is on the disk") })`,
		slices.ContainsFunc(secure.Cautions,
			func(s string) bool { return strings.Contains(s, "Another system is on the disk") }),
	)
	expect.Same(t, "other.Who", other.Who, "owner")
	expect.That(t, `!(!slices.Contains(secure.After, other.Number) && !slices.Contains(secure.Af…`,
		!(!slices.Contains(secure.After, other.Number) && !slices.Contains(secure.After, enter.Number)))
	if !slices.Contains(enter.Cautions, "A firmware password is set. Have it ready before the visit.") {
		t.Errorf("the firmware's password is not thought of: %v", enter.Cautions)
	}
	c2 := planned(t, func(d *doc) {
		d.Firmware.SecureBoot = inventory.Some("off")
		d.Firmware.SettingsInterface = inventory.Some("firmware attributes")
	})
	if said := strings.Join(step(t, c2, "enter-firmware").Cautions, " "); !strings.Contains(said,
		"can also be changed from its running system") || strings.Contains(said, "password") {
		t.Errorf("the settings interface is not thought of: %s", said)
	}
	expect.That(t, "c.Firmware != nil", c.Firmware != nil)
	expect.Same(t, "c.Firmware.Guide", c.Firmware.Guide, "ostrel")
	expect.Same(t, "c.Firmware.Setup", c.Firmware.Setup, "F2")
	expect.That(t, "!c.Firmware.General", !c.Firmware.General)
	least, most, restarts := 0, 0, 0
	for _, s := range c.Plan {
		least, most, restarts = least+s.Minutes.Least, most+s.Minutes.Most, restarts+s.Restarts
	}
	e := c.Effort
	expect.Same(t, "e.Minutes.Least", e.Minutes.Least, least)
	expect.Same(t, "e.Minutes.Most", e.Minutes.Most, most)
	expect.Same(t, "e.Restarts", e.Restarts, restarts)
	expect.Same(t, "e.Parts", e.Parts, 1)
	expect.That(t, "e.Cost != nil", e.Cost != nil)
	expect.Same(t, "e.Cost.Says", e.Cost.Says, "EUR 18–30 by prices of 15 October 2026")
	expect.Same(t, "e.Cost.Missing", e.Cost.Missing, 0)
	if !strings.HasPrefix(c.Stay, "Or it stays on Skerry 11, which is supported until 13 April 2027") {
		t.Errorf("staying is %q", c.Stay)
	}
}

// Settings that the running system can change need no visit, if nothing else in the plan does.
func TestSettingsWithoutAVisit(t *testing.T) {
	offers := func(names ...string) func(*doc) {
		return func(d *doc) {
			d.Firmware.SecureBoot = inventory.Some("off")
			d.Firmware.SettingsInterface = inventory.Some("oxbow-settings")
			d.Firmware.SettingsOffered = names
		}
	}
	for _, c := range []struct {
		name    string
		machine func(*doc)
		phase   string
	}{
		{"offered", offers("secure-boot"), "remote"},
		{"another one is offered", offers("tpm"), "desk"},
		{"none is offered", offers(), "desk"},
		{"nothing is known", with(func(d *doc) { d.Firmware.SecureBoot = inventory.Some("off") }), "desk"},
		{"there is a visit anyway", with(offers("secure-boot"),
			memory(4, 1)), "desk"},
		{"the TPM, too, and only one is offered", with(offers("secure-boot"),
			func(d *doc) { d.TPM.State = inventory.Some("off") }), "desk"},
		{"both", with(offers("secure-boot", "tpm"), func(d *doc) { d.TPM.State = inventory.Some("off") }), "remote"},
		{"legacy support beside an add-in card", with(offers("legacy-support", "secure-boot"), func(d *doc) {
			d.Firmware.LegacySupport = inventory.Some(true)
			d.Device.Form = inventory.Some("desktop")
			d.Graphics = []inventory.Adapter{{Name: inventory.Some("Mere 3"), AddIn: inventory.Some(true)}}
		}), "desk"},
		{"legacy support of a laptop", with(offers("legacy-support", "secure-boot"), func(d *doc) {
			d.Firmware.LegacySupport = inventory.Some(true)
			d.Device.Form = inventory.Some("laptop")
		}), "remote"},
	} {
		t.Run(c.name, func(t *testing.T) {
			is := planned(t, c.machine)
			s := step(t, is, "secure-boot-on")
			remote := c.phase == "remote"
			enters := slices.ContainsFunc(is.Plan, func(s assess.Step) bool { return s.Step == "enter-firmware" })
			expect.Same(t, "the phase", s.Phase, c.phase)
			expect.Same(t, "who", s.Who, map[bool]string{true: "administrator", false: "technician"}[remote])
			expect.Same(t, "it is told how without a visit", strings.Contains(s.Do, "the running system"), remote)
			expect.Same(t, "the set-up is opened", enters, !remote)
			expect.Same(t, "its place in the set-up is said", s.Where != nil, !remote)
		})
	}
}

// A fact that the TPM contradicts is nothing to look up: the machine is examined.
func TestContradictedMachineIsExamined(t *testing.T) {
	conflict := func(id fact.ID, attestation string) func(*doc) {
		return func(d *doc) {
			if attestation != "" {
				d.TPM.Attestation = inventory.Some(attestation)
			}
			if id == fact.SecureBoot {
				d.Firmware.SecureBoot = inventory.Opt[string]{}
			} else {
				d.Memory.Installed = inventory.Opt[int64]{}
			}
			d.Gaps = append(
				d.Gaps,
				inventory.Gap{Fact: id.String(), Cause: inventory.Disagree, Readings: []inventory.Differ{
					{
						Value:  map[bool]string{true: "on", false: "4294967296"}[id == fact.SecureBoot],
						Source: "the system",
					},
					{
						Value:  map[bool]string{true: "off", false: "17179869184"}[id == fact.SecureBoot],
						Source: "another source",
					},
				}},
			)
		}
	}
	for _, c := range []struct {
		name    string
		machine func(*doc)
		want    string
	}{
		{"the TPM contradicts", conflict(fact.SecureBoot, "contradicted"), "examine-contradicted"},
		{"nothing was attested", conflict(fact.SecureBoot, ""), "enter-by-hand"},
		{"the TPM agrees", conflict(fact.SecureBoot, "attested"), "enter-by-hand"},
		{"a fact that no TPM attests", conflict(fact.MemoryInstalled, "contradicted"), "enter-by-hand"},
	} {
		t.Run(c.name, func(t *testing.T) {
			is := planned(t, c.machine)
			var steps []string
			for _, s := range is.Plan {
				if s.Step == "examine-contradicted" || s.Step == "enter-by-hand" {
					steps = append(steps, s.Step)
				}
			}
			expect.Same(t, "what is done about it", strings.Join(steps, " "), c.want)
		})
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
	c := planned(t, with(func(d *doc) {
		d.Processor.Architecture = inventory.Some("x86")
		d.OS.Architecture = inventory.Some("x86")
	},
		noTPM))
	expect.Same(t, "c.Disposition", c.Disposition, "replace")
	expect.That(t, "c.Firmware == nil", c.Firmware == nil)
	expect.That(t, "!(c.Withheld == nil && c.Counts.Fail > 1)", !(c.Withheld == nil && c.Counts.Fail > 1))
	e := c.Effort
	expect.Same(t, "e.Parts", e.Parts, 1)
	expect.That(t, "e.Cost != nil", e.Cost != nil)
	expect.Same(t, "e.Cost.Says", e.Cost.Says, "EUR 500–900 by prices of 15 October 2026")
	if c = planned(t, func(d *doc) {
		d.OS.Name = inventory.Some("Skerry 10")
		d.OS.Version = inventory.Some("10.4")
		d.Processor.Name = inventory.Some("Corvane K5-6500")
	}); !strings.Contains(c.Stay,
		"Skerry 10, which is supported until 8 December 2026 (extended support until 14 December 2027") {
		t.Errorf("staying is %q", c.Stay)
	}
}

func TestConversion(t *testing.T) {
	places := func(kinds ...string) func(*doc) {
		return func(d *doc) {
			for _, k := range kinds {
				d.Storage.Boot.Partitions = append(
					d.Storage.Boot.Partitions,
					inventory.Partition{Kind: inventory.Some(k)},
				)
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
			"three entries of its partition table used, no logical partitions, not dynamic", "convert-disk"},
		{"four places", places("primary", "primary", "primary", "primary"), "impossible",
			"all four entries of its partition table are used", "uefi-reinstall"},
		{"logical", places("primary", "extended", "logical"), "impossible", "it has logical partitions",
			"uefi-reinstall"},
		{"dynamic", func(d *doc) { d.Storage.Boot.Dynamic = inventory.Some(true) }, "impossible", "it is dynamic",
			"uefi-reinstall"},
		{"another product", func(d *doc) {
			d.Storage.System.Encryption = inventory.Encryption{
				State: inventory.Some("on"),
				Kind:  inventory.Some("other"),
			}
		}, "impossible", "another product encrypts it", "uefi-reinstall"},
		{"nothing known", func(*doc) {}, "not-known", "the conversion tool's own test shows", "convert-disk"},
		{"failing", func(d *doc) { d.Storage.Disks[0].Health = inventory.Some("bad") }, "not-known",
			"replace it before converting anything", "failing-drive"},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			c := planned(t, with(legacy, func(d *doc) { d.Storage.Boot.Dynamic = inventory.Some(false) }, tt.change))
			expect.That(t, "c.Conversion != nil", c.Conversion != nil)
			expect.Same(t, "c.Conversion.State", c.Conversion.State, tt.state)
			expect.That(t, "strings.Contains(c.Conversion.Says, tt.says)",
				strings.Contains(c.Conversion.Says, tt.says))
			step(t, c, tt.plan)
		})
	}
	if c := planned(t, func(*doc) {}); c.Conversion != nil {
		t.Errorf("there is nothing to convert: %+v", c.Conversion)
	}
}

// An alternative stands as either the one or the other, with why it was not
// taken.
func TestAlternatives(t *testing.T) {
	c := planned(t, func(d *doc) { d.Storage.System.FreeBytes = inventory.Some(int64(9e9)) })
	s := step(t, c, "free-space")
	expect.Same(t, "len(s.Instead)", len(s.Instead), 1)
	expect.Same(t, "s.Instead[0].Step", s.Instead[0].Step, "change-drive")
	expect.Same(t, "s.Instead[0].Says", s.Instead[0].Says, "It requires more.")
	for _, s := range c.Plan {
		for _, a := range s.Instead {
			if slices.ContainsFunc(c.Plan, func(p assess.Step) bool { return p.Step == a.Step }) {
				t.Errorf("%s stands in the plan and instead of %s", a.Step, s.Step)
			}
		}
	}
}

func TestTicks(t *testing.T) {
	c := planned(t, with(func(d *doc) { d.Firmware.SecureBoot = inventory.Some("off") }))
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
		switch p.ID {
		case byHand:
			expect.Same(t, p.ID, p.State, "done")
			expect.That(t, p.ID+" says who ticked it", p.Ticked != nil)
		case seen:
			expect.Same(t, p.ID, p.State, "refused")
		}
	}
	s := step(t, c, "secure-boot-on")
	expect.That(t, "s.Ticked != nil", s.Ticked != nil)
	expect.That(t, "s.Ticked.Stale", s.Ticked.Stale)
	expect.That(t, `strings.Contains(s.Ticked.Says(), "The latest inventory does not show it.")`,
		strings.Contains(s.Ticked.Says(), "The latest inventory does not show it."))
	s = step(t, c, "check-again")
	expect.That(t, "s.Ticked != nil", s.Ticked != nil)
	expect.That(t, "!s.Ticked.Stale", !s.Ticked.Stale)
	expect.That(t, `strings.HasPrefix(s.Ticked.Says(), "Done by technician of Gull Quay on ")`,
		strings.HasPrefix(s.Ticked.Says(), "Done by technician of Gull Quay on "))
}

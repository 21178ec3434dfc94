package guide_test

import (
	"strings"
	"testing"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/guide"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/expect"
)

const own = `format: rolltop-guides/1
guides:
  - id: ostrel
    title: Ostrel boards
    maker: ostrel*
    keys: {setup: F2}
    leave: F10.
    settings:
      tpm: {path: [Protection, Key chip], name: Key chip, set: In service}
  - id: ostrel-14
    title: Ostrel fourteen
    maker: "Ostrel*"
    models: ["OS-14*", "OS-15?"]
    keys: {setup: F1}
    settings:
      secure-boot: {name: Check what starts, set: "On"}
    facts: {tpm.header: false}
    update: {below: "1.12", to: "1.14", why: Secure boot stops otherwise.}
  - id: slashes
    title: Odd names
    maker: Fennick
    models: ["FT/2 [MN]"]
    keys: {setup: Delete}
`

func machine(maker, model, firmware string) *fact.Facts {
	d := &inventory.Document{}
	d.OS.Platform = inventory.Some("windows")
	d.Device.Board.Manufacturer, d.Device.Board.Model = inventory.Some(maker), inventory.Some(model)
	if firmware != "" {
		d.Firmware.Version = inventory.Some(firmware)
	}
	return fact.Read(d)
}

// What a guide does not say of its keys and of the way in and out, a more general one says, each by itself.
func TestKeysComeFromWhoeverNamesThem(t *testing.T) {
	for _, c := range []struct{ name, near, want string }{
		{"all from the nearer", "keys: {setup: F1, boot: F9}, enter: Twice., leave: F4.", "F1 F9 Twice. F4."},
		{"none from the nearer", "keys: {}", "F2 F8 Once. F10."},
		{"by turns", "keys: {setup: F1}, enter: Twice.", "F1 F8 Twice. F10."},
		{"the other way round", "keys: {boot: F9}, leave: F4.", "F2 F9 Once. F4."},
	} {
		t.Run(c.name, func(t *testing.T) {
			b := book(t, "format: rolltop-guides/1\nguides:\n"+
				"  - {id: near, title: Near, maker: Ostrel, models: [\"OS-14\"], "+c.near+"}\n"+
				"  - {id: far, title: Far, maker: Ostrel, keys: {setup: F2, boot: F8}, enter: Once., leave: F10.}\n")
			g := b.For(machine("Ostrel", "OS-14", ""))
			got := strings.Join([]string{g.Keys.Setup, g.Keys.Boot, g.Enter, g.Leave}, " ")
			expect.Same(t, "keys and ways", got, c.want)
		})
	}
}

func book(t *testing.T, src string) *guide.Book {
	t.Helper()
	b, err := guide.Read("guides.yaml", []byte(src))
	if err != nil {
		t.Fatal(err)
	}
	return b
}

// The closest guide speaks first, the next one fills what it does not say, and
// the general one the rest.
func TestClosestGuide(t *testing.T) {
	b := book(t, own)
	tests := []struct {
		maker, model, id, key, tpm, secure string
		general                            bool
	}{
		{"Ostrel", "OS-14B", "ostrel-14", "F1", "Protection › Key chip › Key chip: in service.",
			"Check what starts: on.", false},
		{"OSTREL", "os-15x", "ostrel-14", "F1", "Protection › Key chip › Key chip: in service.",
			"Check what starts: on.", false},
		{"Ostrel Works", "OB-300", "ostrel", "F2", "Protection › Key chip › Key chip: in service.",
			"Usually below Security or Boot, called Secure boot: on.", false},
		{"Fennick", "FT/2 M", "slashes", "Delete", "", "", false},
		{"Fennick", "FT/2 X", "general", "often F2, F10, Delete or Esc", "", "", true},
		{"", "", "general", "often F2, F10, Delete or Esc", "", "", true},
	}
	for _, tt := range tests {
		t.Run(tt.maker, func(t *testing.T) {
			g := b.For(machine(tt.maker, tt.model, ""))
			expect.Same(t, "g.ID", g.ID, tt.id)
			expect.Same(t, "g.Keys.Setup", g.Keys.Setup, tt.key)
			expect.Same(t, "g.General", g.General, tt.general)
			for name, want := range map[string]string{"tpm": tt.tpm, "secure-boot": tt.secure} {
				t.Run(name, func(t *testing.T) {
					s, ok := g.Setting(name)
					expect.That(t, tt.maker+" "+tt.model+": "+name, ok)
					if want != "" {
						expect.Same(t, tt.maker+" "+tt.model+": "+name, say.Where(&s), want)
					}
				})
			}
			if strings.Contains(say.Enter(g), "Names and menus differ") != tt.general {
				t.Errorf("%s %s: it says %q", tt.maker, tt.model, say.Enter(g))
			}
		})
	}
	if _, ok := b.For(machine("Ostrel", "OS-14B", "")).Setting("rocket"); ok {
		t.Error("a setting that no step changes is found")
	}
}

// Every setting that a step changes has the usual words at least.
func TestGeneralGuideKnowsEverySetting(t *testing.T) {
	g := guide.Shipped().For(machine("Nobody", "None", ""))
	for _, name := range remedy.Settings() {
		s, ok := g.Setting(name)
		expect.That(t, name+": ok", ok)
		expect.That(t, name+": len(s.Words) != 0", len(s.Words) != 0)
		expect.That(t, name+": s.Set != \"\"", s.Set != "")
		expect.That(t, name+": s.General", s.General)
	}
	if g.Enter == "" {
		t.Error("it does not say how to get in")
	}
}

// What a guide states of its boards fills gaps and overrides no reading.
func TestGuidesFillGaps(t *testing.T) {
	b := book(t, own)
	f := machine("Ostrel", "OS-14B", "1.3")
	b.Fill(f)
	h := f.Get(fact.TPMHeader)
	expect.That(t, "h.Value.Known()", h.Value.Known())
	expect.That(t, "!h.Value.Bool()", !h.Value.Bool())
	expect.Same(t, "h.Source", h.Source, "the firmware guide ostrel-14")
	if f.Value(fact.FirmwareUpdate).Text() != "1.14" {
		t.Error("the update is not asked for")
	}
	f = machine("Ostrel", "OS-14B", "1.12")
	f.Set(fact.TPMHeader, fact.Truth(true), "entered by hand")
	b.Fill(f)
	if !f.Value(fact.TPMHeader).Bool() || f.Value(fact.FirmwareUpdate).Known() {
		t.Error("a reading is overridden, or a machine that is up to date is updated")
	}
	f = machine("Fennick", "FT/2 M", "1.0")
	b.Fill(f)
	if f.Value(fact.TPMHeader).Known() {
		t.Error("another board's fact is taken")
	}
	guest := &inventory.Document{}
	guest.OS.Platform, guest.Device.Environment = inventory.Some("windows"), inventory.Some("guest")
	guest.Device.Board.Manufacturer, guest.Device.Board.Model = inventory.Some("Ostrel"), inventory.Some("OS-14B")
	f = fact.Read(guest)
	b.Fill(f)
	if f.Value(fact.TPMHeader).Known() {
		t.Error("a virtual machine has a board")
	}
}

func TestBadGuides(t *testing.T) {
	head := "format: rolltop-guides/1\nguides:\n"
	tests := []struct{ guides, want string }{
		{"  - {id: a, title: A, maker: Ostrel, models: [\"OS-[14\"]}",
			`3:47: guides[0].models[0]: the pattern "OS-[14" is invalid; * matches any text`},
		{"  - {id: a, title: A, maker: \"Ostrel[\"}", `the pattern "Ostrel[" is invalid`},
		{"  - {id: a, title: A, maker: \"\"}", "the guide has no maker"},
		{"  - {id: a, title: A, maker: Ostrel}\n  - {id: a, title: B, maker: Fennick}", `the guide "a" appears twice`},
		{"  - {id: a, title: A, maker: Ostrel, models: [X, Y]}\n  - {id: b, title: B, maker: ostrel, models: [y]}",
			"the guides a and b are both for ostrel y; put the two together"},
		{"  - {id: a, title: A, maker: Ostrel}\n  - {id: b, title: B, maker: Ostrel}",
			"the guides a and b are both for Ostrel"},
		{"  - {id: a, title: A, maker: Ostrel, settings: {tmp: {name: Chip}}}",
			`unknown setting "tmp"; did you mean "tpm"?`},
		{"  - {id: a, title: A, maker: Ostrel, facts: {tpm.state: ready}}",
			"a guide cannot state tpm.state; it states what no system tells: tpm.header"},
		{"  - {id: a, title: A, maker: Ostrel, facts: {tpm.header: maybe}}", `"maybe" is not a value of tpm.header`},
		{"  - {id: a, title: A, maker: Ostrel, update: {to: \"1.4\"}}", "an update needs both below and to"},
		{"  - {id: a, title: A, maker: Ostrel, colour: blue}", `unknown key "colour"`},
	}
	for _, tt := range tests {
		t.Run(tt.guides, func(t *testing.T) {
			_, err := guide.Read("guides", []byte(head+tt.guides))
			coretest.Refused(t, err, tt.want)
		})
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(own), "Ostrel", "OS-14B")
	f.Fuzz(func(_ *testing.T, src []byte, maker, model string) {
		if b, err := guide.Read("fuzz", src); err == nil {
			m := machine(maker, model, "1.0")
			b.Fill(m)
			b.For(m)
		}
	})
}

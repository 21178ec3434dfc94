package assess_test

import (
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/expect"
)

// checked is the document of a sound machine with changes, against a release.
func checked(t *testing.T, rel string, change func(*doc)) *assess.Document {
	t.Helper()
	d := sound()
	if change != nil {
		change(d)
	}
	return run(t, coretest.Release(t, rel), d).Document(now, "test")
}

func stepOf(c *assess.Document, id string) *assess.Step {
	for i := range c.Plan {
		if c.Plan[i].Step == id {
			return &c.Plan[i]
		}
	}
	return nil
}

// twoDisks: the system runs from one and starts from the other.
func twoDisks(d *doc) {
	legacy(d)
	d.Storage.Disks = []inventory.Disk{
		{
			Name:   inventory.Some("disk 0"),
			Model:  inventory.Some("Thole 256"),
			Kind:   inventory.Some("ssd"),
			Bytes:  inventory.Some(int64(256e9)),
			System: inventory.Some(true),
			Health: inventory.Some("good"),
		},
		{Name: inventory.Some("disk 1"), Kind: inventory.Some("hdd"), Bytes: inventory.Some(int64(1000e9))},
	}
	d.Storage.Boot.Disk = inventory.Some("disk 1")
}

func TestDisksHaveNames(t *testing.T) {
	c := checked(t, "skerry-12", twoDisks)
	convert := stepOf(c, "convert-disk")
	expect.That(t, "convert != nil", convert != nil)
	expect.Same(t, "convert.Title", convert.Title, "Convert disk 1 (1000 GB) to GPT")
	expect.Contains(t, convert.Do, "on disk 1 (1000 GB): first")
	c = checked(t, "skerry-12", func(d *doc) { twoDisks(d); d.Storage.Boot.Disk = inventory.Opt[string]{} })
	if convert = stepOf(c, "convert-disk"); convert == nil ||
		convert.Title != "Convert disk 0 (256 GB, Thole 256) to GPT" {
		t.Errorf("without a boot disk, the conversion is %+v", convert)
	}
	c = checked(t, "skerry-12", func(d *doc) {
		twoDisks(d)
		d.Storage.Boot.Disk = inventory.Opt[string]{}
		d.Storage.Disks[0].System = inventory.Some(false)
	})
	if convert = stepOf(c, "convert-disk"); convert == nil || !strings.Contains(convert.Title, "(unknown which)") {
		t.Errorf("with nothing known, the conversion is %+v", convert)
	}
	c = checked(t, "skerry-12", func(d *doc) { twoDisks(d); d.OS.Architecture = inventory.Some("x86") })
	install := stepOf(c, "uefi-reinstall")
	expect.That(t, "install != nil", install != nil)
	expect.Contains(t, install.Do, "install on disk 0 (256 GB, Thole 256), which is emptied")
	expect.Contains(t, strings.Join(install.Cautions, " "), "Everything on disk 0 (256 GB, Thole 256) is lost.")
	if c = checked(t, "skerry-12", legacy); stepOf(c, "convert-disk").Title != "Convert the disk to GPT" {
		t.Errorf("with one disk, the conversion is %q", stepOf(c, "convert-disk").Title)
	}
	c = checked(t, "skerry-12", func(d *doc) {
		twoDisks(d)
		d.Storage.Disks[1].Removable = inventory.Some(true)
		d.Storage.Boot.Disk = inventory.Opt[string]{}
	})
	if got := stepOf(c, "convert-disk").Title; got != "Convert the disk to GPT" {
		t.Errorf("beside a removable disk, the conversion is %q", got)
	}
}

func TestWhyAfresh(t *testing.T) {
	sites := func(d *doc) {
		for range 4 {
			d.Storage.Boot.Partitions = append(
				d.Storage.Boot.Partitions,
				inventory.Partition{Kind: inventory.Some("primary")},
			)
		}
	}
	for name, tt := range map[string]struct {
		change func(*doc)
		want   string
	}{
		"32-bit": {func(d *doc) { d.OS.Architecture = inventory.Some("x86") },
			"A clean installation is needed because the word size of the system is 32-bit (the upgrade takes " +
				"only 64-bit or 64-bit ARM)."},
		"too old": {func(d *doc) { d.OS.Version = inventory.Some("9.0") },
			"A clean installation is needed because the version of the installed release is 9.0 (the upgrade " +
				"takes 11.0 or later)."},
		"another system": {func(d *doc) { d.OS.Platform = inventory.Some("linux") },
			"A clean installation is needed because Skerry 12 does not upgrade the installed system."},
		"four partitions": {with(legacy, sites),
			"A clean installation in UEFI mode is needed. The disk cannot be converted: all four entries of its " +
				"partition table are used, and the conversion needs one."},
		"a guest": {with(legacy, guest),
			"The kind of firmware of a virtual machine cannot be changed, so a new one is made."},
		"in place": {nil, ""},
	} {
		t.Run(name, func(t *testing.T) {
			if c := checked(t, "skerry-12", tt.change); c.Route.Why != tt.want {
				t.Errorf("%s: %q, want %q", name, c.Route.Why, tt.want)
			} else if tt.want != "" && !saysAnywhere(c, tt.want) {
				t.Errorf("%s: no sentence says it", name)
			}
		})
	}
}

func TestWhenAVisitIsOfUse(t *testing.T) {
	secure := func(d *doc) { d.Firmware.SecureBoot = inventory.Some("off") }
	rel := asks(t, []string{must(`{fact: firmware.secure_boot, equals: "on"}`)},
		"upgrade: [{platform: windows, way: in-place}]\nsupport: [{release: Skerry 11, ends: 2027-04-13}]\noffered: "+
			"[{from: 2027-01-12, to: every machine}]")
	checked := func(change func(*doc)) *assess.Document {
		d := sound()
		change(d)
		return run(t, rel, d).Document(now, "test")
	}
	c := checked(with(secure, func(d *doc) { d.OS.HeldAt = inventory.Some("Skerry 11") }))
	want := "The visit waits until the hold of this machine is lifted. Skerry 12 is offered to this machine from " +
		"12 January 2027: the visit before that day is useless. It must be done by 13 April 2027, the last day of " +
		"support of Skerry 11."
	if got := strings.Join(c.When.Says, " "); got != want {
		t.Errorf("%q, want %q", got, want)
	}
	expect.That(t, "c.When.NotBefore != nil", c.When.NotBefore != nil)
	expect.That(t, "c.When.Latest != nil", c.When.Latest != nil)
	expect.That(t, "c.When.Held", c.When.Held)
	expect.That(t, "c.When.NotBefore.Equal(time.Date(2027, 1, 12, 0, 0, 0, 0, time.UTC))",
		c.When.NotBefore.Equal(time.Date(2027, 1, 12, 0, 0, 0, 0, time.UTC)))
	c = checked(func(*doc) {})
	expect.That(t, "c.When != nil", c.When != nil)
	expect.That(t, "!c.When.Held", !c.When.Held)
	expect.Contains(t, c.When.Says[0],
		"Skerry 12 is offered to this machine from 12 January 2027: the installation before that day is useless.")
	if c = checked(func(d *doc) { d.OS.Name = inventory.Some("Skerry 9") }); c.When == nil || c.When.Latest != nil {
		t.Errorf("a release of which no support is known: %+v", c.When)
	}
	late := now.AddDate(2, 0, 0)
	d := sound()
	if c = run(t, rel, d).Document(late, "test"); c.When != nil {
		t.Errorf("after the end of support: %+v", c.When)
	}
}

func TestWhatToBring(t *testing.T) {
	c := checked(t, "skerry-12", with(memory(4, 1), legacy, func(d *doc) {
		d.Firmware.Password = inventory.Some("set")
		d.Graphics = []inventory.Adapter{
			{Name: inventory.Some("Card"), DriverModel: inventory.Some("2.7"), AddIn: inventory.Some(true)},
		}
	}))
	got := strings.Join(c.Bring, "; ")
	for _, s := range []string{
		"a screwdriver that fits the case", "a wired keyboard", "a camera", "the firmware password",
		"a cable for the built-in graphics", "memory module",
	} {
		if strings.Count(got, s) != 1 {
			t.Errorf("%q does not say %q once", got, s)
		}
	}
	if c = checked(t, "skerry-12", func(d *doc) { d.OS.Architecture = inventory.Some("x86") }); strings.Join(c.Bring,
		"; ") != "the installation medium of Skerry 12, or the network that provides it" {
		t.Errorf("a clean installation takes %q", c.Bring)
	}
	full := func(d *doc) { d.Storage.System.FreeBytes = inventory.Some(int64(9e9)) }
	if c = checked(t, "skerry-12", full); c.Bring != nil {
		t.Errorf("remotely, somebody brings %q", c.Bring)
	}
}

// Advice that is not followed, and titles that nobody asks about, have steps apart.
func TestOptionalSteps(t *testing.T) {
	titles := func(d *doc) {
		d.Software = []inventory.Software{
			{Name: "Lampwright", Version: inventory.Some("3.0")}, {Name: "Tidebook", Version: inventory.Some("3.0")},
			{Name: "Counterfoil", Version: inventory.Some("4.0")},
		}
		d.Drivers = []inventory.Driver{{Device: "Pier label printer", Version: inventory.Some("5.0")}}
	}
	c := checked(t, "skerry-12", titles)
	got := map[string]*assess.Step{}
	for i := range c.Further {
		got[c.Further[i].Step] = &c.Further[i]
	}
	for id, s := range map[string]string{
		"remove-titles": "then remove Lampwright 3.0 with", "update-titles": "Update Tidebook 3.0 from",
		"buy-titles":     "the newer version of Counterfoil 4.0",
		"update-drivers": "Install the newer driver of Pier label printer",
	} {
		t.Run(id, func(t *testing.T) {
			if got[id] == nil || !strings.Contains(got[id].Do, s) {
				t.Errorf("%s is %+v", id, got[id])
			}
			if stepOf(c, id) != nil {
				t.Errorf("%s stands in the plan", id)
			}
		})
	}
	if got["buy-titles"] != nil {
		if len(got["buy-titles"].Parts) != 1 || got["buy-titles"].Parts[0].For != "Counterfoil 4.0" {
			t.Errorf("what is bought: %+v", got["buy-titles"].Parts)
		}
	}
	var weights []string
	for _, s := range c.Further {
		weights = append(weights, s.Step+" "+s.Weight)
	}
	expect.Same(t, "the weights", strings.Join(weights, ", "), "remove-titles required, buy-titles required, "+
		"update-titles advised, update-drivers advised")
	if len(got["remove-titles"].Settles) != 1 {
		t.Errorf("the removal settles %v", got["remove-titles"].Settles)
	}
	c.Apply([]assess.Tick{{Item: "step/remove-titles", State: "done", By: "x", At: now}})
	if c.Ticked("step/remove-titles") == nil {
		t.Error("an optional step cannot be ticked")
	}
	if c = checked(t, "skerry-12",
		with(titles, func(d *doc) { d.OS.Architecture = inventory.Some("x86") })); len(c.Further) > 0 {
		for _, s := range c.Further {
			if strings.Contains(s.Step, "titles") {
				t.Errorf("on an emptied disk: %s", s.Step)
			}
		}
	}
	if c = checked(t, "skerry-12",
		with(titles, func(d *doc) {
			d.OS.Name = inventory.Some("Skerry 12")
			d.OS.Version = inventory.Some("12.0")
		})); c.Further != nil {
		t.Errorf("on a machine that is done: %+v", c.Further)
	}
}

func TestWhatEnds(t *testing.T) {
	hawser := func(d *doc) { d.Software = []inventory.Software{{Name: "Hawser VPN", Version: inventory.Some("2.8")}} }
	says := func(c *assess.Document) map[string]string {
		out := map[string]string{}
		for _, e := range c.Ends {
			out[e.ID] = e.Says
		}
		return out
	}
	got := says(checked(t, "skerry-12", with(hawser, func(d *doc) { d.Drivers = []inventory.Driver{} })))
	expect.Same(t, `got["side-panel"]`, got["side-panel"],
		"The side panel is gone after the upgrade. What it showed is on the notice board of the start page.")
	expect.Same(t, `got["hawser-connections"]`, got["hawser-connections"],
		"Hawser VPN is different after the upgrade. Its stored connections have to be entered again.")
	expect.Same(t, `got["label-printer"]`, got["label-printer"], "")
	if got = says(checked(t, "skerry-12", nil)); !strings.HasPrefix(got["hawser-connections"],
		"If this machine has it: ") {
		t.Errorf("of a machine whose titles are unknown: %q", got)
	}
	if got = says(checked(t, "skerry-12",
		func(d *doc) {
			d.OS.Name = inventory.Some("Skerry 12")
			d.OS.Version = inventory.Some("12.0")
		})); len(got) != 0 {
		t.Errorf("on a machine that is done: %q", got)
	}
}

// A pause of the encryption that is there already is renewed, and ended.
func TestPausedEncryption(t *testing.T) {
	paused := func(d *doc) {
		d.Storage.System.Encryption = inventory.Encryption{
			State: inventory.Some("paused"),
			Kind:  inventory.Some("platform"),
		}
	}
	c := checked(t, "skerry-12", paused)
	got := planOf(c)
	expect.Same(t, "got", got, "resume-encryption")
	expect.Same(t, `stepOf(c, "resume-encryption").Phase`, stepOf(c, "resume-encryption").Phase, "remote")
	expect.Same(t, "c.Disposition", c.Disposition, "ready")
	c = checked(t, "skerry-12", with(paused, func(d *doc) { d.Firmware.SecureBoot = inventory.Some("off") }))
	if got := planOf(c); got != "recovery-key pause-encryption enter-firmware secure-boot-on check-again "+
		"resume-encryption" {
		t.Errorf("the plan is %s", got)
	}
	if said := strings.Join(stepOf(c, "pause-encryption").Cautions, " "); !strings.Contains(said, "already paused") ||
		!strings.Contains(said, "renew the pause") {
		t.Errorf("the pause says %q", said)
	}
	if said := strings.Join(c.Details, " "); strings.Contains(said,
		"Nothing says whether the system volume is encrypted") ||
		!strings.Contains(said, "is paused: the disk is not protected now") {
		t.Errorf("of a paused encryption it says %q", said)
	}
}

// The pause is for the restarts between it and its end, at the desk and at a host alike.
func TestThePauseCountsItsRestarts(t *testing.T) {
	on := encrypted("on", "platform")
	for name, tt := range map[string]struct {
		change func(*doc)
		want   string
	}{
		"a setting":   {with(on, secureOff), "Pause the encryption for one restart"},
		"a boot mode": {with(on, legacy), "Pause the encryption for two restarts"},
		"a guest": {with(guest, on, secureOff, memory(4, 1),
			func(d *doc) { d.TPM = inventory.TPM{State: inventory.Some("not-seen")} }),
			"Pause the encryption for three restarts"},
	} {
		t.Run(name, func(t *testing.T) {
			if s := stepOf(checked(t, "skerry-12", tt.change), "pause-encryption"); s == nil || s.Title != tt.want {
				t.Errorf("%s: %+v", name, s)
			}
		})
	}
}

// Partition types are signs of another system, and no boot entry takes them back.
func TestPartitionsAreSigns(t *testing.T) {
	c := checked(t, "skerry-12", with(legacy, func(d *doc) {
		d.Storage.Boot.Partitions = []inventory.Partition{
			{
				Kind: inventory.Some("primary"),
				Type: inventory.Some("07"),
			}, {Kind: inventory.Some("primary"), Type: inventory.Some("83")},
		}
	}))
	if got := planOf(c); !strings.Contains(got, "other-system") ||
		!saysAnywhere(c, "Another system is on the disk (Linux): ask first whether to keep it.") {
		t.Errorf("%s %q", got, c.Details)
	}
	c = checked(t, "skerry-12", with(legacy, func(d *doc) {
		d.Storage.Boot.Partitions = []inventory.Partition{{Kind: inventory.Some("primary"), Type: inventory.Some("07")}}
	}))
	if got := planOf(c); strings.Contains(got, "other-system") {
		t.Errorf("a partition for data: %s", got)
	}
}

// Settings of a host state their amounts.
func TestHostAmounts(t *testing.T) {
	c := checked(t, "skerry-12", with(guest, func(d *doc) {
		d.Memory.Installed = inventory.Some(int64(4 << 30))
		d.Memory.Visible = inventory.Some(int64(3 << 30))
		d.Processor.Cores = inventory.Some(int64(1))
		d.Processor.Threads = inventory.Some(int64(1))
	}))
	for id, want := range map[string]string{
		"host-memory": "Host: give the virtual machine 6 GiB of memory",
		"host-cores":  "Host: give the virtual machine 3 processor cores",
	} {
		t.Run(id, func(t *testing.T) {
			if s := stepOf(c, id); s == nil || s.Title != want {
				t.Errorf("%s is %+v", id, s)
			}
		})
	}
	c = checked(t, "skerry-12",
		with(guest, legacy, func(d *doc) {
			d.Memory.Installed = inventory.Some(int64(4 << 30))
			d.Memory.Visible = inventory.Some(int64(3 << 30))
		}))
	if s := stepOf(c, "new-guest"); s == nil ||
		!strings.Contains(s.Do, "with at least 6 GiB of memory, and otherwise as much as this one has") {
		t.Errorf("the new machine is %+v", s)
	}
}

// Of an installation in a way that is unknown nothing is claimed.
func TestHowItIsInstalled(t *testing.T) {
	c := checked(t, "skerry-12", func(d *doc) { d.OS.Version = inventory.Opt[string]{} })
	s := stepOf(c, "upgrade")
	expect.That(t, "s != nil", s != nil)
	expect.That(
		t,
		`strings.HasPrefix(s.Do, "Install the release by the route that the installed system allows, once that is known.")`,
		strings.HasPrefix(s.Do,
			"Install the release by the route that the installed system allows, once that is known."),
	)
	expect.Same(t, "s.Tell",
		s.Tell, "Your computer gets the new system. We will tell you in advance which of your programs and files "+
			"are kept.")
	if s = stepOf(checked(t, "skerry-12", nil), "upgrade"); !strings.HasPrefix(s.Do,
		"Install the release as an in-place upgrade.") ||
		s.Tell != "Your computer gets the new system. Programs, files and settings stay." {
		t.Errorf("in place: %+v", s)
	}
	image := asks(t, []string{must("{fact: memory.installed_bytes, at_least: 4 GiB}")},
		"upgrade: [{platform: windows, way: image}]")
	s = stepOf(run(t, image, sound()).Document(now, "test"), "image")
	expect.Contains(
		t,
		s.Do,
		"Install the release from its full image. What stays is unknown; the release document does "+
			"not say it.",
	)
	expect.Contains(t, s.Tell, "What stays is unknown")
	said := asks(t, []string{must("{fact: memory.installed_bytes, at_least: 4 GiB}")},
		"upgrade: [{platform: windows, way: image, keeps: [files]}]")
	c = run(t, said, sound()).Document(now, "test")
	expect.Contains(t, c.Route.Says, "files stay; programs and settings do not.")
	expect.Contains(t, stepOf(c, "image").Tell, "Files stay; programs and settings do not.")
	// What is encrypted needs its key before the image comes.
	c = on(t, said, func(d *doc) { d.Storage.System.Encryption.State = inventory.Some("on") })
	expect.That(t, "the recovery key is asked for", stepOf(c, "recovery-key") != nil)
}

// Where the document says for how long the system itself can go back, the step says it.
func TestTheWayBack(t *testing.T) {
	if s := stepOf(checked(t, "skerry-12", nil), "upgrade"); !strings.HasPrefix(s.Back,
		"For ten days the system itself can go back") {
		t.Errorf("the way back is %q", s.Back)
	}
	plain := asks(t, []string{must("{fact: memory.installed_bytes, at_least: 4 GiB}")},
		"upgrade: [{platform: windows, way: in-place, keeps: [files]}]")
	s := stepOf(run(t, plain, sound()).Document(now, "test"), "upgrade")
	if s.Back != "Use the full copy of the disk. Whether the system itself can go back is unknown." ||
		s.Tell != "Your computer gets the new system. Files stay; programs and settings do not." {
		t.Errorf("the way back is %q, and its user hears %q", s.Back, s.Tell)
	}
}

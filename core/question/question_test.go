package question_test

import (
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/question"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/internal/expect"
)

// add checks a machine of which little is known, and asks what is not.
func add(t *testing.T, l *question.List, r fleet.Row, change func(*inventory.Document)) {
	t.Helper()
	d := &inventory.Document{Format: inventory.Format}
	d.OS.Platform = inventory.Some("windows")
	change(d)
	facts := fact.Read(d)
	res, err := check.Run(coretest.Release(t, "skerry-12"), facts)
	if err != nil {
		t.Fatal(err)
	}
	l.Add(res, facts, &r)
}

func ofModel(key string) fleet.Row {
	return fleet.Row{Key: key, Name: key, Manufacturer: "Fennick", Model: "Tern 2"}
}

// find is the question about a fact and a cause; nil where nobody asks it.
func find(l *question.List, def, cause string) *question.Question {
	for _, q := range l.Sorted() {
		if q.Fact == def && q.Cause == cause {
			return &q
		}
	}
	return nil
}

func TestOneQuestionForManyMachines(t *testing.T) {
	l := &question.List{Where: "site=East", Steps: remedy.Shipped()}
	named := func(d *inventory.Document) { d.Processor.Name = inventory.Some("Corvane Q1") }
	add(t, l, ofModel("gull-1"), named)
	add(t, l, ofModel("gull-2"), named)
	q := find(l, "processor.name", fleet.NotListed)
	if q == nil {
		t.Fatalf("nobody asks about the processor: %+v", l.Sorted())
	}
	if q.Machines != 2 || q.Answer != question.ForRelease {
		t.Errorf("%d machines, answered for %s", q.Machines, q.Answer)
	}
	if want := `site=East processor.name="Corvane Q1" disposition=undetermined`; q.Where != want {
		t.Errorf("its machines are %s, not %s", q.Where, want)
	}
	if want := "Corvane Q1: is it supported? No row of the list and no naming rule reads it."; q.Says != want {
		t.Errorf("it says %q", q.Says)
	}
}

// A machine with two findings about one fact counts once.
func TestAMachineCountsOnce(t *testing.T) {
	l := &question.List{Steps: remedy.Shipped()}
	add(t, l, ofModel("gull-1"), func(*inventory.Document) {})
	for _, q := range l.Sorted() {
		if q.Machines != 1 {
			t.Errorf("%s: %d machines", q.Says, q.Machines)
		}
	}
	if len(l.Sorted()) == 0 {
		t.Error("nothing is asked of a machine of which nothing is known")
	}
}

// What a model can do is asked once for the model; how a machine is set up, of each machine; what
// only rights hide is no question.
func TestWhereTheAnswerIsKept(t *testing.T) {
	gap := func(name, cause string) func(*inventory.Document) {
		return func(d *inventory.Document) { d.Gaps = []inventory.Gap{{Fact: name, Cause: cause}} }
	}
	nameless := fleet.Row{Key: "gull-3", Name: "gull-3"}
	for _, tt := range []struct {
		name, fact, cause string
		row               fleet.Row
		answer, where     string // "": nobody asks
	}{
		{"what the model can do", "firmware.secure_boot_capable", inventory.NotOffered, ofModel("gull-1"),
			question.ForModel, `missing=firmware.secure_boot_capable model="Tern 2" disposition=undetermined`},
		{"how the machine is set up", "firmware.secure_boot", inventory.NotOffered, ofModel("gull-1"),
			question.ForMachine, `missing=firmware.secure_boot model="Tern 2" disposition=undetermined`},
		{"a machine without a model", "firmware.secure_boot_capable", inventory.NotOffered, nameless,
			question.ForMachine, "key=gull-3"},
		{"sources that disagree", "firmware.secure_boot", inventory.Disagree, ofModel("gull-1"),
			question.ForMachine, "key=gull-1"},
		{"what only rights hide", "firmware.secure_boot", inventory.NeedsRights, ofModel("gull-1"), "", ""},
	} {
		t.Run(tt.name, func(t *testing.T) {
			l := &question.List{Steps: remedy.Shipped()}
			add(t, l, tt.row, gap(tt.fact, tt.cause))
			q := find(l, tt.fact, tt.cause)
			if (q != nil) != (tt.answer != "") {
				t.Fatalf("the question is %+v", q)
			}
			if q != nil {
				if q.Answer != tt.answer || q.Where != tt.where {
					t.Errorf("answered for %s at %s", q.Answer, q.Where)
				}
			}
		})
	}
}

// What an adapter can do is asked once for all machines of the model that have it. The release that asks for it is the
// demo's, with another need.
func TestAnAdapterIsAskedAboutOnce(t *testing.T) {
	text := strings.NewReplacer("    when: {fact: os.platform, equals: windows}\n", "",
		`{fact: graphics.driver_model, at_least: "2.0"}`, `{fact: graphics.interface_level, at_least: "12.0"}`,
	).Replace(string(coretest.Text(t, "skerry-12")))
	rel, err := release.Read("skerry-12.yaml", []byte(text), coretest.Beside)
	expect.NoError(t, err)
	adapter := func(ids, level string) inventory.Adapter {
		var a inventory.Adapter
		if vendor, device, ok := strings.Cut(ids, ":"); ok {
			a.VendorID, a.DeviceID = inventory.Some(vendor), inventory.Some(device)
		}
		if level != "" {
			a.InterfaceLevel = inventory.Some(level)
		}
		return a
	}
	asked := func(r fleet.Row, change func(*inventory.Document), adapters ...inventory.Adapter) []question.Question {
		d := &inventory.Document{Format: inventory.Format, Graphics: adapters}
		if change != nil {
			change(d)
		}
		f := fact.Read(d)
		res, err := check.Run(rel, f)
		expect.NoError(t, err)
		l := &question.List{Steps: remedy.Shipped()}
		l.Add(res, f, &r)
		return slices.DeleteFunc(l.Sorted(), func(q question.Question) bool {
			return !strings.HasPrefix(q.Fact, "graphics[")
		})
	}
	level := fact.AdapterLevel.Def().In
	got := asked(ofModel("gull-1"), nil, adapter("7E5A:0C21", ""), adapter("7e5a:0c22", ""))
	expect.Same(t, "questions", len(got), 2)
	first := got[0]
	expect.Same(t, "the fact", first.Fact, level("7e5a:0c21"))
	expect.Same(t, "where", first.Where,
		`unknown=graphics graphics.adapters=7e5a:0c21 model="Tern 2" disposition=undetermined`)
	expect.Same(t, "answered for", first.Answer, question.ForModel)
	expect.Contains(t, first.Says, "Tern 2: what is “graphics interface level” of the adapter 7e5a:0c21?")
	other := asked(ofModel("gull-2"), nil, adapter("7e5a:0c21", ""))
	expect.Same(t, "the question of another machine", other[0].ID, first.ID)
	nameless := asked(fleet.Row{Key: "gull-3", Name: "gull-3"}, nil, adapter("7e5a:0c21", ""))
	expect.Same(t, "a machine without a model", nameless[0].Answer, question.ForMachine)
	expect.Same(t, "where it is", nameless[0].Where, "key=gull-3")
	for _, tt := range []struct {
		name   string
		a      inventory.Adapter
		change func(*inventory.Document)
	}{
		{"a level that is known", adapter("7e5a:0c21", "12.1"), nil},
		{"an adapter without ids", adapter("", ""), nil},
		{"a list that is not whole", adapter("7e5a:0c21", ""), func(d *inventory.Document) {
			d.AddGap("graphics", inventory.ReadFailed, "", "")
		}},
		{"an adapter beside it without ids", adapter("7e5a:0c21", ""), func(d *inventory.Document) {
			d.Graphics = append(d.Graphics, adapter("", ""))
		}},
		{"what only rights hide", adapter("7e5a:0c21", ""), func(d *inventory.Document) {
			d.AddGap(level("0"), inventory.NeedsRights, "", "")
		}},
		{"sources that disagree", adapter("7e5a:0c21", ""), func(d *inventory.Document) {
			d.Gaps = append(d.Gaps, inventory.Gap{Fact: level("0"), Cause: inventory.Disagree,
				Readings: []inventory.Differ{{Value: "11.0", Source: "a"}, {Value: "12.0", Source: "b"}}})
		}},
	} {
		t.Run(tt.name, func(t *testing.T) {
			expect.Same(t, "questions", len(asked(ofModel("gull-1"), tt.change, tt.a)), 0)
		})
	}
}

// The question of the most machines comes first.
func TestOrderOfQuestions(t *testing.T) {
	l := &question.List{Steps: remedy.Shipped()}
	for _, name := range []string{"Corvane Q1", "Corvane Q2", "Corvane Q2"} {
		add(t, l, ofModel("gull-1"), func(d *inventory.Document) { d.Processor.Name = inventory.Some(name) })
	}
	list := l.Sorted()
	for i := 1; i < len(list); i++ {
		if list[i].Machines > list[i-1].Machines {
			t.Errorf("%d machines stand behind %d", list[i].Machines, list[i-1].Machines)
		}
	}
}

package server_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/server"
	"rolltop.example/rolltop/internal/servertest"
)

// A change of many machines first shows which, is one entry of the audit log that each machine finds, and is undone as
// one; what was changed again since stays.
func TestChangesOfManyMachinesAreUndoneAsOne(t *testing.T) {
	t.Parallel()
	m := newMonth(t)
	m.morning()
	c := m.s.Client
	where := `site="Holm Ferry" class=pc`
	all := m.total(where)
	tagged := func() (n int) {
		l, err := c.MachineList(ctx, client.List{Where: where, Size: 500})
		expect.NoError(t, err)
		for i := range l.Machines {
			if slices.Contains(l.Machines[i].Tags, "spring") {
				n++
			}
		}
		return n
	}
	yes := true
	change := api.MachineChanges{Where: where, Tag: []string{"spring"}, Retire: nil}

	trial := change
	trial.DryRun = true
	got, err := c.Change(ctx, trial)
	expect.NoError(t, err)
	expect.Same(
		t,
		"a dry run",
		fmt.Sprint(got.Changed, got.DryRun, got.Change, tagged()),
		fmt.Sprintf("%d true 0 0", all),
	)
	expect.Contains(t, got.Says, "would be changed")

	before := audit(t, m, "")
	got, err = c.Change(ctx, change)
	expect.NoError(t, err)
	expect.Same(t, "changed", fmt.Sprint(got.Changed, len(got.Machines), tagged()),
		fmt.Sprintf("%d %d %d", all, min(all, 20), all))
	expect.Same(t, "entries of the audit log", len(audit(t, m, ""))-len(before), 1)
	one, other := got.Machines[0], got.Machines[1]
	found := audit(t, m, one.Key)
	if len(found) == 0 {
		t.Fatalf("%s does not find the change", one.Key)
	}
	expect.Same(t, "the change that a machine finds", found[0].Change, got.Change)

	// One machine is changed again, so that its part of the change is not undone.
	_, err = c.Change(ctx, api.MachineChanges{Keys: []string{other.Key}, Retire: &yes})
	expect.NoError(t, err)
	try, err := c.Undo(ctx, got.Change, true)
	expect.NoError(t, err)
	expect.Same(t, "undone in a dry run", fmt.Sprint(try.Undone, try.Kept, tagged()),
		fmt.Sprintf("%d 1 %d", all-1, all-1)) // the retired one is out of lists
	undone, err := c.Undo(ctx, got.Change, false)
	expect.NoError(t, err)
	expect.Same(t, "undone", fmt.Sprint(undone.Undone, undone.Kept, tagged(), undone.KeptMachines[0].Key),
		fmt.Sprintf("%d 1 0%s", all-1, other.Key))
	expect.Same(t, "the other's tag", m.total("tag=spring retired=yes"), 1)
	_, err = c.Undo(ctx, got.Change, false)
	refused(t, "undone twice", err, "was undone by")
	_, err = c.Undo(ctx, 999, false)
	refused(t, "a change that is not there", err, "there is no change 999")
	expect.That(t, "the audit log shows it", !audit(t, m, one.Key)[0].At.IsZero() && anyUndone(audit(t, m, one.Key)))
}

func anyUndone(list []api.AuditEntry) bool {
	return slices.ContainsFunc(list, func(a api.AuditEntry) bool { return !a.Undone.IsZero() })
}

func audit(t *testing.T, m *month, subject string) []api.AuditEntry {
	t.Helper()
	l, err := m.s.Client.Audit(ctx, "", subject, "", 100)
	expect.NoError(t, err)
	return l.Entries
}

// Work is given to somebody on a day: not over somebody's head, not on a day on which nobody works, not to somebody who
// has left, and not more than a day holds. It can be undone.
func TestVisitsHaveDays(t *testing.T) {
	t.Parallel()
	m := newMonth(t)
	m.morning()
	c := m.s.Client
	const where = `site="Gull Quay" disposition=reconfigure`
	set := func(name string, n api.SetTechnician) {
		t.Helper()
		_, err := c.SetTechnician(ctx, name, n)
		expect.NoError(t, err)
	}
	expect.NoError(t, c.SetBlackout(ctx, api.Blackouts{Days: []api.Blackout{
		{From: m.day(3), To: m.day(3), Reason: "market"}}}))
	_, err := c.Assign(ctx, api.Assign{Where: where, Who: "anybody"})
	expect.NoError(t, err)
	set("technician, east", api.SetTechnician{Minutes: 60})
	set("technician, west", api.SetTechnician{LeftOn: m.day(-1)})
	visits := m.worklist().Stops
	at := slices.IndexFunc(visits, func(s api.Stop) bool { return s.Site == "Gull Quay" })
	one := visits[at].Visits[0]
	for _, tt := range []struct {
		name string
		a    api.Assign
		want string
	}{
		{"no machines", api.Assign{Who: "technician, east"}, "the machines are missing"},
		{"somebody else's", api.Assign{Where: where, Who: "technician, east"}, "assigned to anybody"},
		{"somebody who has left", api.Assign{Where: where, Who: "technician, west", Overwrite: true}, "has left on"},
		{"nobody's name", api.Assign{Where: where, Who: "technician, eats"}, `did you mean "technician, east"?`},
		{"a day that is over", api.Assign{Where: where, Day: m.day(-1)}, "is in the past"},
		{"a day that is none", api.Assign{Where: where, Day: "soon"}, "is not a day"},
		{"a blackout day", api.Assign{Where: where, Day: m.day(3)},
			"is a blackout day (market); the next allowed day is " + m.day(4)},
		{"half of no day", api.Assign{Where: where, Half: "am", Note: "x"}, "needs a day"},
		{"another half", api.Assign{Where: where, Day: m.day(1), Half: "mm"}, "use am or pm"},
		{"a full day", api.Assign{Where: where, Who: "technician, east", Day: m.day(1), Overwrite: true},
			"has 60 minutes for visits on"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			_, err := c.Assign(ctx, tt.a)
			refused(t, tt.name, err, tt.want)
			expect.Same(t, "still assigned", m.total("assigned=anybody "+where), m.total(where))
		})
	}
	got, err := c.Assign(ctx, api.Assign{Keys: []string{one.Key}, Who: "technician, east", Day: m.day(1), Half: "am",
		Note: "the boat leaves at 8:15", Overwrite: true, Overbook: one.Minutes.Most > 30})
	expect.NoError(t, err)
	expect.Same(t, "visits of the day", fmt.Sprint(m.keys("visit="+m.day(1))), "["+one.Key+"]")
	l, err := c.Technicians(ctx)
	expect.NoError(t, err)
	expect.Same(t, "booked", fmt.Sprint(l.Technicians[0].Name, l.Technicians[0].Booked[0].Minutes),
		fmt.Sprint("technician, east", one.Minutes.Most))

	cal, err := c.Calendar(ctx, "assigned=\"technician, east\"")
	expect.NoError(t, err)
	day := strings.ReplaceAll(m.day(1), "-", "")
	for _, want := range []string{"BEGIN:VCALENDAR", "DTSTART:" + day + "T080000", "DTEND:" + day + "T120000",
		"Gull Quay",
		one.Name} {
		expect.Contains(t, string(cal), want)
	}
	cal, err = c.Calendar(ctx, `site="Holm Ferry"`)
	expect.NoError(t, err)
	expect.That(t, "a calendar of nothing has no event", !strings.Contains(string(cal), "VEVENT"))
	page, err := c.VisitSheet(ctx, "visit="+m.day(1))
	expect.NoError(t, err)
	for _, want := range []string{"One visit at Gull Quay on", ", morning: technician, east", one.Name} {
		expect.Contains(t, string(page), want)
	}
	page, err = c.VisitSheet(ctx, "storage.system.encryption.state=on disposition=reconfigure class=pc")
	expect.NoError(t, err)
	expect.Contains(t, string(page), "Recovery keys of the encrypted disks")
	d, err := c.Machine(ctx, one.Key)
	expect.NoError(t, err)
	expect.Contains(t, standing(&d, "visit"), "Its visit is assigned to technician, east, on ")
	_, err = c.Undo(ctx, got.Change, false)
	expect.NoError(t, err)
	expect.Same(t, "undone", m.total("assigned=anybody key="+one.Key), 1)
}

// standing is the sentence of a kind on a machine.
func standing(d *api.Machine, kind string) string {
	for _, s := range d.Standing {
		if s.Kind == kind {
			return s.Says
		}
	}
	return ""
}

// kindsOf are the kinds of what is said of a machine, in their order.
func kindsOf(d *api.Machine) string {
	var kinds []string
	for _, s := range d.Standing {
		kinds = append(kinds, s.Kind)
	}
	return strings.Join(kinds, " ")
}

// A step is recorded on many machines at once, on those that have it; it is undone as one.
func TestTicksOfManyMachines(t *testing.T) {
	t.Parallel()
	m := newMonth(t)
	m.morning()
	c := m.s.Client
	where := "disposition=reconfigure class=pc"
	having := m.total(where + " step=tpm-on")
	got, err := c.TickMany(ctx, api.TickMany{Where: where, Item: "step/tpm-on", State: "done"})
	expect.NoError(t, err)
	expect.Same(
		t,
		"recorded and skipped",
		fmt.Sprint(got.Changed, got.Skipped),
		fmt.Sprint(having, m.total(where)-having),
	)
	key := got.Machines[0].Key
	d, err := c.Machine(ctx, key)
	expect.NoError(t, err)
	expect.Contains(t, standing(&d, "ticks"), "recorded as done")
	_, err = c.TickMany(ctx, api.TickMany{Where: where, Item: "step/tmp-on", State: "done"})
	refused(t, "a step that is none", err, `did you mean "step/tpm-on"?`)
	_, err = c.TickMany(ctx, api.TickMany{Where: where, Item: "step/tpm-on", State: "refused"})
	refused(t, "a refusal without a reason", err, "needs a reason")
	_, err = c.Undo(ctx, got.Change, false)
	expect.NoError(t, err)
	d, err = c.Machine(ctx, key)
	expect.NoError(t, err)
	expect.Same(t, "after it was undone", standing(&d, "ticks"), "")
}

// A machine's page says at once what was decided and what is under way. Notes, contact and desk are for those who see
// what identifies machines.
func TestStanding(t *testing.T) {
	t.Parallel()
	m := newMonth(t)
	m.morning()
	c := m.s.Client
	contact, desk, yes := "counter clerk", "counter 3", true
	const key = "gull-014"
	_, err := c.Decide(ctx, api.MakeDecision{Kind: "hold", Scope: "key=" + key, Reason: "season", Until: m.day(20)})
	expect.NoError(t, err)
	_, err = c.Change(ctx, api.MachineChanges{Keys: []string{key}, Contact: &contact, Desk: &desk})
	expect.NoError(t, err)
	_, err = c.AddNote(ctx, key, " ")
	expect.Error(t, err, "empty")
	notes, err := c.AddNote(ctx, key, "The clerk is away on Mondays.")
	expect.NoError(t, err)
	d, err := c.Machine(ctx, key)
	expect.NoError(t, err)
	expect.Same(t, "kinds", kindsOf(&d), "decision note contact")
	expect.Contains(t, standing(&d, "note"), "by "+notes.Notes[0].By+": The clerk is away on Mondays.")
	expect.Same(t, "contact and desk", standing(&d, "contact"), "Contact: counter clerk, desk: counter 3.")

	_, err = c.Change(ctx, api.MachineChanges{Keys: []string{key}, Retire: &yes})
	expect.NoError(t, err)
	out, err := c.Machine(ctx, key)
	expect.NoError(t, err)
	expect.Same(t, "kinds of a retired machine", kindsOf(&out), "retired note contact")

	viewer := m.s.As(t, m.s.NewToken(t, "reader", server.ScopeRead))
	seen, err := viewer.Machine(ctx, key)
	expect.NoError(t, err)
	expect.Same(t, "to a viewer", seen.Contact+seen.Desk+standing(&seen, "note")+standing(&seen, "contact"), "")
	expect.NoError(t, c.RemoveNote(ctx, key, notes.Notes[0].ID))
	err = c.RemoveNote(ctx, key, notes.Notes[0].ID)
	refused(t, "a note that is gone", err, "has no note")
}

// The last day of a decision can be moved; a dry run says for which machines it would be.
func TestDecisionsMove(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	c := s.Client
	make := api.MakeDecision{
		Kind:   "hold",
		Scope:  `site="Holm Ferry"`,
		Reason: "season",
		Until:  today(20),
		DryRun: true,
	}
	d, err := c.Decide(ctx, make)
	expect.NoError(t, err)
	expect.Same(
		t,
		"in a dry run",
		fmt.Sprint(d.DryRun, d.ID, d.Machines == total(t, c, `site="Holm Ferry"`)),
		"true 0 true",
	)
	expect.Same(t, "named", len(d.Some), min(d.Machines, 20))
	expect.Same(t, "held after a dry run", total(t, c, "decision=hold"), 0)
	make.DryRun = false
	d, err = c.Decide(ctx, make)
	expect.NoError(t, err)
	moved, err := c.SetDecision(ctx, d.ID, api.ChangeDecision{Until: today(40)})
	expect.NoError(t, err)
	expect.That(t, "moved.Until.After(d.Until)", moved.Until.After(d.Until))
	_, err = c.SetDecision(ctx, d.ID, api.ChangeDecision{Until: today(-3)})
	refused(t, "a day that is over", err, today(-3)+" is in the past")
	expect.NoError(t, c.EndDecision(ctx, d.ID))
	_, err = c.SetDecision(ctx, d.ID, api.ChangeDecision{Until: today(50)})
	expect.That(t, "one that has ended is moved", err != nil)
}

// Whoever is limited to a site undoes changes of their machines only, and learns no others' names by trying.
func TestUndoingIsLimitedToOnesSites(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	tok, err := s.Client.AddToken(ctx, api.NewToken{Name: "of the quay", Scope: "work", Sites: []string{"Gull Quay"}})
	expect.NoError(t, err)
	c, yes := s.As(t, tok.Secret), true
	theirs := api.MachineChanges{Where: `site="Holm Ferry" class=pc`, Tag: []string{"spring"}}
	got, err := s.Client.Change(ctx, theirs)
	expect.NoError(t, err)
	_, err = c.Undo(ctx, got.Change, true)
	refused(t, "machines of another site", err, "that you do not see")
	// Each machine is another one now, so that nothing would be undone.
	again := api.MachineChanges{Where: theirs.Where, Tag: []string{"summer"}}
	_, err = s.Client.Change(ctx, again)
	expect.NoError(t, err)
	undone, err := c.Undo(ctx, got.Change, true)
	refused(t, "machines of another site that stay", err, "that you do not see")
	expect.Same(t, "machines that are named", len(undone.KeptMachines), 0)

	mine, err := c.Change(ctx, api.MachineChanges{Where: "class=pc", Retire: &yes})
	expect.NoError(t, err)
	undone, err = c.Undo(ctx, mine.Change, false)
	expect.NoError(t, err)
	expect.Same(t, "of their own", undone.Undone, mine.Changed)
}

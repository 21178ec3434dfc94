package remedy

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
)

// rule is what a hazard calls for, written again beside the table: a mistake in the
// table breaks it.
type rule struct {
	safeguard string
	stands    string
	against   string // hazards, separated by spaces
	phase     string // of the steps that call for it; "" any
	needed    func(f *fact.Facts, keeps bool) bool
}

const (
	toSystem = "firmware firmware-image boot hardware disk-layout system-disk tpm-keys"
	toDisk   = toSystem + " disk-contents"
	toOthers = "boot disk-layout system-disk disk-contents"
	toFiles  = toDisk + " system files"
)

func sealed(f *fact.Facts) bool { return !f.Is(fact.EncryptionState, "off") }

// pausable: encryption that is there, or may be, and has a pause.
func pausable(f *fact.Facts, keeps bool) bool {
	kind := f.Value(fact.EncryptionKind).Text()
	return keeps && sealed(f) && kind != "luks" && kind != "other" && f.Class() != fact.Mac
}

func others(f *fact.Facts) string {
	r := f.Get(fact.OtherSystems)
	switch {
	case len(r.Value.Set())+len(r.Floor().Set()) > 0:
		return "there"
	case r.Value.Known():
		return "none"
	}
	return "unknown"
}

var rules = []rule{
	{"backup", before, toFiles, "", func(*fact.Facts, bool) bool { return true }},
	{"recovery-key", before, toDisk, "", func(f *fact.Facts, _ bool) bool { return sealed(f) }},
	{"other-system", before, toOthers, "", func(f *fact.Facts, _ bool) bool { return others(f) == "there" }},
	{"find-other-system", before, toOthers, "", func(f *fact.Facts, _ bool) bool { return others(f) == "unknown" }},
	{"pause-encryption", before, toSystem, "", pausable},
	{"passphrase", before, toSystem, "",
		func(f *fact.Facts, keeps bool) bool { return keeps && sealed(f) && f.Is(fact.EncryptionKind, "luks") }},
	{"other-encryption", before, toSystem, "",
		func(f *fact.Facts, keeps bool) bool { return keeps && sealed(f) && f.Is(fact.EncryptionKind, "other") }},
	{"unbind-tpm", before, "tpm-keys", "",
		func(f *fact.Facts, _ bool) bool { return !f.Is(fact.TPMState, "not-seen") }},
	{"enter-firmware", before, "firmware", Desk, func(*fact.Facts, bool) bool { return true }},
	{"check-again", after, toFiles + " display", "", func(*fact.Facts, bool) bool { return true }},
	{"enrol-again", after, "tpm-keys", "",
		func(f *fact.Facts, _ bool) bool { return !f.Is(fact.TPMState, "not-seen") }},
	{"resume-encryption", after, toSystem, "", pausable},
	{"encrypt-again", after, toSystem, "",
		func(f *fact.Facts, keeps bool) bool { return keeps && sealed(f) && f.Is(fact.EncryptionKind, "other") }},
}

// warned is what a hazard calls for as a caution at the step.
var warned = []struct {
	against, says string
	needed        func(f *fact.Facts) bool
}{
	{"disk-contents", "is lost. Begin only after the backup has been tested.", func(*fact.Facts) bool { return true }},
	{"disk-contents", "Another system is on the disk, and is lost",
		func(f *fact.Facts) bool { return others(f) == "there" }},
	{"disk-contents", "If there is one, it is lost", func(f *fact.Facts) bool { return others(f) == "unknown" }},
	{"boot disk-layout", "Another system is on the disk and may not start",
		func(f *fact.Facts) bool { return others(f) == "there" }},
	{"boot disk-layout", "If there is one, it may not start",
		func(f *fact.Facts) bool { return others(f) == "unknown" }},
	{"firmware-image disk-layout disk-contents", "Keep mains power connected", func(f *fact.Facts) bool {
		return !slices.Contains([]string{"desktop", "all-in-one", "server", "virtual"}, f.Value(fact.DeviceForm).Text())
	}},
	{"display", "may stay dark", func(f *fact.Facts) bool {
		if f.Is(fact.DeviceForm, "laptop") || f.Is(fact.DeviceForm, "tablet") {
			return false
		}
		for i := range f.Rows(fact.Adapters) {
			if f.Row(fact.Adapters, i).Value(fact.AdapterAddIn).Bool() {
				return true
			}
		}
		return false
	}},
	{"tpm-keys", "Keys that the TPM holds can be lost",
		func(f *fact.Facts) bool { return !f.Is(fact.TPMState, "not-seen") }},
}

func disturbs(p *Planned, against string) bool {
	return slices.ContainsFunc(p.Disturbs, func(h string) bool { return slices.Contains(strings.Fields(against), h) })
}

// broken names what is unsafe or futile in the plan of a machine, or "".
func broken(lib *Library, f *fact.Facts, v *Verdict) string {
	if v.Disposition == Replace {
		if len(v.Plan) != 1 {
			return "steps on a machine to replace"
		}
		return ""
	}
	if v.Disposition == Done {
		return ""
	}
	for _, what := range []string{unguarded(f, v), unwarned(f, v), outOfOrder(lib, v), undone(lib, f, v)} {
		if what != "" {
			return what
		}
	}
	return ""
}

func unguarded(f *fact.Facts, v *Verdict) string {
	at := map[string]int{}
	for i := range v.Plan {
		at[v.Plan[i].ID] = i + 1
	}
	for _, r := range rules {
		if !r.needed(f, v.Route != release.Reinstall) {
			continue
		}
		for i := range v.Plan {
			p := &v.Plan[i]
			ofPhase := r.phase == "" || p.Phase == r.phase
			installs := r.stands == after && p.Phase == Install
			concerned := ofPhase && !installs
			if !concerned || !disturbs(p, r.against) {
				continue
			}
			switch where := at[r.safeguard]; {
			case where == 0:
				return p.ID + " without " + r.safeguard
			case r.stands == before && where > i+1:
				return r.safeguard + " behind " + p.ID
			case r.stands == after && where < i+1:
				return r.safeguard + " before " + p.ID
			}
			for k := range v.Plan {
				if r.stands == after && v.Plan[k].Phase == Install {
					if k+1 < at[r.safeguard] {
						return r.safeguard + " behind the installation"
					}
				}
			}
		}
	}
	for i := range v.Plan {
		p := &v.Plan[i]
		if !disturbs(p, "boot") || p.Phase == Install {
			continue
		}
		if p.Restarts > 0 || len(p.Leaves) > 0 {
			continue
		}
		if i+1 == len(v.Plan) || v.Plan[i+1].Restarts == 0 {
			return p.ID + " is not followed by a start"
		}
	}
	return ""
}

func unwarned(f *fact.Facts, v *Verdict) string {
	for i := range v.Plan {
		p := &v.Plan[i]
		said := strings.Join(p.Cautions(f), " ")
		for _, w := range warned {
			if strings.HasPrefix(w.against, "boot") && disturbs(p, "disk-contents") {
				continue // it is lost, which says more
			}
			if disturbs(p, w.against) && w.needed(f) {
				if !strings.Contains(said, w.says) {
					return p.ID + " does not say: " + w.says
				}
			}
		}
	}
	return ""
}

// orders are steps of which the first never stands behind the others, as the design has it.
var orders = map[string]string{
	"read-again":       "read-anew enter-by-hand save-capture backup",
	"read-anew":        "enter-by-hand save-capture backup",
	"restart-first":    "backup",
	"backup":           "recovery-key other-system find-other-system free-space interim upgrade",
	"recovery-key":     "pause-encryption passphrase other-encryption",
	"free-space":       "update-titles update-drivers upgrade",
	"pause-encryption": "unbind-tpm add-memory convert-disk",
	"unbind-tpm":       "enter-firmware",
	"failing-drive":    "free-space convert-disk update-titles remove-titles",
	"add-memory":       "firmware-update convert-disk boot-mode",
	"change-drive":     "firmware-update convert-disk",
	"firmware-update":  "convert-disk boot-mode tpm-on secure-boot-on",
	"convert-disk":     "efi-loader boot-mode",
	"efi-loader":       "boot-mode",
	"boot-mode": "legacy-support-off tpm-on tpm-other tpm-mode secure-boot-keys secure-boot-on " +
		"processor-feature",
	"uefi-reinstall":     "legacy-support-off tpm-on secure-boot-on",
	"legacy-support-off": "secure-boot-on tpm-on",
	"look-for-tpm":       "tpm-module",
	"tpm-module":         "convert-disk",
	"tpm-on":             "secure-boot-on tpm-other tpm-mode",
	"tpm-other":          "secure-boot-on",
	"tpm-recover":        "secure-boot-on",
	"secure-boot-keys":   "secure-boot-on",
	"check-again":        "enrol-again resume-encryption encrypt-again decide interim upgrade",
	"enrol-again":        "resume-encryption",
	"lift-hold":          "interim upgrade reinstall",
	"interim":            "upgrade reinstall",
	"update-titles":      "buy-titles",
	"update-drivers":     "graphics-driver remove-drivers",
}

// outOfOrder: every step stands behind those that it says it comes after, and the phases
// of a plan follow each other.
func outOfOrder(lib *Library, v *Verdict) string {
	at := map[string]int{}
	for i := range v.Plan {
		at[v.Plan[i].ID] = i + 1
	}
	for first, rest := range orders {
		for _, id := range strings.Fields(rest) {
			if at[first] > at[id] && at[id] > 0 {
				return first + " behind " + id
			}
		}
	}
	for i := range v.Plan {
		for _, id := range v.Plan[i].After {
			if at[id] > i+1 && !slices.Contains(v.Plan[i].Before, id) {
				return id + " behind " + v.Plan[i].ID
			}
		}
		if v.Plan[i].Phase != Install || i+1 == len(v.Plan) {
			continue
		}
		next := &v.Plan[i+1]
		mayFollow := next.Phase == Install || next.ID == "decide" || next.ID == "start-once"
		if !mayFollow {
			return next.ID + " behind the installation"
		}
	}
	return ""
}

// undone carries the plan out, step by step.
func undone(lib *Library, f *fact.Facts, v *Verdict) string {
	sim := &solver{lib: lib, world: likely, was: f, sim: copyOf(f)}
	started := Starts(f)
	for i := range v.Plan {
		p := &v.Plan[i]
		impossible := p.Class != NoClass && p.can(sim.sim) == need.False
		if impossible && p.Unlikely == nil {
			return p.ID + " cannot be done at its place"
		}
		failing := sim.sim.Is(fact.DiskHealth, "bad") && !f.Guest()
		renews := p.sets(fact.DiskHealth, "good") || p.Installs
		risky := failing && !renews
		if risky && disturbs(p, "disk-layout disk-contents files") {
			return p.ID + " on a failing drive"
		}
		remedial := p.Class != NoClass && p.Class < Decision
		needed := len(p.Settles) > 0 || p.Installs || p.Always != nil || p.ID == "interim" || pulled(v, p)
		if remedial && !needed {
			return p.ID + " settles nothing"
		}
		changesMode := p.sets(fact.BootMode, "uefi") && !p.Installs && p.Phase == Desk
		bootable := sim.sim.Is(fact.DiskStyle, "gpt") && sim.sim.Value(fact.ESPLoader).Bool()
		if changesMode && !bootable {
			return p.ID + " with nothing there that starts in UEFI mode"
		}
		sim.simulate(p, nil)
		if started && !Starts(sim.sim) {
			if p.Restarts > 0 || i+1 == len(v.Plan) {
				return "the machine cannot start after " + p.ID
			}
		}
	}
	return ""
}

// pulled says whether another step of the plan needs this one.
func pulled(v *Verdict, p *Planned) bool {
	return slices.ContainsFunc(v.Plan, func(q Planned) bool {
		return slices.Contains(q.Pulls, p.ID) ||
			slices.ContainsFunc(q.leaves, func(l stepEffect) bool { return p.sets(l.id, l.value.Text()) })
	})
}

// machines is how many are drawn; fewer where the tests run again and again, to count
// mistakes that they notice.
func machines(n int) int {
	if testing.Short() {
		return n / 5
	}
	return n
}

func TestPlansAreSafeAndEndReady(t *testing.T) {
	stood, routes := map[string]int{}, map[string]int{}
	for _, rel := range []*release.Release{
		coretest.Release(t, "skerry-12"), everyRemedy(t), coretest.Release(t, "fathom-9"),
	} {
		lib := reversed(t)
		seen := map[Disposition]int{}
		plans(t, rel, lib, machines(8000), func(res *check.Result, v *Verdict) bool {
			seen[v.Disposition]++
			routes[v.Route]++
			for i := range v.Plan {
				stood[v.Plan[i].ID]++
			}
			what := broken(lib, res.Facts, v)
			if what == "" {
				what = unsettled(lib, res, v)
			}
			if what != "" {
				t.Errorf("%s: %s, in %s", rel.ID, what, ids(v))
			}
			return what == ""
		})
		for d := range Undetermined + 1 {
			asked := d != Ready && d != Done && rel.InstallsOn == "pc" && !testing.Short()
			if asked && seen[d] == 0 {
				t.Errorf("no machine is %s for %s: the test says nothing of it", d, rel.ID)
			}
		}
	}
	for _, way := range release.Ways() {
		if routes[way] < machines(100) {
			t.Errorf("%d plans go by %s", routes[way], way)
		}
	}
	for _, id := range Shipped().IDs() {
		// No shipped step disturbs how a machine starts without starting it: random steps do.
		if stood[id] < machines(100) && id != "start-once" {
			t.Errorf("%s stands in %d plans", id, stood[id])
		}
	}
}

// unguardedLibrary is the library with one row less in its table.
func unguardedLibrary(t *testing.T, row, caution int) *Library {
	t.Helper()
	whole := safeguards()
	less := &table{slices.Clone(whole.rows), slices.Clone(whole.cautions)}
	if row >= 0 {
		less.rows = slices.Delete(less.rows, row, row+1)
	}
	if caution >= 0 {
		less.cautions = slices.Delete(less.cautions, caution, caution+1)
	}
	r := &doc.Report{}
	// No shipped step disturbs how a machine starts without starting it: one of one's own does.
	own := StepDoc{
		ID: "own", Title: "Own", Phase: Desk, Always: Shipped().Find(
			"restart-first").StepDoc.Always, Disturbs: []string{"boot"},
		Do: "Do.", Tell: "Tell.", Confirm: "Yes.", Minutes: Minutes{1, 2},
	}
	lib := compile(shipped(), []StepDoc{own}, less, r)
	if err := r.Err(); err != nil {
		t.Fatal(err)
	}
	return lib
}

// noticed says whether a plan of some machine is unsafe, or not in order.
func noticed(t *testing.T, lib *Library, rel *release.Release) bool {
	t.Helper()
	ran := false
	plans(t, rel, lib, machines(6000), func(res *check.Result, v *Verdict) bool {
		ran = broken(lib, res.Facts, v) != ""
		return !ran
	})
	return ran
}

// The properties prove something only if they fail where a rule is taken out.
func TestEveryRowOfTheTableIsNeeded(t *testing.T) {
	rel := everyRemedy(t)
	if noticed(t, unguardedLibrary(t, -1, -1), rel) {
		t.Error("a plan is unsafe with the whole table")
	}
	for i, g := range safeguards().rows {
		if !noticed(t, unguardedLibrary(t, i, -1), rel) {
			t.Errorf("without %s no plan is unsafe: nothing tests it", g.step)
		}
	}
	for i, c := range safeguards().cautions {
		if !noticed(t, unguardedLibrary(t, -1, i), rel) {
			t.Errorf("nothing misses the caution: %s", c.say)
		}
	}
}

// Without the order that the table makes, safeguards stand in the wrong place.
func TestOrderOfTheTableIsNeeded(t *testing.T) {
	rel := everyRemedy(t)
	for _, g := range safeguards().rows {
		if g.stands == behind {
			continue
		}
		lib := reversed(t)
		at := lib.at[g.step]
		for i := range lib.steps {
			s := &lib.steps[i]
			s.after = slices.DeleteFunc(slices.Clone(s.after), func(j int) bool { return j == at })
		}
		if g.stands == after {
			lib.steps[at].after = nil
		}
		// What is remote stands before a visit in any case.
		onlyVisits := slices.Contains([]string{"recovery-key", "other-system", "find-other-system"}, g.step)
		if !onlyVisits && !noticed(t, lib, rel) {
			t.Errorf("without the order around %s no plan is unsafe: nothing tests it", g.step)
		}
	}
}

// unsettled names a must that fails and of which the plan does not take care,
// or "". Where the steps of a plan are done, one after the other, a machine that
// takes settings or parts is ready.
func unsettled(lib *Library, res *check.Result, v *Verdict) string {
	sim := &solver{lib: lib, world: likely, was: res.Facts, sim: copyOf(res.Facts)}
	spoken := slices.Clone(v.NoRemedy)
	for _, p := range append(slices.Clone(v.Plan), v.Withheld...) {
		spoken = append(spoken, p.Settles...)
	}
	for i := range res.Findings {
		if fd := &res.Findings[i]; fd.Outcome == check.Fail && fd.Requirement.Level == release.Must {
			sim.failing = append(sim.failing, fd)
		} else if fd.Outcome == check.Unknown && fd.Requirement.Level == release.Must {
			sim.open = append(sim.open, fd)
		}
	}
	for i := range v.Plan {
		p := &v.Plan[i]
		sim.simulate(p, nil)
	}
	for i := range res.Findings {
		fd := &res.Findings[i]
		q := fd.Requirement
		otherRoute := q.Interim != nil && v.Route != release.ByInterim
		if q.Level != release.Must || otherRoute {
			continue
		}
		if fd.Outcome == check.Fail && !slices.Contains(spoken, q.ID) {
			return q.ID + " fails, and nothing is said of it"
		}
		if v.Disposition.Futile() || v.Disposition == Undetermined {
			continue
		}
		applies := q.When == nil || q.When.Test(sim.sim.View()) != need.False
		if !applies {
			continue
		}
		end := q.Need.Test(sim.sim.View())
		stillFails := fd.Outcome == check.Fail && end != need.True
		turnsOutToFail := fd.Outcome == check.Unknown && fd.Applies == need.True && end == need.False
		if stillFails || turnsOutToFail {
			return q.ID + " still fails at the end"
		}
	}
	return ""
}

func ids(v *Verdict) string {
	var out []string
	for _, p := range v.Plan {
		out = append(out, p.ID)
	}
	return fmt.Sprint(out)
}

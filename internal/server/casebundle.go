package server

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"strings"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/manual"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/build"
	"rolltop.example/rolltop/internal/report"
	"rolltop.example/rolltop/internal/service"
)

// auditOfCase bounds the entries of the audit log in a case bundle.
const auditOfCase = 200

// caseHistory is what has become of a machine, rolltop-case-history/1.
type caseHistory struct {
	Format      string                  `json:"format"`
	Standing    []api.Standing          `json:"standing"`
	Notes       []api.MachineNote       `json:"notes"`
	Ticks       []assess.Tick           `json:"ticks"`
	Inventories []api.InventoryRef      `json:"inventories"`
	Changes     []api.DispositionChange `json:"changes"`
	Waves       []api.WaveRecord        `json:"wave_records"`
	Audit       []api.AuditEntry        `json:"audit"`
}

// caseBundle is everything about one machine for a specialist, in one file.
func (s reportAPI) caseBundle(ctx context.Context, in *struct {
	Key    string `path:"key" maxLength:"80"`
	Redact bool   `query:"redact" doc:"Leave out serial numbers, titles, notes, names and contacts"`
}) (*exportOutput, error) {
	who := callerOf(ctx)
	redacted := in.Redact || !who.Plain
	got, err := s.Machines.Ticked(ctx, in.Key, service.Against{})
	if err != nil {
		return nil, err
	}
	inv, check := got.Facts.Inventory, got.Check
	if redacted {
		hidden := *who
		hidden.Plain = false
		if check, err = s.nameless(ctx, got); err != nil {
			return nil, err
		}
		inv = hidden.show(withoutNames(inv))
	}
	m := report.Of(check, inv)
	if redacted {
		m = m.Shortened()
	}
	var page bytes.Buffer
	if err := report.HTML(&page, report.Technician, m); err != nil {
		return nil, err
	}
	history, err := s.caseHistory(ctx, in.Key, redacted)
	if err != nil {
		return nil, err
	}
	files := []struct {
		name string
		body any
	}{
		{"README.txt", caseReadme(got.Check.Machine.Name, redacted, s.now().UTC().Format("2006-01-02 15:04 UTC"))},
		{"inventory.json", inv},
		{"check.json", m.Check},
		{"report.html", page.Bytes()},
		{"ticket.md", report.Markdown(m)},
		{"history.json", history},
	}
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, f := range files {
		w, err := z.Create(f.name)
		if err != nil {
			return nil, err
		}
		switch body := f.body.(type) {
		case []byte:
			_, err = w.Write(body)
		case string:
			_, err = w.Write([]byte(body))
		default:
			e := json.NewEncoder(w)
			e.SetIndent("", "  ")
			err = e.Encode(body)
		}
		if err != nil {
			return nil, err
		}
	}
	if err := z.Close(); err != nil {
		return nil, err
	}
	return &exportOutput{ContentType: "application/zip",
		Disposition: fmt.Sprintf(`attachment; filename="case-%s.zip"`, in.Key), Body: b.Bytes()}, nil
}

// nameless is the check of a machine without what names people: who ticked a step, who waived a requirement and why,
// who entered a fact by hand.
func (s reportAPI) nameless(ctx context.Context, c *service.Checked) (*assess.Document, error) {
	t, ok := s.Releases.Target(c.Machine.Class)
	if !ok {
		return nil, noTarget()
	}
	waivers, err := s.Decisions.WaiversOn(ctx, c.Machine.Key, t.Release)
	if err != nil {
		return nil, err
	}
	for i := range waivers {
		waivers[i].By, waivers[i].Reason = "somebody", "not shown"
	}
	return s.Machines.Check(ctx, t.Release, withoutNames(c.Facts.Inventory), waivers...)
}

// withoutNames is an inventory whose facts that were entered by hand do not say by whom and why.
func withoutNames(d *inventory.Document) *inventory.Document {
	out := d.Clone()
	for name, source := range out.Sources {
		out.Sources[name] = manual.Anonymous(source)
	}
	for i := range out.Gaps {
		for k := range out.Gaps[i].Readings {
			r := &out.Gaps[i].Readings[k]
			r.Source = manual.Anonymous(r.Source)
		}
	}
	return out
}

// caseReadme says what the files of a case bundle are.
func caseReadme(name string, redacted bool, made string) string {
	lines := []string{
		"Case of " + name + ", made " + made + " by rolltop " + build.Version + ".",
		"",
		"report.html     the check with its plan: open this first",
		"ticket.md       the same as a short text",
		"inventory.json  what was read and entered by hand, rolltop-inventory/1",
		"check.json      findings and plan, rolltop-check/1",
		"history.json    what was decided and done, notes, earlier inventories, changes",
		"capture.json    the raw readings, rolltop-capture/1, if somebody added them",
		"",
	}
	if redacted {
		lines = append(lines, "Redacted: serial numbers are left out or shortened; titles, notes, names of people and "+
			"contacts are left out.", "")
	}
	return strings.Join(lines, "\n")
}

// caseHistory is what has become of a machine.
func (s reportAPI) caseHistory(ctx context.Context, key string, redacted bool) (*caseHistory, error) {
	m, err := machinesAPI(s).showMachine(ctx, &keyInput{key})
	if err != nil {
		return nil, err
	}
	out := &caseHistory{
		Format: "rolltop-case-history/1", Standing: m.Standing, Notes: m.Notes, Ticks: []assess.Tick{},
		Inventories: m.History, Changes: m.Changes, Waves: m.WaveRecords, Audit: []api.AuditEntry{},
	}
	d, err := s.Machines.Find(ctx, key)
	if err != nil {
		return nil, err
	}
	if out.Ticks, err = s.store.Ticks(ctx, d.ID); err != nil {
		return nil, err
	}
	if allows(callerOf(ctx).Scope, ScopeManage) && !redacted {
		list, err := s.store.Audit(ctx, 0, auditOfCase, "", key)
		if err != nil {
			return nil, err
		}
		for i := range list {
			out.Audit = append(out.Audit, s.auditEntry(&list[i]))
		}
	}
	if !redacted {
		return out, nil
	}
	out.Notes = nil
	for i := range out.Ticks {
		out.Ticks[i].By, out.Ticks[i].Note = "", ""
	}
	for i := range out.Waves {
		out.Waves[i].By, out.Waves[i].Reason = "", ""
	}
	out.Standing = nil
	for _, one := range m.Standing {
		if one.Kind == service.StandsStart || one.Kind == service.StandsPart {
			out.Standing = append(out.Standing, one)
		}
	}
	return out, nil
}

package assess

import (
	"slices"
	"time"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
)

// When says when the work on a machine is of use.
type When struct {
	NotBefore *time.Time `json:"not_before,omitempty" doc:"The release is offered from then on"`
	Held      bool       `json:"held,omitempty" doc:"A policy holds the machine; the work waits until the policy is lifted"`
	Latest    *time.Time `json:"latest,omitempty" doc:"The last day of support of the installed release"`
	Says      []string   `json:"says"`
}

// End is something that ends with the upgrade.
type End struct {
	ID      string `json:"id"`
	What    string `json:"what" enum:"feature,title,device"`
	Title   string `json:"title"`
	How     string `json:"how" enum:"gone,removed,different"`
	Certain bool   `json:"certain" doc:"The machine is known to have it; otherwise it may"`
	Says    string `json:"says"`
}

// around fills in what stands around the plan: what to bring, when to go, further work,
// what ends.
func (d *Document) around(a *Assessment, now time.Time) {
	d.bring(a)
	d.when(a, now)
	d.ends(a)
	for i, p := range a.Knowledge.Steps.Further(a.Result, &a.Verdict) {
		var bill bill
		s, parts := d.step(a, &p)
		s.Number, s.Parts = i+1, bill.add(parts, a.Knowledge.Prices)
		s.Weight, s.Weighs = p.Weight, say.Weight(p.Weight)
		d.Further = append(d.Further, s)
	}
}

// bring lists what somebody who goes to the machine has to have at hand.
func (d *Document) bring(a *Assessment) {
	f := a.Result.Facts
	d.Encrypted = f.Is(fact.EncryptionState, "on") || f.Is(fact.EncryptionState, "paused")
	d.FirmwarePassword = f.Is(fact.FirmwarePassword, "set")
	for i := range a.Verdict.Plan {
		p := &a.Verdict.Plan[i]
		if p.Phase != remedy.Desk && !p.Installs || a.Verdict.Planned {
			continue
		}
		for _, item := range p.Bring(a.Result.Facts) {
			if text := say.Filled(item, a.Result.Release); !slices.Contains(d.Bring, text) {
				d.Bring = append(d.Bring, text)
			}
		}
		if p.Phase == remedy.Desk {
			for _, one := range d.Plan[i].Parts {
				one.Part.Manual = false // it was confirmed before it was ordered
				d.Bring = append(d.Bring, say.Part(&one.Part))
			}
		}
	}
}

func (d *Document) when(a *Assessment, now time.Time) {
	v, rel := &a.Verdict, a.Result.Release
	if v.Planned || v.Disposition.Futile() || v.Foreign {
		return
	}
	w := When{Held: d.Hold != ""}
	if o := rel.OfferTo(a.Result.Facts, now); o.Known && !o.Now && o.Maybe == "" && !o.From.IsZero() {
		if first := o.Start(); first.After(now) {
			w.NotBefore = &first
		}
	}
	if d.Support != nil && d.Support.Ends != nil && d.Support.Days >= 0 {
		w.Latest = d.Support.Ends
	}
	visit := slices.ContainsFunc(v.Plan, func(p remedy.Planned) bool { return p.Phase == remedy.Desk })
	w.Says = say.When(visit, w.Held, w.NotBefore, w.Latest, rel.Name, installed(d))
	if len(w.Says) > 0 {
		d.When = &w
	}
}

func installed(d *Document) string {
	if d.Support == nil {
		return ""
	}
	return d.Support.Release
}

// ends lists what is gone or different after the upgrade and is on the machine, or may be.
func (d *Document) ends(a *Assessment) {
	if a.Verdict.Disposition == remedy.Done || a.Verdict.Planned {
		return
	}
	for i := range a.Result.Release.Endings {
		e := &a.Result.Release.Endings[i]
		has := e.Has(a.Result.Facts)
		if has == need.False {
			continue
		}
		d.Ends = append(d.Ends, End{
			ID:      e.ID,
			What:    e.What,
			Title:   e.Title,
			How:     e.How,
			Certain: has == need.True,
			Says:    say.End(e, has == need.True),
		})
	}
}

package release

import (
	"bytes"
	"encoding/json"
	"slices"
	"time"
)

// SameBut compares two releases as far as they decide on a machine. all says that nothing
// but requirements differs; same are the ids of the requirements that both have alike.
func (rel *Release) SameBut(o *Release) (same map[string]bool, all bool) {
	same = map[string]bool{}
	others := map[string][]byte{}
	for i := range o.Document.Requirements {
		others[o.Document.Requirements[i].ID] = text(&o.Document.Requirements[i])
	}
	for i := range rel.Document.Requirements {
		q := &rel.Document.Requirements[i]
		if had := others[q.ID]; had != nil && bytes.Equal(had, text(q)) {
			same[q.ID] = true
		}
	}
	a, b := rel.around(), o.around()
	all = a != nil && bytes.Equal(a, b)
	if all { // those of intermediate releases are around, and alike
		for i := range rel.Document.Interim {
			for j := range rel.Document.Interim[i].Requirements {
				same[rel.Document.Interim[i].Requirements[j].ID] = true
			}
		}
	}
	return same, all
}

// around is what decides beside the requirements. What only says something of the
// document, or of what is delivered, decides nothing.
func (rel *Release) around() []byte {
	d := *rel.Document
	d.Requirements, d.Offered, d.Support, d.Editions, d.Packages, d.Preparation, d.Ends = nil, nil, nil, nil, nil, nil,
		nil
	d.Interim = slices.Clone(d.Interim)
	for i := range d.Interim {
		d.Interim[i].Editions, d.Interim[i].Packages = nil, nil
	}
	d.ID, d.Revision, d.Source, d.EnteredBy, d.Follows = "", 0, "", "", ""
	if d.Version != "" { // otherwise the name tells which machines run it already
		d.Name = ""
	}
	d.Published, d.Retrieved, d.MediaFrom, d.Draft, d.TestRelease = time.Time{}, time.Time{}, time.Time{}, false, false
	return text(&d)
}

// text is a document as JSON; nil, which equals nothing, where it has none.
func text(v any) []byte {
	b, err := json.Marshal(v)
	if err != nil {
		return nil
	}
	return b
}

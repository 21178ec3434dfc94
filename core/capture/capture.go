// Package capture is the capture document rolltop-capture/1: the raw bytes
// that a collector read from a machine, one record a source, with the outcome
// of each reading. It holds no conclusions; package decode draws those, on any
// platform and as often as wanted.
package capture

import (
	"time"

	"rolltop.example/rolltop/core/doc"
)

// Format is the value of the key “format”.
const Format = "rolltop-capture/1"

// Outcomes of reading one source.
const (
	OK         = "ok"
	Absent     = "absent"      // the source is authoritative, and there is none
	Denied     = "denied"      // rights are missing
	NotExposed = "not-exposed" // this system has no such interface
	Failed     = "failed"      // anything else; Errno or Detail says what
)

// Document is everything read from one machine at one time.
type Document struct {
	Format     string    `json:"format" enum:"rolltop-capture/1"`
	TakenAt    time.Time `json:"taken_at"`
	Version    string    `json:"version,omitempty" doc:"Of the collector"`
	Platform   string    `json:"platform" enum:"windows,macos,linux"`
	Elevated   bool      `json:"elevated"`
	DurationMS int64     `json:"duration_ms" minimum:"0" maximum:"86400000"`
	Records    []Record  `json:"records"`

	at map[string]int
}

// Record is what came of reading one source.
type Record struct {
	Source  string `json:"source" doc:"A path, or the name of an interface"`
	Outcome string `json:"outcome" enum:"ok,absent,denied,not-exposed,failed"`
	Errno   int64  `json:"errno,omitempty" minimum:"-9007199254740992" maximum:"9007199254740992"`
	Detail  string `json:"detail,omitempty"`
	Raw     Bytes  `json:"raw,omitempty" doc:"The bytes, base64"`
}

// Add keeps a record. The last one of a source counts.
func (d *Document) Add(r Record) {
	if d.at == nil {
		d.at = make(map[string]int)
		for i := range d.Records {
			d.at[d.Records[i].Source] = i
		}
	}
	d.at[r.Source] = len(d.Records)
	d.Records = append(d.Records, r)
}

// Get returns the record of a source; one that was never read is not exposed.
func (d *Document) Get(source string) Record {
	if d.at == nil {
		d.at = make(map[string]int)
		for i := range d.Records {
			d.at[d.Records[i].Source] = i
		}
	}
	if i, ok := d.at[source]; ok {
		return d.Records[i]
	}
	return Record{Source: source, Outcome: NotExposed}
}

// Read reads a capture. The error is [*doc.Mistakes].
func Read(name string, src []byte) (*Document, error) {
	d := new(Document)
	_, r, err := doc.Open(name, src, Format, d)
	if err != nil {
		return nil, err
	}
	if err := r.Err(); err != nil {
		return nil, err
	}
	return d, nil
}

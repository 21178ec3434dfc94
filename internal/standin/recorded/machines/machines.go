// Package machines makes the captures of package recorded, from a short
// description of each machine.
package machines

import (
	"encoding/json"
	"maps"
	"slices"
	"strings"
	"time"

	"rolltop.example/rolltop/core/capture"
)

// taken is when the captures were taken; the demo moves it near to now.
var taken = time.Date(2026, 11, 20, 9, 30, 0, 0, time.UTC)

// machine is a capture under way.
type machine struct {
	name string
	*capture.Document
}

func begin(name, platform string, elevated bool) *machine {
	return &machine{name, &capture.Document{
		Format:     capture.Format,
		TakenAt:    taken,
		Version:    "demo",
		Platform:   platform,
		Elevated:   elevated,
		DurationMS: 180,
	}}
}

// ok keeps bytes that were read.
func (m *machine) ok(source, raw string) {
	m.Add(capture.Record{Source: source, Outcome: capture.OK, Raw: capture.Bytes(raw)})
}

// no keeps an outcome without bytes.
func (m *machine) no(outcome string, errno int64, sources ...string) {
	for _, s := range sources {
		m.Add(capture.Record{Source: s, Outcome: outcome, Errno: errno})
	}
}

// Make builds every capture anew, as its file is to be: by its path below the captures.
func Make() (map[string][]byte, error) {
	out := map[string][]byte{}
	odd := Unusual()
	for _, m := range slices.Concat(windowsMachines(), linuxMachines(), macMachines(), odd) {
		// What a machine says instead of its base counts; in the order of sources,
		// so that the files do not change by chance.
		last := map[string]capture.Record{}
		for _, r := range m.Records {
			last[r.Source] = r
		}
		m.Records = nil
		for _, source := range slices.Sorted(maps.Keys(last)) {
			m.Records = append(m.Records, last[source])
		}
		b, err := json.MarshalIndent(m.Document, "", " ")
		if err != nil {
			return nil, err
		}
		name := strings.ToLower(m.name) + ".json"
		if slices.Contains(odd, m) {
			name = "unusual/" + name
		}
		out[name] = append(b, '\n')
	}
	return out, nil
}

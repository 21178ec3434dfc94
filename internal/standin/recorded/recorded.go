// Package recorded holds the captures of machines that nobody has: made-up PCs
// and Macs, byte by byte as the real sources would answer. They ship with the
// demo, go through the real decoders, and are what those are tested with.
// Package machines makes them.
package recorded

import (
	"embed"
	"strings"
	"time"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode"
	"rolltop.example/rolltop/core/inventory"
)

//go:generate go run ./write

//go:embed captures
var files embed.FS

// Names are the machines of the demo, by host name.
func Names() []string { return namesIn("") }

// Unusual are machines beside the demo that readers are easily wrong about. [Read] reads them, too.
func Unusual() []string { return namesIn("unusual/") }

func namesIn(dir string) []string {
	entries, err := files.ReadDir(strings.TrimSuffix("captures/"+dir, "/"))
	if err != nil {
		panic(err) // it is embedded
	}
	var out []string
	for _, e := range entries {
		if !e.IsDir() {
			out = append(out, strings.ToUpper(dir+strings.TrimSuffix(e.Name(), ".json")))
		}
	}
	return out
}

// Inventories decodes every machine's capture, as taken in the hours before a
// time.
func Inventories(now time.Time) ([]*inventory.Document, error) {
	var out []*inventory.Document
	for i, name := range Names() {
		c, err := Read(name)
		if err != nil {
			return nil, err
		}
		d, err := decode.Inventory(c)
		if err != nil {
			return nil, err
		}
		d.TakenAt = now.Add(-time.Duration(i+1) * 3 * time.Hour).UTC().Truncate(time.Second)
		out = append(out, d)
	}
	return out, nil
}

// Source is a machine's capture as its file has it.
func Source(name string) ([]byte, error) {
	return files.ReadFile("captures/" + strings.ToLower(name) + ".json")
}

// Read reads a machine's capture.
func Read(name string) (*capture.Document, error) {
	src, err := Source(name)
	if err != nil {
		return nil, err
	}
	return capture.Read(name, src)
}

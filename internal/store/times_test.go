package store

import (
	"bytes"
	"encoding/json"
	"testing"
	"time"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/standin"
)

// The times of a document that this program writes are cut out of its text, which gives
// what writing it again without them would. A key that comes to stand behind the
// collector's duration would make every inventory take the slow way.
func TestTimesAreCutOut(t *testing.T) {
	o, err := standin.Load()
	if err != nil {
		t.Fatal(err)
	}
	fleet, err := o.Fleet(time.Date(2026, 11, 20, 8, 0, 0, 0, time.UTC))
	if err != nil {
		t.Fatal(err)
	}
	for _, d := range fleet {
		d.Collector.DurationMS = inventory.Some(int64(1234))
		body, err := json.Marshal(d)
		if err != nil {
			t.Fatal(err)
		}
		var cut bytes.Buffer
		if !withoutTimes(d, body, &cut) {
			t.Fatalf("%s: its times stand where they are not found", d.Device.Name.Or(""))
		}
		without := d.Clone()
		without.TakenAt, without.Collector.DurationMS = time.Time{}, inventory.Opt[int64]{}
		want, err := json.Marshal(without)
		if err != nil || !bytes.Equal(want, cut.Bytes()) {
			t.Fatalf("%v\n%.400s\n%.400s", err, want, cut.Bytes())
		}
	}
}

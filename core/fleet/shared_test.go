package fleet_test

import (
	"encoding/json"
	"os"
	"testing"

	"rolltop.example/rolltop/core/fleet"
)

// The filters of testdata/filters.json are read by the console too, which has to write them as
// the service does.
func TestSharedFilters(t *testing.T) {
	src, err := os.ReadFile("testdata/filters.json")
	if err != nil {
		t.Fatal(err)
	}
	var rows []struct{ Where, Is string }
	if err := json.Unmarshal(src, &rows); err != nil {
		t.Fatal(err)
	}
	for _, tt := range rows {
		t.Run(tt.Where, func(t *testing.T) {
			f, err := fleet.Parse(tt.Where)
			if err != nil {
				t.Fatal(err)
			}
			if got := f.String(); got != tt.Is {
				t.Errorf("got %q, want %q", got, tt.Is)
			}
		})
	}
}

package capture_test

import (
	"bytes"
	"encoding/json"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/internal/expect"
)

func one(source string, raw []byte) *capture.Document {
	return &capture.Document{
		Format:   capture.Format,
		Platform: "linux",
		TakenAt:  time.Date(2026, 11, 22, 8, 14, 0, 0, time.UTC),
		Records:  []capture.Record{{Source: source, Outcome: capture.OK, Raw: raw}},
	}
}

func TestRead(t *testing.T) {
	b, _ := json.Marshal(one("/proc/meminfo", []byte{0, 1, 255}))
	d, err := capture.Read("c", b)
	expect.NoError(t, err)
	expect.That(t, `bytes.Equal(d.Get("/proc/meminfo").Raw, []byte{0, 1, 255})`,
		bytes.Equal(d.Get("/proc/meminfo").Raw, []byte{0, 1, 255}))
	expect.Same(t, `d.Get("/nowhere").Outcome`, d.Get("/nowhere").Outcome, capture.NotExposed)
	for src, want := range map[string]string{
		strings.Replace(string(b), "AAH/", "not base64!", 1): "the value is not valid base64", strings.Replace(string(b), `"ok"`,
			`"fine"`, 1): "is not a valid value",
		strings.Replace(string(b), "capture/1", "capture/2", 1): `unknown version "2" of this format`,
	} {
		t.Run(src, func(t *testing.T) {
			if _, err := capture.Read("c", []byte(src)); err == nil || !strings.Contains(err.Error(), want) {
				t.Errorf("%v, want %s", err, want)
			}
		})
	}
}

package main

import (
	"path/filepath"
	"testing"
	"time"

	"rolltop.example/rolltop/core/decode/sample"
	"rolltop.example/rolltop/internal/collect"
	"rolltop.example/rolltop/internal/server"
	"rolltop.example/rolltop/internal/servertest"
)

// How much longer a run takes that proves something: from the first word with the TPM to the end, and how much of that
// is the TPM's own time; with enrolment, which is once, and without it.
func BenchmarkProves(b *testing.B) {
	if !collect.Elevated() {
		b.Skip("only an administrator keeps a key")
	}
	log, registers := sample.BootLog{SecureBoot: 1, Keys: 30, Entries: make([]string, 15)}.Write()
	b.Cleanup(func() { openTPM = collect.OpenTPM })
	var enrols, proves, inTPM time.Duration
	var began time.Time
	for b.Loop() {
		s := servertest.Start(b, nil)
		key := filepath.Join(b.TempDir(), "machine-key.pem")
		token := s.NewToken(b, "desks", server.ScopeSubmit)
		chip := &sample.Chip{Seed: "a", Registers: registers}
		talk := talking(func(command []byte) ([]byte, error) {
			start := time.Now()
			defer func() { inTPM += time.Since(start) }()
			return chip.Answer(command), nil
		}, log)
		openTPM = func() (*collect.TPM, error) {
			began = time.Now()
			return talk()
		}
		for _, sum := range []*time.Duration{&enrols, &proves} {
			start := time.Now()
			code, out, errOut := collector(b, "--attest", "--server", s.URL, "--token", token, "--key-file", key)
			if code != 0 {
				b.Fatal(out, errOut)
			}
			*sum += time.Since(began)
			time.Sleep(time.Until(start.Add(2100 * time.Millisecond))) // a signature counts where its second is later
		}
	}
	each := func(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 / float64(b.N) }
	b.ReportMetric(each(enrols), "ms-enrolling")
	b.ReportMetric(each(proves), "ms-proving")
	b.ReportMetric(each(inTPM), "ms-of-both-in-the-TPM")
}

package main

import (
	"path/filepath"
	"testing"
	"time"

	"rolltop.example/rolltop/core/attest"
	"rolltop.example/rolltop/core/decode/sample"
	"rolltop.example/rolltop/internal/collect"
	"rolltop.example/rolltop/internal/server"
	"rolltop.example/rolltop/internal/servertest"
)

// How much longer a run takes that proves something, beside the time of the TPM itself: with enrolment, which is
// once, and without it.
func BenchmarkProves(b *testing.B) {
	if !collect.Elevated() {
		b.Skip("only an administrator keeps a key")
	}
	log, registers := sample.BootLog{SecureBoot: 1, Keys: 30, Entries: make([]string, 15)}.Write()
	b.Cleanup(func() { openTPM = collect.OpenTPM })
	if code, _, errOut := collector(b); code != 0 { // the first reading takes longer
		b.Fatal(errOut)
	}
	var alone, enrols, proves, inTPM time.Duration
	for b.Loop() {
		s := servertest.Start(b, nil)
		key := filepath.Join(b.TempDir(), "machine-key.pem")
		token := s.NewToken(b, "desks", server.ScopeSubmit)
		arguments := []string{"--server", s.URL, "--token", token, "--key-file", key}
		chip := &sample.Chip{Seed: "a", Registers: registers}
		openTPM = func() (*collect.TPM, error) {
			talk, err := attest.Begin(func(command []byte) ([]byte, error) {
				start := time.Now()
				defer func() { inTPM += time.Since(start) }()
				return chip.Answer(command), nil
			})
			return &collect.TPM{Talk: talk, Log: log}, err
		}
		for _, run := range []struct {
			sum  *time.Duration
			more string
		}{{&alone, "--attest=false"}, {&enrols, "--attest"}, {&proves, "--attest"}} {
			start := time.Now()
			if code, out, errOut := collector(b, append([]string{run.more}, arguments...)...); code != 0 {
				b.Fatal(out, errOut)
			}
			*run.sum += time.Since(start)
			time.Sleep(time.Until(start.Add(2100 * time.Millisecond))) // a signature counts where its second is later
		}
	}
	each := func(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 / float64(b.N) }
	b.ReportMetric(each(alone), "ms-without")
	b.ReportMetric(each(enrols-alone), "ms-added-enrolling")
	b.ReportMetric(each(proves-alone), "ms-added")
	b.ReportMetric(each(inTPM), "ms-of-these-in-the-TPM")
}

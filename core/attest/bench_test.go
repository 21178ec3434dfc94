package attest_test

import (
	"crypto/rand"
	"testing"

	"rolltop.example/rolltop/core/attest"
)

// How long a service needs for one proof (signature, log and registers), and to enrol a TPM.
func BenchmarkProof(b *testing.B) {
	m := started("a", safe)
	talk, err := attest.Begin(m.ask)
	if err != nil {
		b.Fatal(err)
	}
	e, err := talk.Evidence(nonce, m.log)
	if err != nil {
		b.Fatal(err)
	}
	b.Run("verify", func(b *testing.B) {
		for b.Loop() {
			if _, err := attest.Verify(e, nonce); err != nil {
				b.Fatal(err)
			}
		}
	})
	b.Run("enrol", func(b *testing.B) {
		for b.Loop() {
			if _, err := attest.Enrol(e, rand.Reader); err != nil {
				b.Fatal(err)
			}
		}
	})
}

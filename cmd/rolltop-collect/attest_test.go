package main

import (
	"path/filepath"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/attest"
	"rolltop.example/rolltop/core/decode/sample"
	"rolltop.example/rolltop/internal/collect"
	"rolltop.example/rolltop/internal/server"
	"rolltop.example/rolltop/internal/servertest"
)

// An administrator's run proves what a TPM attests, if there is one and the service asks for it.
func TestProves(t *testing.T) {
	if !collect.Elevated() {
		t.Skip("only an administrator keeps a key")
	}
	s := servertest.Start(t, nil)
	token := s.NewToken(t, "desks", server.ScopeSubmit)
	key := filepath.Join(t.TempDir(), "machine-key.pem")
	log, registers := sample.BootLog{SecureBoot: 1, Keys: 1}.Write()
	chip := &sample.Chip{Seed: "a", Registers: registers}
	t.Cleanup(func() { openTPM = collect.OpenTPM })
	var last time.Time
	for _, c := range []struct {
		name, want string
		code       int
		open       func() (*collect.TPM, error)
		args       []string
	}{
		{"no TPM", "Sent to", 0, func() (*collect.TPM, error) { return nil, collect.ErrNoTPM }, nil},
		{"no TPM, and it must prove something", "nothing was attested: this machine has no TPM 2.0", 1,
			func() (*collect.TPM, error) { return nil, collect.ErrNoTPM }, []string{"--attest"}},
		{"without a key nobody asks", "the service does not ask for it", 1,
			func() (*collect.TPM, error) { return nil, collect.ErrNoTPM }, []string{"--attest", "--no-key"}},
		{"a TPM", "Attested by the TPM: ", 0, made(chip, log), nil},
		{"the same again", "Attested by the TPM: ", 0, made(chip, log), []string{"--attest"}},
		{"a cut log", "does not account for", 0, made(chip, log[:len(log)-72-40]), nil},
		{"it is not wanted", "Sent to", 0, func() (*collect.TPM, error) {
			t.Error("the TPM is opened")
			return nil, collect.ErrNoTPM
		}, []string{"--attest=false"}},
	} {
		t.Run(c.name, func(t *testing.T) {
			time.Sleep(time.Until(last.Add(1100 * time.Millisecond))) // a signature counts where its second is later
			openTPM = c.open
			code, out, errOut := collector(t, append(c.args, "--server", s.URL, "--token", token, "--key-file", key)...)
			last = time.Now()
			if code != c.code || !strings.Contains(out+errOut, c.want) {
				t.Errorf("%d %s %s; want %d and %q", code, out, errOut, c.code, c.want)
			}
		})
	}
}

func TestProvesToAService(t *testing.T) {
	if code, _, errOut := collector(t, "--attest"); code != exitUsage || !strings.Contains(errOut, "add --server") {
		t.Errorf("%d %s", code, errOut)
	}
}

// made is a conversation with a made-up TPM.
func made(chip *sample.Chip, log []byte) func() (*collect.TPM, error) {
	return talking(func(command []byte) ([]byte, error) { return chip.Answer(command), nil }, log)
}

// talking is a conversation with whatever answers.
func talking(ask attest.Ask, log []byte) func() (*collect.TPM, error) {
	return func() (*collect.TPM, error) {
		talk, err := attest.Begin(ask)
		return &collect.TPM{Talk: talk, Log: log}, err
	}
}

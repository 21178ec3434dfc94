package server_test

import (
	"crypto/ed25519"
	"encoding/base64"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/attest"
	"rolltop.example/rolltop/core/decode/sample"
	"rolltop.example/rolltop/core/decode/tpm"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
	"rolltop.example/rolltop/internal/server"
	"rolltop.example/rolltop/internal/servertest"
	"rolltop.example/rolltop/internal/signature"
)

// attester is a machine with a TPM, which reports to a service.
type attester struct {
	*servertest.Service
	t      *testing.T
	mine   *client.Client
	key    ed25519.PrivateKey
	name   string
	chip   *sample.Chip
	log    []byte
	reads  string // what its system says of secure boot
	minute int
	signed time.Time
}

// safeBoot is what firmware measures with secure boot on.
var safeBoot = sample.BootLog{SecureBoot: 1, Keys: 1, Version: "Plover 4.1", Entries: []string{"Skerry Boot"},
	Disk: "5e1f0000-0000-4000-8000-000000000001"}

func newAttester(t *testing.T, s *servertest.Service, name, seed string, l sample.BootLog) *attester {
	log, registers := l.Write()
	return &attester{s, t, s.As(t, s.NewToken(t, "desk of "+name, server.ScopeSubmit)), machineKey(seed), name,
		&sample.Chip{Seed: seed, Registers: registers}, log, "on", 0, time.Time{}}
}

// submit hands in an inventory, and gives what the service asks for.
func (a *attester) submit() *api.Attest {
	a.t.Helper()
	a.minute++
	if a.minute > 1 {
		time.Sleep(time.Until(a.signed.Add(1100 * time.Millisecond))) // a signature counts where its second is later
	}
	a.signed = time.Now()
	body := like(a.t, a.Service, "corb-005", func(d *inventory.Document) {
		d.Device.Name = inventory.Some(a.name)
		d.Device.Serial = inventory.Some("OS" + a.name)
		d.Device.UUID = inventory.Some("71de0000-0000-4000-8000-000000000" + a.name[5:])
		d.TakenAt = time.Now().Add(time.Duration(a.minute-60) * time.Minute)
		d.Firmware.SecureBoot, d.Firmware.BootMode = inventory.Some(a.reads), inventory.Some("uefi")
		d.TPM.State, d.TPM.Version = inventory.Some("ready"), inventory.Some("2.0")
	})
	got, err := a.mine.SubmitSigned(ctx, body, a.key)
	if err != nil {
		a.t.Fatal(err)
	}
	if got.Attest == nil {
		a.t.Fatalf("the machine is not asked for a proof: %+v", got)
	}
	return got.Attest
}

func (a *attester) talk() *attest.Talk {
	a.t.Helper()
	talk, err := attest.Begin(func(b []byte) ([]byte, error) { return a.chip.Answer(b), nil })
	if err != nil {
		a.t.Fatal(err)
	}
	return talk
}

// evidence is the proof for a nonce.
func (a *attester) evidence(asked *api.Attest) (*attest.Talk, *api.Evidence) {
	a.t.Helper()
	raw, err := base64.RawURLEncoding.DecodeString(asked.Nonce)
	if err != nil {
		a.t.Fatal(err)
	}
	talk := a.talk()
	e, err := talk.Evidence(attest.Qualify(raw, signature.Name(a.key.Public().(ed25519.PublicKey))), a.log)
	if err != nil {
		a.t.Fatal(err)
	}
	return talk, &api.Evidence{Nonce: asked.Nonce, Key: e.Key, Endorsement: e.Endorsement, Quote: e.Quote,
		Signature: e.Signature, Log: e.Log}
}

// prove does all that a collector does.
func (a *attester) prove() api.AttestAnswer {
	a.t.Helper()
	asked := a.submit()
	talk, e := a.evidence(asked)
	answer, err := a.mine.Attest(ctx, e, a.key)
	if err != nil {
		a.t.Fatal(err)
	}
	if answer.Challenge == nil {
		return answer
	}
	secret, err := talk.Open(&tpm.Credential{Blob: answer.Challenge.Credential, Secret: answer.Challenge.Secret})
	if err != nil {
		a.t.Fatal(err)
	}
	answer, err = a.mine.OpenSecret(ctx, &api.OpenedSecret{Nonce: asked.Nonce, Secret: secret}, a.key)
	if err != nil {
		a.t.Fatal(err)
	}
	return answer
}

func (a *attester) machine() api.Machine {
	a.t.Helper()
	m, err := a.Client.Machine(ctx, strings.ToLower(a.name))
	if err != nil {
		a.t.Fatal(err)
	}
	return m
}

// counted is how many machines a filter selects.
func (a *attester) counted(where string) int {
	a.t.Helper()
	list, err := a.Client.Machines(ctx, where, "", 1, 1)
	if err != nil {
		a.t.Fatal(err)
	}
	return list.Total
}

// A TPM is enrolled when it opens a secret; from then on a proof takes one trip.
func TestAttestation(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	a := newAttester(t, s, "GULL-991", "a", safeBoot)
	before := a.counted("attested=no")
	asked := a.submit()
	if m := a.machine(); m.Attested.State != "none" || !strings.Contains(m.Vouched, "not attested") {
		t.Errorf("before: %+v, %s", m.Attested, m.Vouched)
	}
	_, e := a.evidence(asked)
	answer, err := a.mine.Attest(ctx, e, a.key)
	if err != nil || answer.State != "enrolling" {
		t.Fatalf("the first time: %+v %v", answer, err)
	}
	if a.counted("attested=yes") != 0 {
		t.Error("a TPM that has opened no secret counts")
	}
	if answer = a.prove(); answer.State != "attested" || !slices.Contains(answer.Facts, "firmware.secure_boot") {
		t.Fatalf("%+v", answer)
	}
	m := a.machine()
	if m.Attested.State != "attested" || len(m.Attested.Facts) != 5 {
		t.Errorf("%+v", m.Attested)
	}
	if len(m.Attested.Measured) == 0 {
		t.Error("nothing of the boot log is shown")
	}
	if !strings.Contains(m.Attested.Says, "no certificate of its maker") {
		t.Errorf("says %q", m.Attested.Says)
	}
	if yes, no := a.counted("attested=yes"), a.counted("attested=no"); yes != 1 || no != before {
		t.Errorf("attested: %d, not attested: %d, and %d before the machine came", yes, no, before)
	}
	// The second time nothing has to be opened.
	asked = a.submit()
	_, e = a.evidence(asked)
	if answer, err = a.mine.Attest(ctx, e, a.key); err != nil || answer.State != "attested" {
		t.Errorf("the second time: %+v %v", answer, err)
	}
}

// A system that reports secure boot as on, while its firmware measured it as off, is caught.
func TestALyingSystem(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	off := safeBoot
	off.SecureBoot = 0
	a := newAttester(t, s, "GULL-992", "a", off)
	answer := a.prove()
	if answer.State != "contradicted" || !slices.Equal(answer.Denied, []string{"firmware.secure_boot"}) {
		t.Fatalf("%+v", answer)
	}
	m := a.machine()
	if m.Disposition != "undetermined" || !strings.Contains(m.Answer, "secure boot on") {
		t.Errorf("%s, %s: a result rests on what is contradicted", m.Disposition, m.Answer)
	}
	if m.Attested.Facts[0].Reported != "on" || m.Attested.Facts[0].Value != "off" {
		t.Errorf("%+v", m.Attested.Facts[0])
	}
	if !strings.Contains(m.Attested.Says, "contradicts its system on secure boot") {
		t.Errorf("says %q", m.Attested.Says)
	}
	if n := a.counted("attested=contradicted"); n != 1 {
		t.Errorf("%d machines are contradicted", n)
	}
	// Whoever checks elsewhere has the contradiction as well; what was handed in stays as it came.
	for _, c := range []struct {
		what string
		get  func() ([]byte, error)
		want string
	}{
		{"as it is checked", func() ([]byte, error) { return a.Client.ProvenInventory(ctx, m.Key) }, "? disagree"},
		{"as it came", func() ([]byte, error) { return a.Client.Inventory(ctx, m.Key, 0) }, "on"},
	} {
		t.Run(c.what, func(t *testing.T) {
			text, err := c.get()
			if err != nil {
				t.Fatal(err)
			}
			d, err := inventory.Read(c.what, text)
			if err != nil {
				t.Fatal(err)
			}
			if got := fact.Read(d).Get(fact.SecureBoot).Plain(); got != c.want {
				t.Errorf("secure boot %s; want %s", got, c.want)
			}
		})
	}
	// The system tells the truth: the next proof agrees.
	a.reads = "off"
	if answer = a.prove(); answer.State != "attested" {
		t.Errorf("%+v", answer)
	}
	if m = a.machine(); m.Disposition != "reconfigure" || len(m.Changes) != 2 {
		t.Errorf("afterwards it is %s, with %d changes: %s", m.Disposition, len(m.Changes), m.Answer)
	}
}

// Each of these is refused, and says why.
func TestProofsThatAreNone(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	a := newAttester(t, s, "GULL-993", "a", safeBoot)
	if answer := a.prove(); answer.State != "attested" {
		t.Fatalf("%+v", answer)
	}
	foreign := newAttester(t, s, "GULL-994", "b", safeBoot)
	for _, c := range []struct {
		name, want string
		send       func(asked *api.Attest) (api.AttestAnswer, error)
	}{
		{"a cut log", "events are missing", func(asked *api.Attest) (api.AttestAnswer, error) {
			_, e := a.evidence(asked)
			e.Log = e.Log[:strings.LastIndex(string(e.Log), "Exit Boot Services Returned")-72]
			return a.mine.Attest(ctx, e, a.key)
		}},
		{"a quote for another request", "answers another request", func(asked *api.Attest) (api.AttestAnswer, error) {
			_, e := a.evidence(&api.Attest{Nonce: base64.RawURLEncoding.EncodeToString(make([]byte, 32))})
			e.Nonce = asked.Nonce
			return a.mine.Attest(ctx, e, a.key)
		}},
		{"another machine's quote", "answers another request", func(asked *api.Attest) (api.AttestAnswer, error) {
			_, e := foreign.evidence(asked)
			return a.mine.Attest(ctx, e, a.key)
		}},
	} {
		t.Run(c.name, func(t *testing.T) {
			answer, err := c.send(a.submit())
			if err != nil {
				t.Fatal(err)
			}
			if answer.State != "refused" || !strings.Contains(answer.Why, c.want) {
				t.Fatalf("%+v %v; want a refusal that says %q", answer, err, c.want)
			}
			if m := a.machine(); m.Attested.State != "refused" || !strings.Contains(m.Attested.Says, c.want) {
				t.Errorf("%+v", m.Attested)
			}
			if answer := a.prove(); answer.State != "attested" {
				t.Errorf("afterwards: %+v", answer)
			}
		})
	}
	if n := a.counted("attested=refused"); n != 0 {
		t.Errorf("%d machines are refused", n)
	}
}

// A call that nobody asked for, or that another key signs, leaves everything as it was.
func TestProofsThatNobodyAskedFor(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	a := newAttester(t, s, "GULL-995", "a", safeBoot)
	if answer := a.prove(); answer.State != "attested" {
		t.Fatalf("%+v", answer)
	}
	b := newAttester(t, s, "GULL-996", "b", safeBoot)
	b.prove()
	asked := a.submit()
	_, e := a.evidence(asked)
	if _, err := a.mine.Attest(ctx, e, b.key); !strings.Contains(fmt.Sprint(err), "not given to this machine") {
		t.Errorf("signed by another machine: %v", err)
	}
	if _, err := a.mine.Attest(ctx, e, a.key); err != nil {
		t.Errorf("the other's call used the nonce up: %v", err)
	}
	if _, err := a.mine.Attest(ctx, e, a.key); err == nil || !strings.Contains(err.Error(), "used before") {
		t.Errorf("the same proof again: %v", err)
	}
	if _, err := a.mine.OpenSecret(ctx, &api.OpenedSecret{Nonce: a.submit().Nonce, Secret: []byte("a guess")},
		a.key); err == nil || !strings.Contains(err.Error(), "not asked to open") {
		t.Errorf("a secret that nobody hid: %v", err)
	}
	if m := a.machine(); m.Attested.State != "attested" {
		t.Errorf("%+v", m.Attested)
	}
}

// Another machine's TPM is not this machine's.
func TestOneTPMOneMachine(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	a := newAttester(t, s, "GULL-997", "a", safeBoot)
	a.prove()
	b := newAttester(t, s, "GULL-998", "b", safeBoot)
	b.chip.Seed = "a"
	const why = "enrolled for the machine gull-997"
	if answer := b.prove(); answer.State != "refused" || !strings.Contains(answer.Why, why) {
		t.Errorf("%+v", answer)
	}
}

// A TPM that opens its secret late does not take the place of the one that was enrolled meanwhile.
func TestEnrolledMeanwhile(t *testing.T) {
	t.Parallel()
	a := newAttester(t, servertest.Demo(t, nil), "GULL-979", "a", safeBoot)
	asked := a.submit()
	talk, e := a.evidence(asked)
	answer, err := a.mine.Attest(ctx, e, a.key)
	if err != nil || answer.Challenge == nil {
		t.Fatalf("%+v %v", answer, err)
	}
	secret, err := talk.Open(&tpm.Credential{Blob: answer.Challenge.Credential, Secret: answer.Challenge.Secret})
	if err != nil {
		t.Fatal(err)
	}
	a.chip.Seed = "another one"
	if first := a.prove(); first.State != "attested" {
		t.Fatalf("%+v", first)
	}
	is := a.machine().Attested.TPM
	_, err = a.mine.OpenSecret(ctx, &api.OpenedSecret{Nonce: asked.Nonce, Secret: secret}, a.key)
	if err == nil || !strings.Contains(err.Error(), "meanwhile") {
		t.Errorf("error %v", err)
	}
	if got := a.machine().Attested; got.TPM != is || got.State != "attested" {
		t.Errorf("afterwards %+v", got)
	}
}

// A machine whose TPM changed is asked about, and attests again once a person confirms it.
func TestAnotherTPM(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	a := newAttester(t, s, "GULL-999", "a", safeBoot)
	a.prove()
	a.chip.Seed = "the module that was put in"
	if answer := a.prove(); answer.State != "another-tpm" {
		t.Fatalf("%+v", answer)
	}
	m := a.machine()
	if m.Attested.State != "another-tpm" || a.counted("attested=asked") != 1 {
		t.Errorf("%+v", m.Attested)
	}
	var id int64
	for _, d := range m.Duplicates {
		if d.Kind == "another-tpm" {
			id = d.ID
		}
	}
	if id == 0 {
		t.Fatalf("nobody is asked: %+v", m.Duplicates)
	}
	if err := a.Client.ResolveDuplicate(ctx, id, "same"); err != nil {
		t.Fatal(err)
	}
	if answer := a.prove(); answer.State != "attested" {
		t.Errorf("%+v", answer)
	}
}

// Nobody hands in that something is attested.
func TestAnInventoryDoesNotSayWhatIsAttested(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	body := like(t, s, "gull-007", func(d *inventory.Document) {
		d.TPM.Attested = []string{"firmware.secure_boot"}
		d.TPM.Attestation = inventory.Some("attested")
	})
	if _, err := s.Client.Submit(ctx, body); err == nil || !strings.Contains(err.Error(), "tpm.attested") {
		t.Errorf("error %v", err)
	}
}

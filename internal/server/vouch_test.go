package server_test

import (
	"bytes"
	"crypto/ed25519"
	"fmt"
	"net/http"
	"strings"
	"sync"
	"testing"
	"time"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/server"
	"rolltop.example/rolltop/internal/servertest"
	"rolltop.example/rolltop/internal/signature"
)

func machineKey(letter string) ed25519.PrivateKey {
	return ed25519.NewKeyFromSeed([]byte(strings.Repeat(letter, ed25519.SeedSize)))
}

// vouching is a service with a machine that was added with a token.
type vouching struct {
	*servertest.Service
	mine, other *client.Client // by two tokens that submit
}

func startVouching(t *testing.T) *vouching {
	s := servertest.Demo(t, nil)
	return &vouching{
		s, s.As(t, s.NewToken(t, "desks", server.ScopeSubmit)), s.As(t, s.NewToken(t, "boats", server.ScopeSubmit)),
	}
}

// reading is the inventory of a new machine; without memory it is not ready.
func (s *vouching) reading(t *testing.T, minute int, memory bool) []byte {
	return like(t, s.Service, "gull-007", func(d *inventory.Document) {
		d.Device.Name = inventory.Some("GULL-990")
		d.Device.Serial = inventory.Some("OS990")
		d.Device.UUID = inventory.Some("71de0000-0000-4000-8000-000000000990")
		d.TakenAt = time.Now().Add(time.Duration(minute-60) * time.Minute)
		if !memory {
			d.Memory.Installed = inventory.Some(int64(1) << 30)
			d.Memory.Visible = inventory.Some(int64(1) << 30)
		}
	})
}

// Another token that knows a machine's name, serial number and UUID changes no verdict of
// it, and keeps it from nothing.
func TestATokenCannotSpeakForMachinesOfOthers(t *testing.T) {
	t.Parallel()
	s := startVouching(t)
	if got, err := s.mine.Submit(ctx, s.reading(t, 0, true)); err != nil || !got.Created {
		t.Fatalf("%+v %v", got, err)
	}
	before, err := s.Client.Machine(ctx, "gull-990")
	if err != nil {
		t.Fatal(err)
	}
	if !strings.Contains(before.Vouched, "token") || before.Check.Vouched != before.Vouched {
		t.Errorf("vouched: %q, in the check %q", before.Vouched, before.Check.Vouched)
	}
	got, err := s.other.Submit(ctx, s.reading(t, 24*60, false)) // a day ahead, too
	expect.NoError(t, err)
	expect.That(t, "got.Beside", got.Beside)
	expect.That(t, "!got.Latest", !got.Latest)
	expect.Same(t, "got.Disposition", got.Disposition, "")
	expect.That(t, `got.Note != ""`, got.Note != "")
	now, err := s.Client.Machine(ctx, "gull-990")
	expect.NoError(t, err)
	expect.Same(t, "now.Disposition", now.Disposition, before.Disposition)
	expect.Same(t, "len(now.Duplicates)", len(now.Duplicates), 1)
	expect.Same(t, "now.Duplicates[0].Kind", now.Duplicates[0].Kind, "unvouched")
	expect.That(t, "!(!now.History[0].Beside && !now.History[1].Beside)",
		!(!now.History[0].Beside && !now.History[1].Beside))
	if n := total(t, s.Client, "duplicate=yes GULL-990"); n != 1 {
		t.Errorf("%d machines are doubted", n)
	}
	// The machine itself reports as ever.
	got, err = s.mine.Submit(ctx, s.reading(t, 10, true))
	expect.NoError(t, err)
	expect.That(t, "!got.Beside", !got.Beside)
	expect.That(t, "got.Latest", got.Latest)
	// A token that follows another speaks for its machines.
	list, err := s.Client.Tokens(ctx)
	if err != nil {
		t.Fatal(err)
	}
	for _, tok := range list.Tokens {
		if tok.Name != "desks" {
			continue
		}
		made, err := s.Client.AddToken(ctx, api.NewToken{Name: "desks 2027", Scope: "submit", Succeeds: tok.ID})
		expect.NoError(t, err)
		expect.Same(t, "made.Taken", made.Taken, 1)
		expect.That(t, "made.Machines != nil", made.Machines != nil)
		expect.Same(t, "*made.Machines", *made.Machines, 10_000)
		got, err := s.As(t, made.Secret).Submit(ctx, s.reading(t, 20, false))
		expect.NoError(t, err)
		expect.That(t, "!got.Beside", !got.Beside)
		expect.That(t, "got.Latest", got.Latest)
	}
}

// A machine that a person handed in is no token's to overwrite, whatever the token knows of
// it; a token that is made for such machines speaks for them from then on.
func TestMachinesThatPersonsHandedIn(t *testing.T) {
	t.Parallel()
	s := startVouching(t)
	before, err := s.Client.Machine(ctx, "gull-007")
	if err != nil {
		t.Fatal(err)
	}
	poor := func(minute int) []byte {
		return like(t, s.Service, "gull-007", func(d *inventory.Document) {
			d.TakenAt = time.Now().Add(time.Duration(minute-60) * time.Minute)
			d.Memory.Installed = inventory.Some(int64(1) << 30)
			d.Memory.Visible = inventory.Some(int64(1) << 30)
			d.OS.Build = inventory.Some(fmt.Sprint(minute))
		})
	}
	got, err := s.mine.Submit(ctx, poor(1))
	expect.NoError(t, err)
	expect.That(t, "got.Beside", got.Beside)
	expect.Contains(t, got.Note, "--imported")
	d, err := s.Client.Machine(ctx, "gull-007")
	expect.NoError(t, err)
	expect.Same(t, "d.Disposition", d.Disposition, before.Disposition)
	expect.Contains(t, d.Vouched, "Imported by a person")
	made, err := s.Client.AddToken(ctx, api.NewToken{Name: "roll-out", Scope: "submit", Imported: true})
	if err != nil || !made.Imported {
		t.Fatalf("%+v %v", made, err)
	}
	got, err = s.As(t, made.Secret).Submit(ctx, poor(2))
	expect.NoError(t, err)
	expect.That(t, "!got.Beside", !got.Beside)
	expect.That(t, "got.Latest", got.Latest)
	if got, err := s.mine.Submit(ctx, poor(3)); err != nil || !got.Beside {
		t.Errorf("another token, after that: %+v %v", got, err)
	}
}

// A machine with a key is believed by its key alone.
func TestAKeySpeaksForItsMachine(t *testing.T) {
	t.Parallel()
	s := startVouching(t)
	key, wrong := machineKey("k"), machineKey("w")
	got, err := s.mine.SubmitSigned(ctx, s.reading(t, 0, true), key)
	expect.NoError(t, err)
	expect.That(t, "got.Created", got.Created)
	expect.That(t, "!got.Beside", !got.Beside)
	time.Sleep(1100 * time.Millisecond) // signatures have seconds
	for name, send := range map[string]func() (api.Submitted, error){
		"not signed": func() (api.Submitted, error) {
			return s.mine.Submit(ctx, s.reading(t, 1, false))
		},
		"with another key": func() (api.Submitted, error) {
			return s.mine.SubmitSigned(ctx, s.reading(t, 2, false), wrong)
		},
		"not signed, by a token for all": func() (api.Submitted, error) {
			return s.Client.Submit(ctx, s.reading(t, 3, false))
		},
		"with another key, of another host": func() (api.Submitted, error) {
			return s.other.SubmitSigned(ctx, s.reading(t, 4, false), wrong)
		},
	} {
		t.Run(name, func(t *testing.T) {
			got, err := send()
			expect.NoError(t, err)
			expect.That(t, name+": got.Beside", got.Beside)
			expect.That(t, name+": !got.Latest", !got.Latest)
		})
	}
	got, err = s.other.SubmitSigned(ctx, s.reading(t, 5, true), key)
	expect.NoError(t, err)
	expect.That(t, "!got.Beside", !got.Beside)
	expect.That(t, "got.Latest", got.Latest)
	d, err := s.Client.Machine(ctx, "gull-990")
	expect.NoError(t, err)
	expect.That(t, "d.Keyed", d.Keyed)
	expect.Contains(t, d.Vouched, "its own key")
	// After its disk was changed it takes one action.
	if err := s.Client.Rekey(ctx, "gull-990", " "); err == nil {
		t.Error("a machine gets another key without a reason")
	}
	if err := s.Client.Rekey(ctx, "gull-990", "its disk was replaced"); err != nil {
		t.Fatal(err)
	}
	audit, err := s.Client.Audit(ctx, "", "gull-990", "", 10)
	expect.NoError(t, err)
	expect.That(t, "len(audit.Entries) != 0", len(audit.Entries) != 0)
	expect.Same(t, "audit.Entries[0].What", audit.Entries[0].What, "replace-key")
	expect.Same(t, "audit.Entries[0].Becomes", audit.Entries[0].Becomes, "its disk was replaced")
	time.Sleep(1100 * time.Millisecond)
	got, err = s.mine.SubmitSigned(ctx, s.reading(t, 6, true), wrong)
	expect.NoError(t, err)
	expect.That(t, "!got.Beside", !got.Beside)
	expect.That(t, "got.Latest", got.Latest)
}

// A signature that does not fit is refused, and nothing is kept of what it came with.
func TestASignatureThatDoesNotFit(t *testing.T) {
	t.Parallel()
	s := startVouching(t)
	body := s.reading(t, 0, true)
	h := signature.Sign(http.MethodPost, body, machineKey("k"), time.Now())
	for name, change := range map[string]func(r *http.Request){
		"the digest does not match the body": func(r *http.Request) {
			r.Header.Set("Content-Digest", signature.Digest([]byte("{}")))
		},
		"does not match its key": func(r *http.Request) {
			r.Header.Set("Signature-Input", signature.Sign("POST", body, machineKey("w"), time.Now()).Input)
		},
		"does not have the expected form": func(r *http.Request) {
			r.Header.Set("Signature-Input", `sig1=("@method");created=1`)
		},
	} {
		t.Run(name, func(t *testing.T) {
			req, err := http.NewRequest(http.MethodPost, s.URL+"/api/v1/inventories", bytes.NewReader(body))
			if err != nil {
				t.Fatal(err)
			}
			req.Header.Set("Content-Type", "application/json")
			req.Header.Set("Authorization", "Bearer "+s.Token)
			h.Set(req.Header)
			change(req)
			res, err := http.DefaultClient.Do(req)
			if err != nil {
				t.Fatal(err)
			}
			text := new(bytes.Buffer)
			_, _ = text.ReadFrom(res.Body)
			_ = res.Body.Close()
			if res.StatusCode != 422 || !strings.Contains(text.String(), name) {
				t.Errorf("%s: %d %s", name, res.StatusCode, text)
			}
		})
	}
	if n := total(t, s.Client, "GULL-990"); n != 0 {
		t.Error("a machine is kept all the same")
	}
}

// A machine that was put at a site by hand stays there, whatever it is called.
func TestARenameMovesNoSiteSetByHand(t *testing.T) {
	t.Parallel()
	s := startVouching(t)
	site := "Eel Ground"
	if _, err := s.Client.Change(ctx, api.MachineChanges{Keys: []string{"gull-007"}, Site: &site}); err != nil {
		t.Fatal(err)
	}
	renamed := like(t, s.Service, "gull-007", func(d *inventory.Document) {
		d.Device.Name, d.TakenAt = inventory.Some("HOLM-507"), time.Now()
	})
	got, err := s.Client.Submit(ctx, renamed)
	expect.NoError(t, err)
	expect.Same(t, "got.Machine", got.Machine, "gull-007")
	expect.Same(t, "got.Name", got.Name, "HOLM-507")
	if d, err := s.Client.Machine(ctx, "gull-007"); err != nil || d.Site != site {
		t.Errorf("it stands at %s, %v", d.Site, err)
	}
}

// Where the disk is nearly full nothing comes in, and reading goes on.
func TestADiskThatIsNearlyFull(t *testing.T) {
	t.Parallel()
	var mu sync.Mutex
	free := int64(1 << 30)
	set := func(n int64) { mu.Lock(); defer mu.Unlock(); free = n }
	s := servertest.StartWith(t, servertest.Options{KeepFree: 256 << 20, FreeBytes: func() (int64, error) {
		mu.Lock()
		defer mu.Unlock()
		return free, nil
	}})
	body := func(i int) []byte {
		return fmt.Appendf(
			nil,
			`{"format":"rolltop-inventory/1","taken_at":"2026-11-20T08:00:00Z","device":{"name":"GULL-%03d"},"os":{"platform":"windows"}}`,
			i,
		)
	}
	send := func(i int) error {
		_, err := s.Client.Submit(ctx, body(i))
		return err
	}
	if err := send(1); err != nil {
		t.Fatal(err)
	}
	set(100 << 20)
	time.Sleep(2100 * time.Millisecond) // the disk is asked every two seconds
	status, text := statusOf(send(2)), fmt.Sprint(send(2))
	expect.Same(t, "status", status, 507)
	expect.Contains(t, text, "100 MiB")
	expect.Contains(t, text, "256 MiB are reserved")
	if err := s.Client.Lines(ctx, bytes.NewReader(body(3)), func(*api.SubmittedLine) {}); statusOf(err) != 507 {
		t.Errorf("lines: %v", err)
	}
	if n := total(t, s.Client, ""); n != 1 {
		t.Errorf("%d machines", n)
	}
	set(1 << 30)
	time.Sleep(2100 * time.Millisecond)
	if err := send(2); err != nil {
		t.Error(err)
	}
}

func statusOf(err error) int {
	if p, ok := err.(*api.Problem); ok {
		return p.Status
	}
	return 0
}

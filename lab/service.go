package main

import (
	"bytes"
	"context"
	"crypto/x509"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"rolltop.example/rolltop/core/attest"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
	"rolltop.example/rolltop/internal/server"
	"rolltop.example/rolltop/internal/service"
	"rolltop.example/rolltop/internal/store"
)

// reporting is a service of one machine: it listens on loopback, and the machine reaches nothing else.
type reporting struct {
	store    *store.Store
	http     *http.Server
	port     int
	token    string // with which the machine submits
	client   *client.Client
	mu       sync.Mutex
	evidence *api.Evidence // that came last
	signer   string        // the machine's public key, from its signature
}

// guestAddress is where the machine finds the service.
const guestAddress = "10.0.2.100:8080"

// startReporting starts one whose makers of TPMs are those; nil: none.
func startReporting(ctx context.Context, dir string, makers *x509.CertPool) (*reporting, error) {
	st, err := store.Open(filepath.Join(dir, "service.db"))
	if err != nil {
		return nil, err
	}
	r := &reporting{store: st}
	svc, err := service.New(ctx, service.Options{Store: st, TPMMakers: makers})
	if err != nil {
		return nil, errors.Join(err, st.Close())
	}
	s := server.New(svc, server.Options{})
	_, all, err1 := s.AddToken(ctx, "the lab", server.ScopeManage)
	_, submit, err2 := s.AddToken(ctx, "the machine", server.ScopeSubmit)
	l, err3 := net.Listen("tcp", "127.0.0.1:0")
	if err := errors.Join(err1, err2, err3); err != nil {
		return nil, errors.Join(err, st.Close())
	}
	handler := s.Handler()
	r.http = &http.Server{ReadHeaderTimeout: time.Minute, Handler: http.HandlerFunc(
		func(w http.ResponseWriter, q *http.Request) {
			if strings.HasSuffix(q.URL.Path, "/attestations") {
				r.note(q)
			}
			handler.ServeHTTP(w, q)
		})}
	go func() { _ = r.http.Serve(l) }()
	r.token = submit
	r.port = l.Addr().(*net.TCPAddr).Port
	r.client, err = client.New("http://"+l.Addr().String(), all)
	return r, err
}

// note keeps what the machine sends, to try afterwards what must be refused.
func (r *reporting) note(q *http.Request) {
	body, err := io.ReadAll(q.Body)
	q.Body = io.NopCloser(bytes.NewReader(body))
	e := new(api.Evidence)
	if err != nil || json.Unmarshal(body, e) != nil {
		return
	}
	_, rest, _ := strings.Cut(q.Header.Get("Signature-Input"), `keyid="`)
	r.mu.Lock()
	defer r.mu.Unlock()
	r.evidence = e
	r.signer, _, _ = strings.Cut(rest, `"`)
}

func (r *reporting) close() error { return errors.Join(r.http.Close(), r.store.Close()) }

// network is the machine's way to the service, and to nothing else.
func (r *reporting) network() []string {
	return []string{
		"-nic",
		fmt.Sprintf("user,restrict=on,model=virtio-net-pci,guestfwd=tcp:%s-cmd:busybox nc 127.0.0.1 %d",
			guestAddress, r.port),
	}
}

// Attests is what the service makes of a machine's proof.
type Attests struct {
	State       string   `json:"state" enum:"none,attested,contradicted,refused"`
	Certificate string   `json:"certificate,omitempty" enum:"none,unknown,verified" doc:"Of the TPM"`
	Facts       []string `json:"facts,omitempty" doc:"fact=value each, by the TPM; with =reported behind it where the system says something else"`
}

// proven is what came of a machine's proof.
type proven struct {
	is       api.Attestation
	evidence *attest.Evidence
	nonce    []byte // that its quote has
}

func (r *reporting) proven(ctx context.Context) (*proven, error) {
	list, err := r.client.Machines(ctx, "", "", 1, 10)
	if err != nil {
		return nil, err
	}
	if len(list.Machines) != 1 {
		return nil, fmt.Errorf("%d machines reported to the service", len(list.Machines))
	}
	m, err := r.client.Machine(ctx, list.Machines[0].Key)
	if err != nil {
		return nil, err
	}
	out := &proven{is: m.Attested}
	r.mu.Lock()
	defer r.mu.Unlock()
	if e := r.evidence; e != nil {
		out.evidence = &attest.Evidence{Key: e.Key, Endorsement: e.Endorsement, Quote: e.Quote, Signature: e.Signature,
			Log: e.Log, Certificates: e.Certificates}
		raw, err := nonceOf(e.Nonce)
		if err != nil {
			return nil, err
		}
		out.nonce = attest.Qualify(raw, r.signer)
	}
	return out, nil
}

// judgeProof holds what a machine proved against its file, and tries what must be refused.
func judgeProof(m *Machine, r *result, others map[string]*result) {
	if m.Attests == nil {
		return
	}
	p := r.proven
	r.fact("attestation", m.Attests.State, p.is.State, p.is.Says, p.is.State == m.Attests.State)
	if want := m.Attests.Certificate; want != "" {
		r.fact("certificate of the TPM", want, p.is.Certificate, p.is.Says, p.is.Certificate == want)
	}
	var got []string
	for _, f := range p.is.Facts {
		text := f.Fact + "=" + f.Value
		if f.Reported != "" {
			text += "=" + f.Reported
		}
		got = append(got, text)
	}
	r.list("attested", m.Attests.Facts, got)
	if p.evidence == nil {
		return
	}
	_, err := attest.Verify(p.evidence, p.nonce)
	r.fact("the proof again", "a proof", fmt.Sprint(err), "with its own nonce", err == nil)
	for _, c := range []struct {
		what  string
		nonce []byte
		spoil func(*attest.Evidence) bool // false: it cannot be tried
	}{
		{"a replayed quote", attest.Qualify([]byte("a later nonce"), "the machine"),
			func(*attest.Evidence) bool { return true }},
		{"a cut log", p.nonce, func(e *attest.Evidence) bool { return cutLog(e) }},
		{"another machine's key", p.nonce, func(e *attest.Evidence) bool { return foreign(e, r, others) }},
	} {
		e := *p.evidence
		if !c.spoil(&e) {
			continue
		}
		_, err := attest.Verify(&e, c.nonce)
		refused := new(attest.Refused)
		r.fact(c.what, "refused", fmt.Sprint(err), "the machine's own evidence, changed", errors.As(err, &refused))
	}
}

// cutLog takes the last event away that is of a register that is quoted.
func cutLog(e *attest.Evidence) bool {
	at := bytes.LastIndex(e.Log, []byte("Exit Boot Services Returned with Success"))
	if at < 0 {
		return false
	}
	e.Log = slices.Clone(e.Log[:at])
	// back to where the event begins: register 5 and its type
	begin := bytes.LastIndex(e.Log, []byte{5, 0, 0, 0, 7, 0, 0, 0x80})
	if begin < 0 {
		return false
	}
	e.Log = e.Log[:begin]
	return true
}

func nonceOf(text string) ([]byte, error) { return base64.RawURLEncoding.DecodeString(text) }

// foreign puts another machine's key in.
func foreign(e *attest.Evidence, is *result, others map[string]*result) bool {
	for _, o := range others {
		if o != is && o.proven != nil && o.proven.evidence != nil {
			e.Key = o.proven.evidence.Key
			return true
		}
	}
	return false
}

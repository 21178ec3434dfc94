package cli

import (
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/hex"
	"encoding/pem"
	"errors"
	"fmt"
	"io/fs"
	"math/big"
	"net"
	"os"
	"sync"
	"time"

	"rolltop.example/rolltop/internal/store"
)

// tlsOptions are how a service is reached from elsewhere.
type tlsOptions struct {
	Cert   string `option:"tls-cert" usage:"server certificate chain (PEM)" complete:"file"`
	Key    string `option:"tls-key" usage:"key of the server certificate (PEM)" complete:"file"`
	Self   bool   `option:"tls-self" usage:"create a self-signed certificate, keep it in the database, and print its fingerprint for --pin"`
	Behind bool   `option:"behind-proxy" usage:"a proxy handles TLS, and the service can be reached only through it"`
}

// security is how the service speaks with whoever reaches it.
type security struct {
	config  *tls.Config  // nil: without TLS
	pin     string       // SHA-256 of a certificate that the service made itself
	reload  func() error // reads the certificate's files again; nil where there are none
	proxied bool         // a proxy in front says where requests come from
	secure  bool         // it is reached over TLS, by itself or through a proxy
}

// mistake refuses options that do not go together, and a service that others reach
// without TLS. It reads and makes nothing.
func (o *tlsOptions) mistake(at net.Addr) error {
	cert, key, self, proxy := o.Cert, o.Key, o.Self, o.Behind
	tcp, ok := at.(*net.TCPAddr)
	switch {
	case (cert == "") != (key == ""):
		return wrongUsage("--tls-cert and --tls-key must be given together")
	case self && cert != "":
		return wrongUsage("--tls-self and --tls-cert exclude each other; use one of them")
	case proxy && (self || cert != ""):
		return wrongUsage("--behind-proxy means that a proxy handles TLS; omit it if the service handles TLS")
	case !self && cert == "" && !proxy && ok && !tcp.IP.IsLoopback():
		return wrongUsage("other machines can reach %s, and passwords would be sent unencrypted; give --tls-cert "+
			"and --tls-key, or --tls-self, or, if a proxy handles TLS, --behind-proxy", at)
	}
	return nil
}

// secured reads the certificate that the options name, or makes one.
func (o *tlsOptions) secured(ctx context.Context, st *store.Store) (security, error) {
	switch {
	case o.Self:
		return selfMade(ctx, st)
	case o.Cert != "":
		r := &renewed{cert: o.Cert, key: o.Key}
		if err := r.load(); err != nil {
			return security{}, err
		}
		return security{
			config: &tls.Config{MinVersion: tls.VersionTLS12, GetCertificate: r.get, NextProtos: protocols},
			reload: r.load,
			secure: true,
		}, nil
	case o.Behind:
		return security{secure: true, proxied: true}, nil
	}
	return security{}, nil
}

var protocols = []string{"h2", "http/1.1"}

func configWith(pair tls.Certificate) *tls.Config {
	return &tls.Config{MinVersion: tls.VersionTLS12, Certificates: []tls.Certificate{pair}, NextProtos: protocols}
}

// renewed is a certificate in files, which somebody renews while the service runs.
type renewed struct {
	cert, key string

	mu      sync.Mutex
	pair    *tls.Certificate
	changed time.Time // of the certificate's file
	asked   time.Time
}

// renewalAsked is how often the file is looked at.
const renewalAsked = time.Minute

// load reads the files again. Where they cannot be used, what was read before stays.
func (r *renewed) load() error {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.read()
}

func (r *renewed) read() error {
	st, err := os.Stat(r.cert)
	if err != nil {
		return fmt.Errorf("the certificate cannot be used: %w", err)
	}
	pair, err := tls.LoadX509KeyPair(r.cert, r.key)
	if err != nil {
		return fmt.Errorf("the certificate cannot be used: %w", err)
	}
	r.pair, r.changed, r.asked = &pair, st.ModTime(), time.Now()
	return nil
}

func (r *renewed) get(*tls.ClientHelloInfo) (*tls.Certificate, error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if now := time.Now(); now.Sub(r.asked) > renewalAsked {
		r.asked = now
		if st, err := os.Stat(r.cert); err == nil && !st.ModTime().Equal(r.changed) {
			_ = r.read() // a key that is not written yet is read in a minute
		}
	}
	return r.pair, nil
}

// selfMadeFor is how long a certificate that the service made is good.
const selfMadeFor = 10 * 365 * 24 * time.Hour

// selfMadeSetting is where the database has the certificate that the service made, so that
// a backup holds what machines pin.
const selfMadeSetting = "tls-self"

// selfMade reads the certificate that the service made before, or makes one. Versions
// before kept it in a file beside the database.
func selfMade(ctx context.Context, st *store.Store) (security, error) {
	settings, err := st.Settings(ctx)
	if err != nil {
		return security{}, err
	}
	text := []byte(settings[selfMadeSetting])
	if len(text) == 0 {
		text, err = os.ReadFile(st.Path() + ".tls.pem")
		if errors.Is(err, fs.ErrNotExist) {
			text, err = makeCertificate()
		}
		if err == nil {
			err = st.SetSettings(ctx, map[string]string{selfMadeSetting: string(text)})
		}
		if err != nil {
			return security{}, fmt.Errorf("the certificate cannot be kept: %w", err)
		}
	}
	pair, err := tls.X509KeyPair(text, text)
	if err != nil {
		return security{}, fmt.Errorf("the self-signed certificate cannot be read: %w; restore an earlier backup", err)
	}
	sum := sha256.Sum256(pair.Certificate[0])
	return security{config: configWith(pair), pin: hex.EncodeToString(sum[:]), secure: true}, nil
}

func makeCertificate() ([]byte, error) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return nil, err
	}
	number, err := rand.Int(rand.Reader, new(big.Int).Lsh(big.NewInt(1), 120))
	if err != nil {
		return nil, err
	}
	host, _ := os.Hostname()
	names := []string{"localhost"}
	if host != "" {
		names = append(names, host)
	}
	now := time.Now()
	t := &x509.Certificate{
		SerialNumber: number,
		Subject:      pkix.Name{CommonName: "Rolltop"},
		NotBefore:    now.Add(-time.Hour),
		NotAfter:     now.Add(selfMadeFor),
		DNSNames:     names,
		IPAddresses:  []net.IP{net.IPv4(127, 0, 0, 1), net.IPv6loopback},
		KeyUsage:     x509.KeyUsageDigitalSignature,
		ExtKeyUsage:  []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth},
	}
	der, err := x509.CreateCertificate(rand.Reader, t, t, key.Public(), key)
	if err != nil {
		return nil, err
	}
	private, err := x509.MarshalPKCS8PrivateKey(key)
	if err != nil {
		return nil, err
	}
	return append(pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}),
		pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: private})...), nil
}

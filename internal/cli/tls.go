package cli

import (
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
	"time"

	"github.com/spf13/cobra"
)

// tlsFlags are how a service is reached from elsewhere.
func tlsFlags(cmd *cobra.Command) {
	cmd.Flags().String("tls-cert", "", "certificate of the service (PEM, with those between)")
	cmd.Flags().String("tls-key", "", "its key (PEM)")
	cmd.Flags().Bool("tls-self", false, "make a certificate, kept beside the database, and print its SHA-256 for --pin")
	cmd.Flags().Bool("behind-proxy", false, "a proxy in front does TLS, and nobody reaches the service but through it")
}

// security is how the service speaks with whoever reaches it.
type security struct {
	config  *tls.Config // nil: without TLS
	pin     string      // SHA-256 of a certificate that the service made itself
	proxied bool        // a proxy in front says where requests come from
	secure  bool        // it is reached over TLS, by itself or through a proxy
}

// secured reads the options. To be reached from elsewhere takes TLS, or the word
// that a proxy does it.
func secured(cmd *cobra.Command, database string, at net.Addr) (security, error) {
	cert, _ := cmd.Flags().GetString("tls-cert")
	key, _ := cmd.Flags().GetString("tls-key")
	self, _ := cmd.Flags().GetBool("tls-self")
	proxy, _ := cmd.Flags().GetBool("behind-proxy")
	switch {
	case (cert == "") != (key == ""):
		return security{}, wrongUsage("--tls-cert and --tls-key go together")
	case self && cert != "":
		return security{}, wrongUsage("--tls-self makes a certificate, and --tls-cert names one; give one of them")
	case proxy && (self || cert != ""):
		return security{}, wrongUsage("--behind-proxy says that a proxy does TLS; leave it out where the service does")
	case self:
		return selfMade(database + ".tls.pem")
	case cert != "":
		pair, err := tls.LoadX509KeyPair(cert, key)
		if err != nil {
			return security{}, fmt.Errorf("the certificate cannot be used: %w", err)
		}
		return security{config: configWith(pair), secure: true}, nil
	case proxy:
		return security{secure: true, proxied: true}, nil
	}
	if tcp, ok := at.(*net.TCPAddr); ok && !tcp.IP.IsLoopback() {
		return security{}, wrongUsage("%s can be reached from elsewhere, and passwords would go there in the open; give --tls-cert and --tls-key, or --tls-self, or, where a proxy does TLS, --behind-proxy", at)
	}
	return security{}, nil
}

func configWith(pair tls.Certificate) *tls.Config {
	return &tls.Config{MinVersion: tls.VersionTLS12, Certificates: []tls.Certificate{pair}, NextProtos: []string{"h2", "http/1.1"}}
}

// selfMadeFor is how long a certificate that the service made is good.
const selfMadeFor = 10 * 365 * 24 * time.Hour

// selfMade reads the certificate that the service made before, or makes one.
func selfMade(path string) (security, error) {
	text, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) {
		if text, err = makeCertificate(); err == nil {
			err = os.WriteFile(path, text, 0o600)
		}
	}
	if err != nil {
		return security{}, fmt.Errorf("the certificate cannot be kept: %w", err)
	}
	pair, err := tls.X509KeyPair(text, text)
	if err != nil {
		return security{}, fmt.Errorf("%s is not a certificate with its key: %w; remove it for a new one, which every --pin has to follow", path, err)
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
	t := &x509.Certificate{SerialNumber: number, Subject: pkix.Name{CommonName: "Rolltop"}, NotBefore: now.Add(-time.Hour), NotAfter: now.Add(selfMadeFor), DNSNames: names,
		IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1), net.IPv6loopback}, KeyUsage: x509.KeyUsageDigitalSignature, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth}}
	der, err := x509.CreateCertificate(rand.Reader, t, t, key.Public(), key)
	if err != nil {
		return nil, err
	}
	private, err := x509.MarshalPKCS8PrivateKey(key)
	if err != nil {
		return nil, err
	}
	return append(pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}), pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: private})...), nil
}

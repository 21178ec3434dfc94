package client

import (
	"crypto/sha256"
	"crypto/subtle"
	"crypto/tls"
	"encoding/hex"
	"errors"
	"fmt"
	"net/http"
	"strings"
)

// Pin trusts the one certificate whose SHA-256 this is, in hex with or without
// colons, and no other, whoever signed it: that of a service that made it itself.
func (c *conn) Pin(fingerprint string) error {
	want, err := hex.DecodeString(strings.ReplaceAll(fingerprint, ":", ""))
	if err != nil || len(want) != sha256.Size {
		return fmt.Errorf("%q is not a SHA-256 fingerprint; copy the 64 digits that the service prints when it starts",
			fingerprint)
	}
	if c.base.Scheme != "https" {
		return fmt.Errorf("%s does not use TLS and has no certificate to compare; use https://", c.base)
	}
	c.http.Transport = &http.Transport{
		Proxy: http.ProxyFromEnvironment,
		TLSClientConfig: &tls.Config{MinVersion: tls.VersionTLS12,
			InsecureSkipVerify: true, // the comparison below is stricter
			VerifyConnection: func(s tls.ConnectionState) error {
				if len(s.PeerCertificates) == 0 {
					return errors.New("the service presents no certificate")
				}
				got := sha256.Sum256(s.PeerCertificates[0].Raw)
				if subtle.ConstantTimeCompare(got[:], want) != 1 {
					return fmt.Errorf("the certificate of the service does not match --pin (its fingerprint is "+
						"%x); nothing was sent",
						got)
				}
				return nil
			}},
	}
	return nil
}

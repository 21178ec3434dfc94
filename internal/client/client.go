// Package client is the typed client of the service's API. The command line,
// the collector and the tests use it.
package client

import (
	"errors"
	"fmt"
	"net/http"
	"net/netip"
	"net/url"
	"strings"
	"time"
)

// Client speaks to one service. Each subject of the API is a part of it.
type Client struct {
	*conn
	machines
	intake
	fleet
	work
	waves
	releases
	knowledge
	people
	settings
}

// of is a client of a connection.
func of(c *conn) *Client {
	return &Client{
		c,
		machines{c},
		intake{c},
		fleet{c},
		work{c},
		waves{c},
		releases{c},
		knowledge{c},
		people{c},
		settings{c},
	}
}

// New makes a client for the service at an address such as
// http://127.0.0.1:8470. The token may be empty for a service that asks none.
func New(address, token string) (*Client, error) {
	u, err := url.Parse(address)
	if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" {
		return nil, fmt.Errorf("%q is not the address of a service; write it as http://host:port", address)
	}
	if strings.ContainsAny(token, " \r\n\t") {
		return nil, errors.New("the token contains spaces; copy all of it, without quotes")
	}
	return of(&conn{
		base: u, token: token, http: &http.Client{Timeout: 60 * time.Second},
		Patience: Backoff{Tries: 3, First: time.Second},
	}), nil
}

// InTheOpen says, in a sentence, that what is sent to the service can be read on its way:
// it is reached without TLS, and not on this computer. It is "" otherwise.
func (c *conn) InTheOpen() string {
	host := c.base.Hostname()
	ip, err := netip.ParseAddr(host)
	if c.base.Scheme == "https" || host == "localhost" || err == nil && ip.IsLoopback() {
		return ""
	}
	return fmt.Sprintf("the connection to %s is not encrypted: others can read tokens and passwords; use https://",
		c.base.Host)
}

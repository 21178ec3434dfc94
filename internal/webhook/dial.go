package webhook

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"time"
)

// Webhooks are sent from where the service stands, which reaches more than whoever wrote
// the address of one: the address that is dialled is checked, not the name that was typed.

// Dial connects to an address whose host is a number.
type Dial func(ctx context.Context, network, address string) (net.Conn, error)

var (
	nat64   = netip.MustParsePrefix("64:ff9b::/96")  // RFC 6052, section 2.1
	shared  = netip.MustParsePrefix("100.64.0.0/10") // RFC 6598
	sixToV4 = netip.MustParsePrefix("2002::/16")     // RFC 3056
)

// addressMistake says why no webhook may be sent to an address, and "" where it may.
func addressMistake(ip netip.Addr, allowPrivate bool) string {
	ip = embedded(ip.Unmap())
	switch {
	case ip.IsLinkLocalUnicast():
		return "is a link-local address; nothing is sent there"
	case !ip.IsValid(), ip.IsUnspecified(), ip.IsMulticast(), ip == netip.AddrFrom4([4]byte{255, 255, 255, 255}):
		return "is not the address of a host"
	case allowPrivate:
		return ""
	case ip.IsLoopback(), ip.IsPrivate(), shared.Contains(ip):
		return "is an address of this host or of a private network; an administrator can allow it with rolltop " +
			"settings set --webhooks-private"
	}
	return ""
}

// embedded is the address of IPv4 that one of IPv6 leads to, where it does.
func embedded(ip netip.Addr) netip.Addr {
	b := ip.As16()
	switch {
	case nat64.Contains(ip):
		return netip.AddrFrom4([4]byte(b[12:]))
	case sixToV4.Contains(ip):
		return netip.AddrFrom4([4]byte(b[2:6]))
	}
	return ip
}

// transport dials checked addresses only. A proxy of the environment is not used: it
// would reach what the check does not see.
func transport(allowPrivate func() bool, dial Dial) *http.Transport {
	if dial == nil {
		dial = (&net.Dialer{Timeout: takes}).DialContext
	}
	return &http.Transport{
		DialContext: func(ctx context.Context, network, address string) (net.Conn, error) {
			host, port, err := net.SplitHostPort(address)
			if err != nil {
				return nil, err
			}
			list, err := net.DefaultResolver.LookupNetIP(ctx, "ip", host)
			if err != nil {
				return nil, err
			}
			return dialFirst(ctx, list, port, network, allowPrivate(), dial)
		},
		MaxIdleConnsPerHost: 1,
		IdleConnTimeout:     30 * time.Second,
	}
}

func dialFirst(
	ctx context.Context, list []netip.Addr, port, network string, allowPrivate bool, dial Dial,
) (net.Conn, error) {
	var errs []error
	for _, ip := range list {
		ip = ip.Unmap()
		if wrong := addressMistake(ip, allowPrivate); wrong != "" {
			errs = append(errs, fmt.Errorf("%s %s", ip, wrong))
			continue
		}
		conn, err := dial(ctx, network, net.JoinHostPort(ip.String(), port))
		if err == nil {
			return conn, nil
		}
		errs = append(errs, err)
	}
	return nil, errors.Join(errs...)
}

package webhook

import (
	"context"
	"errors"
	"net"
	"net/http"
	"net/netip"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"rolltop.example/rolltop/internal/expect"
)

// Which addresses are dialled: the dialer is the test's own, and dials nothing.
func TestWhatWebhooksReach(t *testing.T) {
	for _, c := range []struct {
		address         string
		private, public bool // whether it is dialled with the setting, and without it
	}{
		{"192.0.2.1", true, true},
		{"2001:db8::1", true, true},
		{"127.0.0.1", true, false},
		{"::1", true, false},
		{"::ffff:127.0.0.1", true, false},
		{"10.1.2.3", true, false},
		{"172.16.0.1", true, false},
		{"192.168.1.1", true, false},
		{"100.64.0.1", true, false},
		{"fd00::1", true, false},
		{"64:ff9b::10.1.2.3", true, false},
		{"2002:0a01:0203::1", true, false},
		{"169.254.169.254", false, false},
		{"::ffff:169.254.169.254", false, false},
		{"64:ff9b::169.254.169.254", false, false},
		{"2002:a9fe:a9fe::1", false, false},
		{"fe80::1", false, false},
		{"0.0.0.0", false, false},
		{"::", false, false},
		{"224.0.0.1", false, false},
		{"ff02::1", false, false},
		{"255.255.255.255", false, false},
	} {
		t.Run(c.address, func(t *testing.T) {
			ip := netip.MustParseAddr(c.address)
			for _, allow := range []bool{true, false} {
				want := c.public
				if allow {
					want = c.private
				}
				dialled := ""
				private := func() bool { return allow }
				tr := transport(private, func(_ context.Context, _, address string) (net.Conn, error) {
					dialled = address
					return nil, errors.New("this test dials nothing")
				})
				req, err := http.NewRequestWithContext(t.Context(), http.MethodPost,
					"http://"+net.JoinHostPort(c.address, "81")+"/", nil)
				if err != nil {
					t.Fatal(err)
				}
				_, err = tr.RoundTrip(req)
				if got := dialled != ""; got != want || err == nil {
					t.Errorf("%s, private allowed %v: dialled %q, %v", c.address, allow, dialled, err)
				}
				if (addressMistake(ip, allow) == "") != want {
					t.Errorf("%s, private allowed %v: %q", c.address, allow, addressMistake(ip, allow))
				}
			}
		})
	}
}

// A name that leads to several addresses is dialled at those that are allowed, and at
// none that is not.
func TestEveryAddressOfANameIsChecked(t *testing.T) {
	list := []netip.Addr{
		netip.MustParseAddr("169.254.169.254"), netip.MustParseAddr("10.0.0.1"), netip.MustParseAddr("192.0.2.1"),
	}
	var dialled []string
	dial := func(_ context.Context, _, address string) (net.Conn, error) {
		dialled = append(dialled, address)
		return nil, errors.New("this test dials nothing")
	}
	_, err := dialFirst(t.Context(), list, "443", "tcp", false, dial)
	if len(dialled) != 1 || dialled[0] != "192.0.2.1:443" {
		t.Errorf("dialled %v", dialled)
	}
	if err == nil || !strings.Contains(err.Error(), "link-local") {
		t.Error(err)
	}
}

// A redirect is not followed, and a proxy of the environment is not used.
func TestWebhooksGoNowhereElse(t *testing.T) {
	t.Setenv("HTTP_PROXY", "http://192.0.2.99:3128")
	var asked atomic.Int32
	ln, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	h := &http.Server{Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked.Add(1)
		http.Redirect(w, r, "http://192.0.2.5/", http.StatusTemporaryRedirect)
	})}
	go func() { _ = h.Serve(ln) }()
	defer h.Close()
	var dialled []string
	dial := func(ctx context.Context, network, address string) (net.Conn, error) {
		dialled = append(dialled, address)
		return (&net.Dialer{}).DialContext(ctx, network, ln.Addr().String()) // whatever was asked for
	}
	client := NewSender(func() bool { return false }, time.Now, dial).client
	res, err := client.Post("http://192.0.2.1:81/", "application/json", strings.NewReader("{}"))
	if err != nil {
		t.Fatal(err)
	}
	_ = res.Body.Close()
	expect.Same(t, "res.StatusCode", res.StatusCode, http.StatusTemporaryRedirect)
	expect.Same(t, "asked.Load()", asked.Load(), 1)
	expect.Same(t, "len(dialled)", len(dialled), 1)
	expect.Same(t, "dialled[0]", dialled[0], "192.0.2.1:81")
}

package server_test

import (
	"encoding/json"
	"net/http"
	"strings"
	"testing"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/server"
	"rolltop.example/rolltop/internal/servertest"
)

// What names one machine is hidden from viewers wherever it comes from.
func TestViewersSeeNoNumbersEnteredByHand(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	for fact, value := range map[string]string{
		"device.serial":    "HANDMADE-1",
		"device.asset_tag": "TAG-HANDMADE",
		"tpm.header":       "true",
	} {
		t.Run(fact, func(t *testing.T) {
			if _, err := s.Client.SetFact(ctx, "gull-014", fact, api.SetFact{Value: value}); err != nil {
				t.Logf("%s: %v", fact, err) // it may contradict what was read
			}
		})
	}
	viewer := s.As(t, s.NewToken(t, "viewer", server.ScopeRead))
	for who, c := range map[string]bool{"an administrator": true, "a viewer": false} {
		t.Run(who, func(t *testing.T) {
			client := viewer
			if c {
				client = s.Client
			}
			d, err := client.Machine(ctx, "gull-014")
			if err != nil {
				t.Fatal(err)
			}
			seen := map[string]bool{}
			for _, h := range d.Hand {
				seen[h.Fact.Fact] = true
			}
			expect.Same(t, who+": the serial number", seen["device.serial"], c)
			expect.Same(t, who+": the asset tag", seen["device.asset_tag"], c)
			expect.That(t, who+" sees the TPM header", seen["tpm.header"])
		})
	}
	status, _, body := call(t, "GET", s.URL+"/api/v1/machines/gull-014", s.NewToken(t, "another viewer",
		server.ScopeRead),
		"", "")
	if status != 200 || strings.Contains(body, "HANDMADE") {
		t.Errorf("%d: a number is in the answer", status)
	}
}

// A link to a visit ends with the rights of who made it.
func TestVisitLinksEndWithTheirMaker(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	for name, change := range map[string]func() error{
		"a lower role": func() error {
			_, err := s.Client.SetUser(ctx, "clerk", api.SetUser{Role: "viewer"})
			return err
		},
		"leaving": func() error { return s.Client.RemoveUser(ctx, "clerk") },
	} {
		t.Run(name, func(t *testing.T) {
			if _, err := s.Client.SetUser(ctx, "clerk",
				api.SetUser{Role: "technician", Password: "lantern-and-rope"}); err != nil {
				t.Fatal(err)
			}
			cookie, _ := signIn(t, s, "clerk", "lantern-and-rope")
			req, err := http.NewRequest(http.MethodPost, s.URL+"/api/v1/machines/gull-101/visit-link", nil)
			if err != nil {
				t.Fatal(err)
			}
			req.AddCookie(cookie)
			link := visitPathOf(t, req)
			if status := statusAt(t, s.URL+link); status != 200 {
				t.Fatalf("%s: %d before", name, status)
			}
			if err := change(); err != nil {
				t.Fatal(err)
			}
			if status := statusAt(t, s.URL+link); status != http.StatusGone {
				t.Errorf("a link outlives %s of its maker: %d", name, status)
			}
		})
	}
}

// visitPathOf makes a link with a request, and gives its path.
func visitPathOf(t *testing.T, req *http.Request) string {
	t.Helper()
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	var l api.VisitLink
	if err := json.NewDecoder(res.Body).Decode(&l); err != nil || l.Path == "" {
		t.Fatalf("%d %+v %v", res.StatusCode, l, err)
	}
	return l.Path
}

func statusAt(t *testing.T, url string) int {
	t.Helper()
	res, err := http.Get(url)
	if err != nil {
		t.Fatal(err)
	}
	_ = res.Body.Close()
	return res.StatusCode
}

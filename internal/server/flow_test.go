package server_test

import (
	"net/http"
	"strconv"
	"strings"
	"testing"

	"rolltop.example/rolltop/internal/server"
	"rolltop.example/rolltop/internal/servertest"
	"rolltop.example/rolltop/internal/service"
)

// Who comes while there is no room is told to come again, in the header that clients read.
func TestNoRoomSaysWhenToComeAgain(t *testing.T) {
	t.Parallel()
	s := servertest.StartWith(t, servertest.Options{})
	id, secret, err := s.AddToken(t.Context(), "desks", server.ScopeSubmit)
	if err != nil {
		t.Fatal(err)
	}
	c, done := s.Flow.Of("token " + strconv.FormatInt(id, 10))
	defer done()
	end, err := c.Begin(t.Context(), service.CallerWeight)
	if err != nil {
		t.Fatal(err)
	}
	defer end()
	req, err := http.NewRequestWithContext(t.Context(), http.MethodPost, s.URL+"/api/v1/inventories",
		strings.NewReader("{}"))
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer "+secret)
	req.Header.Set("Content-Type", "application/json")
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	if res.StatusCode != http.StatusServiceUnavailable || res.Header.Get("Retry-After") == "" {
		t.Errorf("%s %v", res.Status, res.Header)
	}
}

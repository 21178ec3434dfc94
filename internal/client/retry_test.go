package client_test

import (
	"context"
	"errors"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
	"rolltop.example/rolltop/internal/expect"
)

// flaky answers with each status in turn, and with the last for ever.
func flaky(t *testing.T, statuses ...int) (*client.Client, *int) {
	t.Helper()
	calls := new(int)
	h := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		status := statuses[min(*calls, len(statuses)-1)]
		*calls++
		w.WriteHeader(status)
		_, _ = w.Write([]byte(`{"device":"x"}`))
	}))
	t.Cleanup(h.Close)
	c, err := client.New(h.URL, "")
	if err != nil {
		t.Fatal(err)
	}
	return c, calls
}

func TestTry(t *testing.T) {
	tests := []struct {
		name     string
		statuses []int
		calls    int
		ok       bool
	}{
		{"at once", []int{200}, 1, true}, {"after two failures", []int{503, 429, 200}, 3, true},
		{"refused", []int{401}, 1, false}, {"mistakes", []int{422}, 1, false}, {"always failing", []int{500}, 4, false},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			c, calls := flaky(t, tt.statuses...)
			err := client.Backoff{Tries: 4, First: time.Millisecond}.Try(context.Background(), func() error {
				_, err := c.Submit(context.Background(), []byte("{}"))
				return err
			})
			if *calls != tt.calls || (err == nil) != tt.ok {
				t.Errorf("%s: %d calls, %v", tt.name, *calls, err)
			}
		})
	}
}

// A busy service says when to come back, in seconds or as a date, and is obeyed; one that asks for hours is not.
func TestRetryAfter(t *testing.T) {
	for _, tt := range []struct {
		name, asks string
		least      time.Duration
		calls      int
	}{
		{"seconds", "1", time.Second, 2},
		{"a date", time.Now().Add(3 * time.Second).UTC().Format(http.TimeFormat), time.Second, 2},
		{"now", "0", 0, 2},
		{"no number", "soon", 0, 1}, // it is not asked to come back
	} {
		t.Run(tt.name, func(t *testing.T) {
			t.Parallel()
			calls := 0
			h := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
				if calls++; calls == 1 {
					w.Header().Set("Retry-After", tt.asks)
					w.WriteHeader(http.StatusServiceUnavailable)
					return
				}
				_, _ = w.Write([]byte("{}"))
			}))
			t.Cleanup(h.Close)
			c, err := client.New(h.URL, "")
			if err != nil {
				t.Fatal(err)
			}
			c.Patience = client.Backoff{Tries: 2, First: time.Millisecond}
			start := time.Now()
			_, err = c.Fleet(context.Background(), "")
			expect.Same(t, "calls", calls, tt.calls)
			expect.Same(t, "whether it succeeds", err == nil, tt.calls == 2)
			expect.That(t, "time.Since(start) >= tt.least", time.Since(start) >= tt.least)
		})
	}
	far := &api.Problem{Status: http.StatusServiceUnavailable, RetryAfter: "86400"}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if err := (client.Backoff{Tries: 2, First: 1}).Try(ctx, func() error { return far }); !errors.Is(
		err,
		context.Canceled,
	) {
		t.Errorf("it did not wait: %v", err)
	}
}

func TestTryEndsWithItsContext(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	calls := 0
	err := client.Backoff{Tries: 9, First: time.Hour}.Try(ctx, func() error {
		calls++
		cancel()
		return &client.Unreachable{Address: "x", Err: errors.New("down")}
	})
	if calls != 1 || !errors.Is(err, context.Canceled) {
		t.Errorf("%d calls, %v", calls, err)
	}
}

package server

import (
	"context"
	"fmt"
	"net/http"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"rolltop.example/rolltop/internal/api"
)

// eventsAPI has the operation that tells open pages of changes.
type eventsAPI struct{ *Server }

// How often a page is told of changes at most, how long nothing may be sent, how
// long a page may take to receive it, and how many may listen.
const (
	eventsApart  = time.Second
	eventsSilent = 20 * time.Second
	eventsTake   = 10 * time.Second
	maxListen    = 2000
)

// listen tells an open page of changes by server-sent events (HTML, section 9.2).
func (s eventsAPI) listen(ctx context.Context, _ *struct{}) (*huma.StreamResponse, error) {
	caller := callerOf(ctx)
	hung, ok := s.streams.enter(caller.id())
	if !ok {
		return nil, again(&api.Problem{Status: tooMany, Title: "Too many live connections", Detail: fmt.Sprintf(
			"%s already has %d live pages; this page will not update by itself", caller.Name, maxOfCaller)}, "60")
	}
	if s.listeners.Add(1) > maxListen {
		s.listeners.Add(-1)
		hung()
		return nil, again(&api.Problem{Status: busy, Title: "Too many live connections",
			Detail: "too many live connections; this page will not update by itself"}, "60")
	}
	return &huma.StreamResponse{Body: func(c huma.Context) {
		defer s.listeners.Add(-1)
		defer hung()
		changed, unsubscribe := s.Index.Subscribe()
		defer unsubscribe()
		c.SetHeader("Content-Type", "text/event-stream")
		c.SetHeader("X-Accel-Buffering", "no") // a proxy must not hold it back
		w := c.BodyWriter()
		var control *http.ResponseController
		if rw, ok := w.(http.ResponseWriter); ok {
			control = http.NewResponseController(rw)
		}
		send := func(text string) error {
			if control != nil {
				_ = control.SetWriteDeadline(time.Now().Add(eventsTake))
			}
			if _, err := fmt.Fprint(w, text); err != nil || control == nil {
				return err
			}
			return control.Flush()
		}
		silent := time.NewTicker(eventsSilent)
		defer silent.Stop()
		err := send("retry: 3000\n\n")
		for err == nil {
			select {
			case <-ctx.Done():
				return
			case <-s.stopping:
				return
			case <-silent.C:
				if !s.stillIn(c) {
					return // its token or session has ended meanwhile
				}
				err = send(": still here\n\n")
			case <-changed:
				err = send(fmt.Sprintf("event: changed\ndata: {\"changes\":%d}\n\n", s.Index.Version()))
				pause(ctx, eventsApart)
			}
		}
	}}, nil
}

// maxOfCaller is how many pages of one caller hear of changes.
const maxOfCaller = 50

// streams counts them by caller.
type streams struct {
	mu    sync.Mutex
	count map[string]int
}

func (s *streams) enter(caller string) (leave func(), ok bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.count[caller] >= maxOfCaller {
		return nil, false
	}
	if s.count == nil {
		s.count = map[string]int{}
	}
	s.count[caller]++
	return func() {
		s.mu.Lock()
		defer s.mu.Unlock()
		if s.count[caller]--; s.count[caller] == 0 {
			delete(s.count, caller)
		}
	}, true
}

// stillIn says that whoever listens might begin to now.
func (s eventsAPI) stillIn(c huma.Context) bool {
	who, err := s.identify(c.Context(), c.Header("Authorization"), s.cookieOf(c))
	return err == nil && allows(who.Scope, ScopeRead)
}

func pause(ctx context.Context, d time.Duration) {
	t := time.NewTimer(d)
	defer t.Stop()
	select {
	case <-ctx.Done():
	case <-t.C:
	}
}

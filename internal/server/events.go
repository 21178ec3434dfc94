package server

import (
	"context"
	"fmt"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/internal/api"
)

// How often a page is told of changes at most, how long nothing may be sent, how
// long a page may take to receive it, and how many may listen.
const (
	eventsApart  = time.Second
	eventsSilent = 20 * time.Second
	eventsTake   = 10 * time.Second
	mostListen   = 2000
)

// Pages that are open learn of changes by server-sent events (HTML, section 9.2).
func (s *Server) events(a huma.API) {
	huma.Register(a, secured(huma.Operation{OperationID: "events", Method: http.MethodGet, Path: "/events", Summary: "Hear of changes as they happen", Tags: []string{"Fleet"}, Errors: []int{http.StatusServiceUnavailable},
		Description: "Server-sent events. “changed” says that machines changed, and nothing of which or how: whoever shows some asks for them again.",
		Responses:   map[string]*huma.Response{"200": {Description: "The events", Content: map[string]*huma.MediaType{"text/event-stream": {}}}}}, ScopeRead), s.listen)
	huma.Register(a, secured(huma.Operation{OperationID: "progress", Method: http.MethodGet, Path: "/progress", Summary: "How many machines there were of each disposition, day by day", Tags: []string{"Fleet"}}, ScopeRead), s.progress)
}

func (s *Server) listen(ctx context.Context, _ *struct{}) (*huma.StreamResponse, error) {
	if s.listeners.Add(1) > mostListen {
		s.listeners.Add(-1)
		return nil, huma.ErrorWithHeaders(&api.Problem{Status: http.StatusServiceUnavailable, Title: "Too many listen", Detail: "the service tells as many pages of changes as it can; this one works without"}, http.Header{"Retry-After": {"60"}})
	}
	return &huma.StreamResponse{Body: func(c huma.Context) {
		defer s.listeners.Add(-1)
		bell, hangUp := s.live.listen()
		defer hangUp()
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
				err = send(": still here\n\n")
			case <-bell:
				err = send(fmt.Sprintf("event: changed\ndata: {\"changes\":%d}\n\n", s.live.now()))
				pause(ctx, eventsApart)
			}
		}
	}}, nil
}

func pause(ctx context.Context, d time.Duration) {
	t := time.NewTimer(d)
	defer t.Stop()
	select {
	case <-ctx.Done():
	case <-t.C:
	}
}

func dispositionName(n int) string { return remedy.Disposition(n).String() }

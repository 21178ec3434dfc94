package server

import (
	"bytes"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"
)

// deadlines is a connection that notes how long it may take.
type deadlines struct {
	httptest.ResponseRecorder
	set []time.Duration
}

func (d *deadlines) SetWriteDeadline(at time.Time) error {
	d.set = append(d.set, time.Until(at))
	return nil
}

// Each piece of an answer has a deadline of its own, so that whoever reads slowly is not
// cut off, and whoever does not read is.
func TestSlowReaders(t *testing.T) {
	body := bytes.Repeat([]byte("x"), 3*writePiece+1)
	d := &deadlines{ResponseRecorder: *httptest.NewRecorder()}
	unhurried(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		if n, err := w.Write(body); n != len(body) || err != nil {
			t.Errorf("%d of %d bytes, %v", n, len(body), err)
		}
	})).ServeHTTP(d, httptest.NewRequest(http.MethodGet, "/", nil))
	if !bytes.Equal(d.Body.Bytes(), body) || len(d.set) != 4 {
		t.Errorf("%d bytes under %d deadlines", d.Body.Len(), len(d.set))
	}
	for _, left := range d.set {
		if left > writeTakes || left < writeTakes/2 {
			t.Errorf("a deadline in %v", left)
		}
	}
}

// One caller cannot hold all places of those who hear of changes.
func TestPagesOfOneCaller(t *testing.T) {
	var s streams
	var leave []func()
	for range maxOfCaller {
		out, ok := s.enter("one")
		if !ok {
			t.Fatal("a page is refused that there is room for")
		}
		leave = append(leave, out)
	}
	if _, ok := s.enter("one"); ok {
		t.Error("one caller has any number of pages")
	}
	if out, ok := s.enter("two"); !ok {
		t.Error("one caller keeps another out")
	} else {
		out()
	}
	for _, out := range leave {
		out()
	}
	if len(s.count) != 0 {
		t.Errorf("pages that were closed count: %v", s.count)
	}
}

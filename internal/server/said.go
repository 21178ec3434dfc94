package server

import (
	"sync"

	"rolltop.example/rolltop/core/means"
	"rolltop.example/rolltop/core/release"
)

// said remembers the sentences on what machines take: working one out reads all that is
// known of a machine, and lists show the same machines again and again.
type said struct {
	mu        sync.Mutex
	version   uint64
	since     uint64           // what was begun before it is not remembered
	forgotten map[int64]uint64 // machines that were changed since, by the version
	list      map[int64]sentence
}

// sentence is what was said, and what it was said of beside the machine's facts.
type sentence struct {
	text    string
	means   *means.Means
	release *release.Release
	waived  string
}

const (
	mostSaid      = 20_000
	mostForgotten = 10_000
)

// begin is called before facts are read that sentences are worked out from.
func (s *said) begin() uint64 {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.version
}

func (s *said) get(id int64, of sentence) (text string, ok bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	got, ok := s.list[id]
	text, got.text = got.text, ""
	return text, ok && got == of
}

// put remembers a sentence on facts that were read after begin, unless the machine was
// changed meanwhile.
func (s *said) put(begun uint64, id int64, is sentence) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if begun < s.since || s.forgotten[id] > begun {
		return
	}
	if s.list == nil || len(s.list) >= mostSaid {
		s.list = map[int64]sentence{}
	}
	s.list[id] = is
}

// forget takes back what was said of machines that were changed, or of all.
func (s *said) forget(ids []int64, all bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(ids) == 0 && !all {
		return
	}
	s.version++
	if all {
		s.list = nil
	}
	if all || len(s.forgotten)+len(ids) > mostForgotten {
		s.since, s.forgotten = s.version, nil
	}
	if s.forgotten == nil {
		s.forgotten = map[int64]uint64{}
	}
	for _, id := range ids {
		delete(s.list, id)
		s.forgotten[id] = s.version
	}
}

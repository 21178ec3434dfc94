package server

import (
	"context"
	"fmt"
	"maps"
	"net/http"
	"strings"
	"sync"
	"time"
	"unicode"

	"rolltop.example/rolltop/internal/auth"
	"rolltop.example/rolltop/internal/store"
)

// Acts of the audit log that belong to no operation with a caller.
const (
	auditSignIn        = "sign-in"
	auditSignInFailed  = "sign-in-failed"
	auditSignInRefused = "sign-in-refused"
)

type addressKey struct{}

// addressed keeps with a request the address that it came from.
func (s *Server) addressed(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		forwarded := ""
		if s.proxied {
			forwarded = strings.Join(r.Header.Values("X-Forwarded-For"), ",")
		}
		address := auth.Address(r.RemoteAddr, forwarded)
		next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), addressKey{}, address)))
	})
}

func addressOf(ctx context.Context) string {
	address, _ := ctx.Value(addressKey{}).(string)
	return address
}

// longestNote bounds a name that somebody typed, in characters of the audit log.
const longestNote = 64

// noteSignIn puts a sign-in, or a failed one, into the log and the audit log. A disk that
// cannot be written keeps it out of the latter alone.
func (s *Server) noteSignIn(ctx context.Context, what, name string) {
	if r := []rune(name); len(r) > longestNote {
		name = string(r[:longestNote]) + "…"
	}
	address := addressOf(ctx)
	s.log.Info(what, "name", name, "address", address, "id", ctx.Value(numberKey{}))
	entry := &store.AuditEntry{Millis: s.now().UnixMilli(), Who: name, What: what, Subject: name,
		Becomes: "from " + address}
	if err := s.store.AddAuditEntry(context.WithoutCancel(ctx), entry); err != nil {
		s.log.Warn("a sign-in could not be recorded in the audit log", "error", err)
	}
}

// refusedSignIn notes that an address is refused, once a minute: many of them are a flood.
func (s *Server) refusedSignIn(ctx context.Context, name, address string) {
	if s.refused.first(address, s.now()) {
		s.noteSignIn(ctx, auditSignInRefused, name)
	}
}

// throttle says what comes up for the first time in a minute.
type throttle struct {
	mu     sync.Mutex
	minute int64
	seen   map[string]bool
}

const maxThrottled = 1000

func (t *throttle) first(what string, now time.Time) bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	if minute := now.Unix() / 60; minute != t.minute || t.seen == nil {
		t.minute, t.seen = minute, map[string]bool{}
	}
	if t.seen[what] || len(t.seen) >= maxThrottled {
		return false
	}
	t.seen[what] = true
	return true
}

// uses are the last uses of tokens that the database has not been told of yet: no request
// waits for that, and a disk that cannot be written keeps nobody from reading.
type uses struct {
	mu   sync.Mutex
	last map[int64]time.Time
}

func (u *uses) note(token int64, at time.Time) {
	u.mu.Lock()
	defer u.mu.Unlock()
	if u.last == nil {
		u.last = map[int64]time.Time{}
	}
	u.last[token] = at
}

func (u *uses) all() map[int64]time.Time {
	u.mu.Lock()
	defer u.mu.Unlock()
	return maps.Clone(u.last)
}

// keepUses tells the database of them.
func (s *Server) keepUses(ctx context.Context) error {
	list := s.uses.all()
	if len(list) == 0 {
		return nil
	}
	if err := s.store.NoteUses(ctx, list); err != nil {
		return err
	}
	s.uses.mu.Lock()
	defer s.uses.mu.Unlock()
	for id, at := range list {
		if s.uses.last[id].Equal(at) {
			delete(s.uses.last, id)
		}
	}
	return nil
}

// unkept are sessions that began while the database could not be written.
type unkept struct {
	mu   sync.Mutex
	list map[string]unkeptSession
}

type unkeptSession struct {
	name, password string
	expires        time.Time
}

const maxUnkept = 1000

func (u *unkept) start(sha []byte, user *store.User, expires time.Time) {
	u.mu.Lock()
	defer u.mu.Unlock()
	if u.list == nil || len(u.list) >= maxUnkept {
		u.list = map[string]unkeptSession{}
	}
	u.list[string(sha)] = unkeptSession{user.Name, user.Password, expires}
}

func (u *unkept) end(sha []byte) {
	u.mu.Lock()
	defer u.mu.Unlock()
	delete(u.list, string(sha))
}

// unkeptUser finds whose session it is. A new password ends it, as it ends all others.
// The error may be [store.ErrNotFound].
func (s *Server) unkeptUser(ctx context.Context, sha []byte) (*store.User, error) {
	s.unkept.mu.Lock()
	held, ok := s.unkept.list[string(sha)]
	s.unkept.mu.Unlock()
	if !ok || !s.now().Before(held.expires) {
		return nil, store.ErrNotFound
	}
	u, err := s.store.UserByName(ctx, held.name)
	if err != nil {
		return nil, err
	}
	if u.Password != held.password {
		return nil, store.ErrNotFound
	}
	return u, nil
}

// nameMistake says what is wrong with the name of a user or a token.
func nameMistake(name string) string {
	switch {
	case strings.TrimSpace(name) == "":
		return "a name has at least one letter"
	case strings.TrimSpace(name) != name:
		return fmt.Sprintf("the name %q begins or ends with a space; remove it", name)
	}
	for _, r := range name {
		if unicode.Is(unicode.Cf, r) || unicode.IsControl(r) || r != ' ' && unicode.IsSpace(r) {
			return fmt.Sprintf("the name %q contains an invisible character; use letters, digits, spaces and "+
				"punctuation", name)
		}
	}
	return ""
}

// takenName says why a user or a token cannot have a name: it cannot be one, or the
// audit log could not tell the two apart.
func (s *Server) takenName(ctx context.Context, name string) (string, error) {
	if wrong := nameMistake(name); wrong != "" {
		return wrong, nil
	}
	taken, err := s.store.NameTaken(ctx, name)
	if err != nil || !taken {
		return "", err
	}
	return fmt.Sprintf("a user or a token named %q already exists; choose another name, so that the audit log can "+
		"tell them apart", name), nil
}

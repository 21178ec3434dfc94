// Package server is the service: routes and handlers (one file a resource),
// sign-in, and the console's files. It computes nothing itself; the core does.
package server

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net/http"
	"runtime"
	"sync"
	"sync/atomic"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/means"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/auth"
	"rolltop.example/rolltop/internal/build"
	"rolltop.example/rolltop/internal/store"
)

// Options of a server.
type Options struct {
	Store   *store.Store
	Log     *slog.Logger
	Console fs.FS // the built console; nil: none
	// Collectors is a directory as make dist writes it; nil: none are handed out.
	Collectors fs.FS
	Now        func() time.Time      // for tests; nil: the clock
	Secure     bool                  // it is reached over TLS
	Proxied    bool                  // a proxy in front writes the last part of X-Forwarded-For
	KeepFree   int64                 // bytes of the disk that stay free: with less, no inventories are taken
	FreeBytes  func() (int64, error) // for tests; nil: the disk of the database
	DialHook   Dial                  // for tests; nil: the network
	Pin        string                // the SHA-256 of the certificate that it made itself
}

// Server is the service.
type Server struct {
	store   *store.Store
	log     *slog.Logger
	now     func() time.Time
	console fs.FS
	secure  bool
	pin     string

	live       live
	plans      plans
	parts      bills
	sentences  said
	collectors handouts
	metrics    *metrics

	mu         sync.RWMutex
	set        api.Settings
	means      *means.Means
	targets    map[string]target // by class
	compiled   map[[sha256.Size]byte]*release.Release
	placing    sync.Mutex // one change of the means at a time
	judging    sync.Mutex // one judging of the whole fleet at a time
	judgings   judgings
	judges     judges
	gate       *auth.Gate
	proxied    bool
	uses       uses
	unkept     unkept
	refused    throttle
	hookClient *http.Client
	flow       *flow
	streams    streams
	disk       disk
	freeBytes  func() (int64, error)
	keepFree   int64
	acts       map[string]string // what operations do, for the audit log

	listeners atomic.Int64  // pages that hear of changes
	stopping  chan struct{} // closed when the service stops
	stopOnce  sync.Once
	noted     struct { // the progress that was noted last
		day     string
		version uint64
	}
}

// Stop ends what would keep a server from shutting down: pages that listen.
func (s *Server) Stop() { s.stopOnce.Do(func() { close(s.stopping) }) }

// target is the release that a class of hardware is judged against.
type target struct {
	release   *release.Release
	judgement int64
	next      *release.Release // that follows it; nil where none does
}

// New makes a server and brings verdicts up to date with the stored targets.
func New(ctx context.Context, o Options) (*Server, error) {
	ctx = ownWork(ctx)
	s := &Server{store: o.Store, log: o.Log, now: o.Now, console: o.Console, secure: o.Secure, pin: o.Pin, targets: map[string]target{}, compiled: map[[sha256.Size]byte]*release.Release{}, proxied: o.Proxied, stopping: make(chan struct{})}
	s.collectors.files = o.Collectors
	go s.collectors.all() // their sums take a moment
	if s.now == nil {
		s.now = time.Now
	}
	s.flow, s.keepFree, s.freeBytes = newFlow(), o.KeepFree, o.FreeBytes
	if s.freeBytes == nil {
		s.freeBytes = o.Store.FreeBytes
	}
	s.hookClient = s.newHookClient(o.DialHook)
	s.gate = auth.NewGate(runtime.GOMAXPROCS(0), s.now)
	if s.log == nil {
		s.log = slog.New(slog.DiscardHandler)
	}
	s.metrics = s.newMetrics()
	if err := s.loadSettings(ctx); err != nil {
		return nil, err
	}
	if err := s.repack(ctx); err != nil {
		return nil, err
	}
	if err := s.loadMeans(ctx); err != nil {
		return nil, err
	}
	stored, err := s.store.Targets(ctx)
	if err != nil {
		return nil, err
	}
	for class, id := range stored {
		err := s.aim(ctx, class, id)
		var mistakes *doc.Mistakes
		switch {
		case errors.As(err, &mistakes):
			// A document that an earlier version took must not keep the service from
			// starting: its machines are not judged until a revision is added.
			s.log.Error("a target release cannot be read; add a new revision of it", "release", id, "error", err)
		case err != nil:
			return nil, fmt.Errorf("the target release %s cannot be used: %w", id, err)
		}
	}
	return s, s.begin(ctx)
}

// Handler is the whole HTTP interface: /api, the console elsewhere.
func (s *Server) Handler() http.Handler {
	r := chi.NewRouter()
	r.Use(unhurried, numbered, s.addressed, s.logged, middleware.Recoverer, func(next http.Handler) http.Handler { return guarded(s.secure, next) })
	r.Get("/healthz", func(w http.ResponseWriter, r *http.Request) {
		if err := s.store.Ping(r.Context()); err != nil {
			http.Error(w, "the database does not answer", http.StatusServiceUnavailable)
			return
		}
		_, _ = w.Write([]byte("ok\n"))
	})
	// Waits for the index, so that ready is what answers everything at once.
	r.Get("/readyz", func(w http.ResponseWriter, r *http.Request) {
		if err := s.look(r.Context(), func(*fleet.Index) {}); err != nil {
			http.Error(w, "the fleet cannot be read", http.StatusServiceUnavailable)
			return
		}
		_, _ = w.Write([]byte("ready\n"))
	})
	r.Get("/metrics", s.showMetrics())
	r.Mount("/api", s.apiRouter())
	r.Get(visitPath+"*", s.visit)
	r.Get(downloadPath+"*", s.download)
	r.Handle("/*", consoleHandler(s.console))
	return r
}

func (s *Server) apiRouter() http.Handler {
	r := chi.NewRouter()
	r.NotFound(func(w http.ResponseWriter, _ *http.Request) {
		writeProblem(w, &api.Problem{Status: http.StatusNotFound, Title: "Not found", Detail: "the API has no such address; /api/openapi.json lists them"})
	})
	r.MethodNotAllowed(func(w http.ResponseWriter, _ *http.Request) {
		writeProblem(w, &api.Problem{Status: http.StatusMethodNotAllowed, Title: "Method not allowed", Detail: "this address does not take that method; /api/openapi.json lists what it takes"})
	})
	r.Use(middleware.Compress(5, "application/json"))
	Describe(r, s)
	return r
}

// Describe registers every operation. s may be nil when only the description
// is wanted.
func Describe(r chi.Router, s *Server) huma.API {
	config := huma.DefaultConfig("Rolltop", build.Version)
	config.Info.Description = "Inventories of machines, checked against the requirements of a target release."
	config.OpenAPIPath, config.DocsPath, config.SchemasPath = "/openapi", "", ""
	config.CreateHooks = nil // it would build addresses from the Host header
	config.Servers = []*huma.Server{{URL: "/api"}}
	config.Components.Schemas = Registry()
	config.Components.SecuritySchemes = map[string]*huma.SecurityScheme{
		"token":   {Type: "http", Scheme: "bearer", Description: "A token made with rolltop tokens add"},
		"session": {Type: "apiKey", In: "cookie", Name: sessionCookie, Description: "Set by POST /session"},
	}
	a := humachi.New(r, config)
	a.UseMiddleware(s.authorise(a))
	s.sessions(a)
	s.inventories(a)
	s.many(a)
	s.intake(a)
	s.devices(a)
	s.marks(a)
	s.doubts(a)
	s.models(a)
	s.expecting(a)
	s.grids(a)
	s.effects(a)
	s.whatIfs(a)
	s.decisionRoutes(a)
	s.worklists(a)
	s.workExports(a)
	s.waves(a)
	s.ruleChanges(a)
	s.events(a)
	s.hooks(a)
	s.reports(a)
	s.work(a)
	s.houses(a)
	s.fleet(a)
	s.releases(a)
	s.tokens(a)
	s.people(a)
	s.exports(a)
	s.backups(a)
	s.places(a)
	if s != nil {
		s.acts = summaries(a.OpenAPI())
	}
	return a
}

// summaries are what operations do, by their ids.
func summaries(description *huma.OpenAPI) map[string]string {
	out := map[string]string{
		actSignIn:        "Sign in",
		actSignInFailed:  "Fail to sign in",
		actSignInRefused: "Refuse sign-ins for a minute",
	}
	for _, path := range description.Paths {
		for _, op := range []*huma.Operation{path.Post, path.Put, path.Patch, path.Delete} {
			if op != nil {
				out[op.OperationID] = op.Summary
			}
		}
	}
	return out
}

// did says what an act of the audit log was, in words.
func (s *Server) did(what string) string {
	if words := s.acts[what]; words != "" {
		return words
	}
	return what
}

// aim makes the latest final revision of a release the target of its class and
// judges the fleet where that has not been done by this version of the program.
func (s *Server) aim(ctx context.Context, class, id string) error {
	s.judging.Lock()
	defer s.judging.Unlock()
	revision, err := s.store.FinalRevision(ctx, id)
	if err != nil {
		return err
	}
	rel, err := s.release(ctx, id, revision)
	if err != nil {
		return err
	}
	t := target{release: rel}
	following, err := s.following(ctx, rel.ID)
	if err != nil {
		return err
	}
	by := engine(s.toolbox())
	if len(following) > 0 {
		t.next = following[0]
		by += fmt.Sprintf(", before %s@%d", t.next.ID, t.next.Revision)
	}
	j, done, err := s.store.Judgement(ctx, rel.ID, rel.Revision, by, s.now())
	if err != nil {
		return err
	}
	t.judgement = j
	s.mu.Lock()
	s.targets[class] = t // from now on what is handed in is judged so
	s.mu.Unlock()
	defer s.live.stale()
	current, err := s.store.InForce(ctx, class)
	if err != nil {
		return err
	}
	if done {
		if build.Version != "dev" && current == j {
			return nil
		}
		// An earlier judgement knows nothing of what came meanwhile.
		if err := s.store.JudgeAnew(ctx, j); err != nil {
			return err
		}
	}
	// An inventory that is being kept for the former target must not slip through.
	if err := s.store.Settle(ctx); err != nil {
		return err
	}
	if err := s.judgeAll(ctx, class, t); err != nil {
		return err
	}
	if err := s.store.FindOn(ctx, class, rel.ID, rel.Name); err != nil {
		return err
	}
	return s.store.PutInForce(ctx, class, j, s.now(), s.turning(ctx, current, rel))
}

func (s *Server) target(class string) (target, bool) {
	s.mu.RLock()
	defer s.mu.RUnlock()
	t, ok := s.targets[class]
	return t, ok
}

// release compiles a stored revision once; 0 is the latest.
func (s *Server) release(ctx context.Context, id string, revision int) (*release.Release, error) {
	src, err := s.store.ReleaseSource(ctx, id, revision)
	if err != nil {
		return nil, err
	}
	// A revision is never overwritten, so its text names it.
	key := sha256.Sum256(src)
	s.mu.RLock()
	c := s.compiled[key]
	s.mu.RUnlock()
	if c != nil {
		return c, nil
	}
	rel, err := release.Read(id, src, nil)
	if err != nil {
		return nil, fmt.Errorf("the stored document of %s is not one this version reads: %w", id, err)
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.compiled[key] = rel
	return rel, nil
}

// problem turns an error of the store or the core into one that the API says.
// What is not the caller's doing is logged and not told.
func (s *Server) problem(err error, what string) error {
	var mistakes *doc.Mistakes
	var said *api.Problem
	switch {
	case errors.As(err, &said):
		return said
	case errors.As(err, &mistakes):
		return &api.Problem{Status: http.StatusUnprocessableEntity, Title: "The document has mistakes", Detail: err.Error(), Errors: mistakes.List}
	case errors.Is(err, store.ErrNotFound):
		return &api.Problem{Status: http.StatusNotFound, Title: "Not found", Detail: what}
	case errors.Is(err, store.ErrRevision):
		return &api.Problem{Status: http.StatusConflict, Title: "The revision cannot be kept", Detail: err.Error()}
	}
	if errors.Is(err, store.ErrBusy) {
		return huma.ErrorWithHeaders(&api.Problem{Status: http.StatusServiceUnavailable, Title: "Busy", Detail: "more is handed in than can be kept; nothing of this was, try it again in a few seconds"}, http.Header{"Retry-After": {"2"}})
	}
	if errors.Is(err, store.ErrUsedUp) {
		return &api.Problem{Status: http.StatusForbidden, Title: "The token is used up", Detail: "this token has added as many machines as it may; machines that are known can still send. Ask for another token"}
	}
	s.log.Error("request failed", "error", err)
	switch {
	case errors.Is(err, store.ErrFull):
		return &api.Problem{Status: http.StatusInsufficientStorage, Title: "The disk is full", Detail: "the disk of the service's database is full; nothing of this was kept, and what was kept before can be read. Make room, and send it again"}
	case errors.Is(err, store.ErrReadOnly):
		return huma.ErrorWithHeaders(&api.Problem{Status: http.StatusServiceUnavailable, Title: "The database cannot be written", Detail: "the service's disk cannot be written; nothing of this was kept, and what was kept before can be read. The log of the service says more"}, http.Header{"Retry-After": {"60"}})
	}
	return &api.Problem{Status: http.StatusInternalServerError, Title: "The service failed", Detail: "the service could not do this; its log says why. Nothing was changed."}
}

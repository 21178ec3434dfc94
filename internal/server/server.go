// Package server is the HTTP interface of the service: the API, the console's files, the pages of
// visits and the collectors. It computes nothing itself: package service does, and the core. Every
// operation of the API is a row of routes.go; each resource has a file with its handlers.
package server

import (
	"fmt"
	"io/fs"
	"log/slog"
	"net/http"
	"runtime"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/auth"
	"rolltop.example/rolltop/internal/build"
	"rolltop.example/rolltop/internal/service"
	"rolltop.example/rolltop/internal/store"
	"rolltop.example/rolltop/internal/webhook"
)

// Options of a server.
type Options struct {
	Console fs.FS // the built console; nil: none
	// Collectors is a directory as make dist writes it; nil: none are handed out.
	Collectors fs.FS
	Secure     bool   // it is reached over TLS
	Proxied    bool   // a proxy in front writes the last part of X-Forwarded-For
	Pin        string // the SHA-256 of the certificate that it made itself
	// DialHook is how webhooks are dialled, for tests; nil: the network.
	DialWebhook webhook.Dial
}

// Server serves a service over HTTP.
type Server struct {
	*service.Service
	store *store.Store
	log   *slog.Logger
	now   func() time.Time

	console    fs.FS
	collectors collectorFiles
	secure     bool
	proxied    bool
	pin        string
	metrics    *metrics
	audit      map[string]string // what operations do, for the audit log

	sender  *webhook.Sender
	gate    *auth.Gate
	uses    uses
	unkept  unkept
	refused throttle

	operations http.Handler // the API, without what stands before it

	streams   streams
	listeners atomic.Int64  // pages that hear of changes
	stopping  chan struct{} // closed when the service stops
	stopOnce  sync.Once
}

// Stop ends what would keep a server from shutting down: pages that listen.
func (s *Server) Stop() { s.stopOnce.Do(func() { close(s.stopping) }) }

// New makes a server of a service.
func New(svc *service.Service, o Options) *Server {
	s := &Server{
		Service:  svc,
		store:    svc.Store,
		log:      svc.Log,
		now:      svc.Now,
		console:  o.Console,
		secure:   o.Secure,
		proxied:  o.Proxied,
		pin:      o.Pin,
		stopping: make(chan struct{}),
		gate:     auth.NewGate(runtime.GOMAXPROCS(0), svc.Now),
	}
	s.collectors.files = o.Collectors
	go s.collectors.all() // their sums take a moment
	allowPrivate := func() bool { return s.Settings.Get().WebhooksPrivate }
	s.sender = webhook.NewSender(allowPrivate, s.now, o.DialWebhook)
	s.Webhooks.DeliverBy(s.sender.Send)
	s.metrics = s.newMetrics()
	s.Intake.Note = s.metrics.inventory
	s.Upkeep.Also("the last uses of tokens were not recorded", s.keepUses)
	return s
}

// Handler is the whole HTTP interface: /api, the console elsewhere.
func (s *Server) Handler() http.Handler {
	r := chi.NewRouter()
	r.Use(unhurried, numbered, s.addressed, s.logged, middleware.Recoverer, s.guarded, answering)
	r.Get("/healthz", s.healthy)
	r.Get("/readyz", s.ready)
	r.Get("/metrics", s.showMetrics())
	r.Mount("/api/v1", s.apiRouter())
	r.HandleFunc("/api/*", noSuchAddress)
	r.Get(visitPath+"*", visitsAPI{s}.visit)
	r.Post(visitPath+"*", visitsAPI{s}.visit)
	r.Get(downloadPath+"*", s.download)
	r.Handle("/*", consoleHandler(s.console))
	return r
}

func (s *Server) healthy(w http.ResponseWriter, r *http.Request) {
	if err := s.store.Ping(r.Context()); err != nil {
		http.Error(w, "the database does not respond", http.StatusServiceUnavailable)
		return
	}
	_, _ = w.Write([]byte("ok\n"))
}

// ready waits for the index, so that ready is what answers everything at once.
func (s *Server) ready(w http.ResponseWriter, r *http.Request) {
	if err := s.Index.View(r.Context(), func(*fleet.Index) {}); err != nil {
		http.Error(w, "the fleet cannot be read", http.StatusServiceUnavailable)
		return
	}
	_, _ = w.Write([]byte("ready\n"))
}

// noSuchAddress answers for every address below /api that the API does not have, so
// that a program never takes the console's page for an answer.
func noSuchAddress(w http.ResponseWriter, _ *http.Request) {
	writeProblem(w, &api.Problem{Status: http.StatusNotFound, Title: "Not found",
		Type:   api.ProblemPath + api.ProblemNoAddress,
		Detail: "the API does not have this address; see /api/v1/openapi.json"})
}

func (s *Server) apiRouter() http.Handler {
	r := chi.NewRouter()
	r.NotFound(noSuchAddress)
	r.MethodNotAllowed(func(w http.ResponseWriter, req *http.Request) {
		methods := allowed(r, strings.TrimPrefix(req.URL.Path, "/api/v1"))
		w.Header().Set("Allow", strings.Join(methods, ", "))
		writeProblem(w, &api.Problem{Status: http.StatusMethodNotAllowed, Title: "Method not allowed",
			Detail: fmt.Sprintf("this address does not accept %s; use %s", req.Method, strings.Join(methods, " or "))})
	})
	r.Use(middleware.Compress(5, "application/json"))
	s.audit = audit(Describe(r, s).OpenAPI())
	s.operations = r
	return r
}

// ours makes the library speak as the API does. Its settings are variables of its package.
var ours = sync.OnceFunc(func() {
	huma.ValidateStrictCasing = true
	huma.NewError = newProblem
	huma.DefaultArrayNullable = false // we never answer null for an empty list
})

// Describe registers every operation. s may be nil when only the description is wanted.
func Describe(r chi.Router, s *Server) huma.API {
	ours()
	config := huma.DefaultConfig("Rolltop", build.Version)
	config.Info.Description = "Inventories of machines, checked against the requirements of a target release."
	config.Info.License = &huma.License{Name: "Apache-2.0", Identifier: "Apache-2.0"}
	config.OpenAPIPath, config.DocsPath, config.SchemasPath = "/openapi", "", ""
	config.CreateHooks = nil // it would build addresses from the Host header
	config.Transformers = append(config.Transformers, tagged)
	config.Servers = []*huma.Server{{URL: "/api/v1"}}
	config.Components.Schemas = Registry()
	config.Components.SecuritySchemes = map[string]*huma.SecurityScheme{
		"token":   {Type: "http", Scheme: "bearer", Description: "A token created with rolltop tokens add"},
		"session": {Type: "apiKey", In: "cookie", Name: sessionCookie, Description: "Set by POST /session"},
	}
	a := humachi.New(r, config)
	a.UseMiddleware(s.authorise(a))
	s.register(a)
	describeAll(a.OpenAPI())
	return a
}

// acts are what operations do, by their ids, for the audit log.
func audit(description *huma.OpenAPI) map[string]string {
	out := map[string]string{
		auditSignIn:        "Sign in",
		auditSignInFailed:  "Failed sign-ins",
		auditSignInRefused: "Refused sign-ins for a minute",
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
	if words := s.audit[what]; words != "" {
		return words
	}
	return what
}

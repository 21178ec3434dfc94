package server

import (
	"context"
	"errors"
	"net/http"
	"strconv"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/internal/build"
	"rolltop.example/rolltop/internal/service"
	"rolltop.example/rolltop/internal/store"
)

// metrics are what the service says of itself (OpenMetrics 1.0). No label names
// a machine or a person.
type metrics struct {
	registry *prometheus.Registry
	requests *prometheus.HistogramVec
	kept     *prometheus.CounterVec
}

func (s *Server) newMetrics() *metrics {
	m := &metrics{
		registry: prometheus.NewRegistry(),
		requests: prometheus.NewHistogramVec(prometheus.HistogramOpts{
			Name:    "rolltop_http_request_duration_seconds",
			Help:    "How long requests took, by the pattern of their address.",
			Buckets: []float64{.001, .0025, .005, .01, .025, .05, .1, .25, .5, 1, 2.5, 10},
		}, []string{"method", "route", "status"}),
		kept: prometheus.NewCounterVec(prometheus.CounterOpts{
			Name: "rolltop_inventories_total",
			Help: "Received inventories, by result.",
		}, []string{"brought"}),
	}
	info := prometheus.NewGauge(prometheus.GaugeOpts{
		Name:        "rolltop_build_info",
		Help:        "The version that runs.",
		ConstLabels: prometheus.Labels{"version": build.Version},
	})
	info.Set(1)
	byDisposition := prometheus.NewDesc("rolltop_machines", "Machines by disposition.", []string{"disposition"}, nil)
	m.registry.MustRegister(
		collectors.NewGoCollector(),
		collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}),
		m.requests, m.kept, info,
		&machines{index: s.Index, desc: byDisposition},
	)
	return m
}

// machines counts the fleet when somebody asks.
type machines struct {
	index *service.Index
	desc  *prometheus.Desc
}

func (c *machines) Describe(to chan<- *prometheus.Desc) { to <- c.desc }

func (c *machines) Collect(to chan<- prometheus.Metric) {
	err := c.index.View(context.Background(), func(x *fleet.Index) {
		t := x.Select(fleet.Filter{}).Count()
		for d, n := range t.By {
			to <- prometheus.MustNewConstMetric(c.desc, prometheus.GaugeValue, float64(n),
				remedy.Disposition(d).String())
		}
		to <- prometheus.MustNewConstMetric(c.desc, prometheus.GaugeValue, float64(t.Unjudged), "not judged")
	})
	if err != nil {
		to <- prometheus.NewInvalidMetric(c.desc, err)
	}
}

// request notes a request that was answered.
func (m *metrics) request(r *http.Request, status int, took time.Duration) {
	route := "other" // the console's own pages
	if rc := chi.RouteContext(r.Context()); rc != nil && rc.RoutePattern() != "" && rc.RoutePattern() != "/*" {
		route = rc.RoutePattern()
	}
	m.requests.WithLabelValues(r.Method, route, strconv.Itoa(status)).Observe(took.Seconds())
}

func (m *metrics) inventory(k *store.Kept) {
	brought := "the same readings"
	switch {
	case k.Created:
		brought = "a new machine"
	case k.Changed:
		brought = "new readings"
	}
	m.kept.WithLabelValues(brought).Inc()
}

// showMetrics lets in who may read.
func (s *Server) showMetrics() http.HandlerFunc {
	show := promhttp.HandlerFor(s.metrics.registry, promhttp.HandlerOpts{EnableOpenMetrics: true})
	return func(w http.ResponseWriter, r *http.Request) {
		secret := ""
		if c, err := r.Cookie(s.cookieName()); err == nil {
			secret = c.Value
		}
		who, err := s.identify(r.Context(), r.Header.Get("Authorization"), secret)
		switch {
		case errors.Is(err, store.ErrNotFound):
			http.Error(w, "use a token that can read: Authorization: Bearer "+tokenPrefix+"…", http.StatusUnauthorized)
		case err != nil:
			http.Error(w, "the database does not respond", http.StatusServiceUnavailable)
		case !allows(who.Scope, ScopeRead) || who.Limited():
			http.Error(w, "this takes the scope "+ScopeRead, http.StatusForbidden)
		default:
			show.ServeHTTP(w, r)
		}
	}
}

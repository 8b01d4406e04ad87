package httpapi

import (
	"context"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"cirque/core/continuity"
	"cirque/core/fault"
	"cirque/core/readiness"
	"cirque/internal/service"
)

// metrics are the figures of one process, in Prometheus's text format. docs/guide/continuity.md lists their names.
type metrics struct {
	registry *prometheus.Registry
	requests *prometheus.CounterVec
	took     *prometheus.HistogramVec
}

func newMetrics(svc *service.Service, cfg Config) *metrics {
	m := &metrics{
		registry: prometheus.NewRegistry(),
		requests: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "cirque_http_requests_total",
			Help: "Requests answered, by method, route and status."}, []string{"method", "route", "status"}),
		took: prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "cirque_http_request_seconds",
			Help: "How long requests took, but for those that wait for a change.", Buckets: []float64{.001, .005, .01, .05,
				.1, .5, 1, 5}},
			[]string{"method", "route"}),
	}
	build := prometheus.NewGauge(prometheus.GaugeOpts{Name: "cirque_build_info", Help: "Always 1; the version is a label.",
		ConstLabels: prometheus.Labels{"version": cfg.Version}})
	build.Set(1)
	m.registry.MustRegister(m.requests, m.took, build, collectors.NewGoCollector(),
		collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}), figures{svc, cfg.Queries})
	return m
}

// answered counts one request. Only routes that exist are labels: what is asked for in vain must not make new ones.
func (m *metrics) answered(c *gin.Context, took time.Duration) {
	route := c.FullPath()
	if route == "" {
		route = "none"
	}
	m.requests.WithLabelValues(c.Request.Method, route, strconv.Itoa(c.Writer.Status())).Inc()
	if c.GetHeader("Prefer") == "" && route != "/api/v1/watch" {
		m.took.WithLabelValues(c.Request.Method, route).Observe(took.Seconds())
	}
}

// serve gives them to whoever may see the fleet.
func (m *metrics) serve(s *server) gin.HandlerFunc {
	h := promhttp.HandlerFor(m.registry, promhttp.HandlerOpts{Timeout: 20 * time.Second})
	return func(c *gin.Context) {
		if err := s.svc.Alerts.MayMeasure(principalOf(c.Request.Context())); err != nil {
			s.problem(c, fault.As(err))
			return
		}
		h.ServeHTTP(c.Writer, c.Request)
	}
}

// figures are read from the service whenever somebody asks.
type figures struct {
	svc     *service.Service
	queries func() map[string]int64
}

var (
	endpointsDesc = prometheus.NewDesc("cirque_endpoints", "Endpoints by state, as counted within the last minute.",
		[]string{"state"}, nil)
	waitingDesc = prometheus.NewDesc("cirque_agents_waiting", "Agents that are connected to this process and wait "+
		"for a change.", nil, nil)
	revisionDesc = prometheus.NewDesc("cirque_estate_revision", "The number of the published revision.", nil, nil)
	databaseDesc = prometheus.NewDesc("cirque_database_up", "1 while the database answers.", nil, nil)
	ageDesc      = prometheus.NewDesc("cirque_known_age_seconds", "How old what this process answers from may be: longer "+
		"than some seconds only where notices of changes do not come.", nil, nil)
	conditionDesc = prometheus.NewDesc("cirque_condition", "1 while something is not as it should be; /readyz says what.",
		[]string{"condition"}, nil)
	upDesc = prometheus.NewDesc("cirque_probe_up", "1 for what answers probes, 0 for what is down; what never "+
		"answered is not there.", []string{"kind", "name"}, nil)
	dutyDesc = prometheus.NewDesc("cirque_server_duty", "The part of its people that a server takes: 0 while "+
		"drained or down, 1 on duty, between while it returns.", []string{"server"}, nil)
	leadingDesc = prometheus.NewDesc("cirque_server_endpoints", "Endpoints of which a queue leads through the server, "+
		"by what they reported last.", []string{"server"}, nil)
	workerDesc = prometheus.NewDesc("cirque_worker_running", "1 while a worker works in this process; 0 in its pauses, "+
		"and where another process has its lease.", []string{"worker"}, nil)
	queriesDesc = prometheus.NewDesc("cirque_database_queries_total", "Questions to the database, by what asked for "+
		"them: a route or a worker.", []string{"for"}, nil)
	backupDesc = prometheus.NewDesc("cirque_backup_timestamp_seconds", "When all was backed up last, in seconds since "+
		"1970; not there where it never was.", nil, nil)
	restartsDesc = prometheus.NewDesc("cirque_worker_restarts_total", "How often a worker of this process ended by "+
		"itself or panicked, and was begun again.", []string{"worker"}, nil)
)

// Describe names them.
func (figures) Describe(ch chan<- *prometheus.Desc) {
	for _, d := range []*prometheus.Desc{endpointsDesc, waitingDesc, revisionDesc, databaseDesc, upDesc, dutyDesc,
		leadingDesc, workerDesc, restartsDesc, queriesDesc, ageDesc, conditionDesc, backupDesc} {
		ch <- d
	}
}

// Collect reads them.
func (f figures) Collect(ch chan<- prometheus.Metric) {
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	gauge := func(d *prometheus.Desc, v float64, labels ...string) {
		ch <- prometheus.MustNewConstMetric(d, prometheus.GaugeValue, v, labels...)
	}
	if f.queries != nil {
		for by, n := range f.queries() {
			ch <- prometheus.MustNewConstMetric(queriesDesc, prometheus.CounterValue, float64(n), by)
		}
	}
	for _, w := range f.svc.Runner.States() {
		running := 0.0
		if w.Running {
			running = 1
		}
		gauge(workerDesc, running, w.Name)
		ch <- prometheus.MustNewConstMetric(restartsDesc, prometheus.CounterValue, float64(w.Restarts), w.Name)
	}
	v := f.svc.Alerts.Figures(ctx)
	gauge(waitingDesc, float64(v.Waiting))
	gauge(revisionDesc, float64(v.Revision))
	is := map[string]float64{}
	for _, c := range f.svc.Present.Readiness().Conditions {
		is[c.Code] = 1
	}
	for _, code := range readiness.Codes() {
		gauge(conditionDesc, is[code], code)
	}
	gauge(databaseDesc, 1-max(is[readiness.Away], is[readiness.Slow]))
	gauge(ageDesc, f.svc.Present.Age().Seconds())
	for name, share := range v.Servers {
		gauge(dutyDesc, share, name)
	}
	for name, n := range v.Leading {
		gauge(leadingDesc, float64(n), name)
	}
	for _, h := range v.Verdicts {
		switch h.Verdict {
		case continuity.Up:
			gauge(upDesc, 1, h.Kind, h.Name)
		case continuity.Gone:
			gauge(upDesc, 0, h.Kind, h.Name)
		}
	}
	if !v.BackedUp.IsZero() {
		gauge(backupDesc, float64(v.BackedUp.Unix()))
	}
	if s := v.Fleet; s != nil {
		gauge(endpointsDesc, float64(s.Converged), "converged")
		gauge(endpointsDesc, float64(s.Behind), "behind")
		gauge(endpointsDesc, float64(s.Failing), "failing")
		gauge(endpointsDesc, float64(s.Silent), "silent")
	}
}

package server

import (
	"context"
	"net/http"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"
)

// scrapeTakes is how long figures of the database are waited for.
const scrapeTakes = 5 * time.Second

// newRequestTimes times what was asked of a server: by route as it is written in the
// router, since there are as many addresses as anybody likes.
func newRequestTimes() *prometheus.HistogramVec {
	return prometheus.NewHistogramVec(prometheus.HistogramOpts{
		Name: "roster_http_request_duration_seconds", Help: "How long requests took, without streams.",
		Buckets: []float64{.005, .01, .025, .05, .1, .25, .5, 1, 2.5, 5, 10},
	}, []string{"method", "route", "status"})
}

// timed times requests that are answered at once. Streams last for as long as
// somebody listens.
func (s *Server) timed(c *gin.Context) {
	began := time.Now()
	c.Next()
	route := c.FullPath()
	if route == "" {
		route = "none" // the application's own addresses, and what is not there
	}
	if !strings.HasSuffix(route, "/events") && route != "/api/v1/link/requests" {
		s.requests.WithLabelValues(c.Request.Method, route, string(rune('0'+c.Writer.Status()/100))+"xx").Observe(time.Since(began).Seconds())
	}
}

// Metrics serves the figures of this process, and what it knows of the
// installation, for Prometheus. They are for who runs the installation: give
// them an address of their own.
func (s *Server) Metrics() http.Handler {
	registry := prometheus.NewRegistry()
	registry.MustRegister(collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}), s.requests, installationFigures{s})
	mux := http.NewServeMux()
	mux.Handle("GET /metrics", promhttp.HandlerFor(registry, promhttp.HandlerOpts{}))
	return mux
}

// installationFigures reads figures of the installation when they are asked for.
type installationFigures struct{ s *Server }

func figure(name, help string, labels ...string) *prometheus.Desc {
	return prometheus.NewDesc("roster_"+name, help, labels, nil)
}

var (
	upFigure          = figure("database_up", "1 where the database answers.")
	versionFigure     = figure("build_info", "The program's version.", "version")
	migrationFigure   = figure("database_migration", "The migration that the database is at.")
	wantsFigure       = figure("database_migration_wanted", "The migration that this program works with.")
	bytesFigure       = figure("database_bytes", "How large the database is.")
	oldestFigure      = figure("database_oldest_transaction_seconds", "The age of the oldest open transaction.")
	replicasFigure    = figure("database_replicas", "How many replicas follow the database.")
	behindFigure      = figure("database_replica_behind_bytes", "How far the slowest replica is behind.")
	connectionsFigure = figure("database_connections", "This server's connections to the database.", "state")
	waitedFigure      = figure("database_connection_waits_total", "How often somebody had to wait for a connection.")
	jobsFigure        = figure("jobs", "Jobs by state; failed ones within a day.", "state")
	oldestJobFigure   = figure("job_waiting_seconds", "For how long the oldest job has waited.")
	interruptedFigure = figure("runs_interrupted", "Runs that stand still and wait for somebody.")
	benchesFigure     = figure("benches", "Benches of servers and computers, by whether they are heard of.", "state")
	savedFigure       = figure("backup_age_seconds", "How long ago roster backup saved the installation; -1 for never.")
)

// Describe tells all figures that there can be.
func (f installationFigures) Describe(to chan<- *prometheus.Desc) {
	for _, d := range []*prometheus.Desc{
		upFigure, versionFigure, migrationFigure, wantsFigure, bytesFigure, oldestFigure, replicasFigure, behindFigure, connectionsFigure,
		waitedFigure, jobsFigure, oldestJobFigure, interruptedFigure, benchesFigure, savedFigure,
	} {
		to <- d
	}
}

// Collect reads them. Without the database there are those of this process.
func (f installationFigures) Collect(to chan<- prometheus.Metric) {
	tell := func(d *prometheus.Desc, value float64, labels ...string) {
		to <- prometheus.MustNewConstMetric(d, prometheus.GaugeValue, value, labels...)
	}
	pool := f.s.store.Connections()
	tell(versionFigure, 1, f.s.config.Version)
	tell(connectionsFigure, float64(pool.Used), "used")
	tell(connectionsFigure, float64(pool.Idle), "idle")
	tell(connectionsFigure, float64(pool.Most), "most")
	to <- prometheus.MustNewConstMetric(waitedFigure, prometheus.CounterValue, float64(pool.Waited))
	ctx, cancel := context.WithTimeout(context.Background(), scrapeTakes)
	defer cancel()
	i, err := f.s.lately(ctx)
	if err != nil {
		tell(upFigure, 0)
		return
	}
	tell(upFigure, 1)
	tell(migrationFigure, float64(i.Database.Migration))
	tell(wantsFigure, float64(i.Database.Wants))
	tell(bytesFigure, float64(i.Database.Bytes))
	tell(oldestFigure, i.Database.Oldest)
	tell(replicasFigure, float64(i.Database.Replicas))
	tell(behindFigure, float64(i.Database.Behind))
	tell(jobsFigure, float64(i.Work.Waiting), "waiting")
	tell(jobsFigure, float64(i.Work.Running), "running")
	tell(jobsFigure, float64(i.Work.Failed), "failed")
	tell(oldestJobFigure, i.Work.OldestWaiting)
	tell(interruptedFigure, float64(i.Work.Interrupted))
	tell(benchesFigure, float64(i.Work.Connected), "connected")
	tell(benchesFigure, float64(i.Work.Silent), "silent")
	age := -1.0
	if i.Saved != nil {
		age = time.Since(i.Saved.At).Seconds()
	}
	tell(savedFigure, age)
}

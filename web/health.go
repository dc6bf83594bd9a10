package web

import (
	"context"
	"fmt"
	"net/http"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"visator/app"
	"visator/app/desk"
	"visator/app/library"
	"visator/store"
)

// meters are what is measured of the server for those who run it.
type meters struct {
	reg      *prometheus.Registry
	requests *prometheus.CounterVec
	seconds  *prometheus.HistogramVec
}

func (s *Server) newMeters() *meters {
	m := &meters{reg: prometheus.NewRegistry(),
		requests: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "visator_requests_total",
			Help: "Requests by route and status."}, []string{"method", "route", "status"}),
		seconds: prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "visator_request_seconds",
			Help: "How long requests took.", Buckets: []float64{.005, .02, .05, .1, .2, .5, 1, 2, 5, 20}},
			[]string{"route"}),
	}
	gauge := func(name, help string, read func() float64) {
		m.reg.MustRegister(prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: name, Help: help}, read))
	}
	m.reg.MustRegister(m.requests, m.seconds, &house{app: s.app})
	pool := s.app.Store.Pool
	gauge("visator_pool_connections", "Connections to the database.",
		func() float64 { return float64(pool.Stat().TotalConns()) })
	gauge("visator_pool_in_use", "Of them, in use.", func() float64 { return float64(pool.Stat().AcquiredConns()) })
	gauge("visator_pool_limit", "Connections at most.", func() float64 { return float64(pool.Stat().MaxConns()) })
	gauge("visator_pool_waits", "How often a connection was waited for.",
		func() float64 { return float64(pool.Stat().EmptyAcquireCount()) })
	gauge("visator_listeners", "Streams of events that are open.", func() float64 { return float64(s.hub.count()) })
	gauge("visator_measuring_lag_seconds", "How long the set that waits longest has not been measured as it is.",
		func() float64 { return s.app.MeasuringLag().Seconds() })
	gauge("visator_edits", "Edits since the start, in this process.",
		func() float64 { return float64(desk.Edits.Load()) })
	gauge("visator_render_samples",
		"Samples of pictures since the start, in this process; its rate is samples a second.",
		func() float64 { return float64(library.Samples.Load()) })
	gauge("visator_disk_free_bytes", "Room on the disk of the blobs; 0 where they are kept elsewhere.",
		func() float64 { return float64(s.app.Store.Room().Free) })
	gauge("visator_disk_bytes", "That disk's size.", func() float64 { return float64(s.app.Store.Room().Total) })
	return m
}

// house tells what the database knows, when it is asked.
type house struct{ app *app.App }

var (
	jobsMeter = prometheus.NewDesc("visator_jobs", "Jobs by kind and state.", []string{"kind", "state"}, nil)
	ageMeter  = prometheus.NewDesc("visator_queue_age_seconds",
		"How long the job has waited that waits longest, by queue.", []string{"queue"}, nil)
)

// Describe implements prometheus.Collector.
func (h *house) Describe(ch chan<- *prometheus.Desc) { ch <- jobsMeter; ch <- ageMeter }

// Collect implements prometheus.Collector. While the database is away it tells
// nothing.
func (h *house) Collect(ch chan<- prometheus.Metric) {
	ctx, cancel := context.WithTimeout(context.Background(), 2*time.Second)
	defer cancel()
	type count struct {
		Kind, State string
		N           int64
	}
	list, err := store.List[count](ctx, h.app.Store.Pool,
		"select kind, state::text, count(*) from river_job group by kind, state")
	if err != nil {
		return
	}
	for _, c := range list {
		ch <- prometheus.MustNewConstMetric(jobsMeter, prometheus.GaugeValue, float64(c.N), c.Kind, c.State)
	}
	ages, err := library.QueueAges(ctx, h.app.Store.Pool)
	if err != nil {
		return
	}
	for _, a := range ages {
		ch <- prometheus.MustNewConstMetric(ageMeter, prometheus.GaugeValue, a.Seconds, a.Queue)
	}
}

func (s *Server) metrics() echo.HandlerFunc {
	h := promhttp.HandlerFor(s.meters.reg, promhttp.HandlerOpts{})
	return func(c *echo.Context) error {
		h.ServeHTTP(c.Response(), c.Request())
		return nil
	}
}

// health says whether the server is alive and reaches its database, and warns of a
// disk that gets full.
func (s *Server) health(c *echo.Context) error {
	ctx, cancel := context.WithTimeout(c.Request().Context(), 2*time.Second)
	defer cancel()
	if err := s.app.Store.Pool.Ping(ctx); err != nil {
		return c.String(http.StatusServiceUnavailable, "the database does not answer\n")
	}
	say := "ok\n"
	if w := shortOf(s.app.Store.Room()); w != "" {
		say += w + "\n"
	}
	return c.String(http.StatusOK, say)
}

// shortOf is what is told when the disk gets full; "" while it is not.
func shortOf(r store.Room) string {
	switch {
	case r.None():
		return fmt.Sprintf("The disk is full: %.0f MB are left. Nothing new can be kept until there is room.",
			float64(r.Free)/1e6)
	case r.Short():
		return fmt.Sprintf("The disk gets full: %.1f GB are left of %.0f GB. Make room before it is.",
			float64(r.Free)/1e9, float64(r.Total)/1e9)
	}
	return ""
}

// stuckAfter is how long a job of a queue that moves waits at most, when nothing
// long is before it; renders may wait a night.
const stuckAfter = 15 * time.Minute

// ready says whether the server can do its work: a line for each thing that it
// needs.
func (s *Server) ready(c *echo.Context) error {
	ctx, cancel := context.WithTimeout(c.Request().Context(), 3*time.Second)
	defer cancel()
	status, say := http.StatusOK, ""
	check := func(what string, err error) {
		if err == nil {
			say += what + ": ok\n"
			return
		}
		status = http.StatusServiceUnavailable
		say += what + ": " + err.Error() + "\n"
	}
	db := s.app.Store.Pool.Ping(ctx)
	if db != nil {
		db = fmt.Errorf("does not answer")
	}
	check("database", db)
	if db == nil && s.dsn != "" {
		check("version", store.Current(ctx, s.dsn))
	}
	blobs := s.app.Store.Writable()
	if blobs != nil {
		blobs = fmt.Errorf("cannot be written")
	}
	check("blobs", blobs)
	var room error
	if s.app.Store.Room().None() {
		room = fmt.Errorf("none left")
	}
	check("room on the disk", room)
	if db == nil {
		ages, err := library.QueueAges(ctx, s.app.Store.Pool)
		for _, a := range ages {
			if a.Queue == library.QueueIntake && a.Seconds > stuckAfter.Seconds() {
				err = fmt.Errorf("the %s queue has not moved for %.0f minutes: is a worker running?", a.Queue,
					a.Seconds/60)
			}
		}
		check("queue", err)
	}
	return c.String(status, say)
}

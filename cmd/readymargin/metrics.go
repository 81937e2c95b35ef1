package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"strconv"
	"time"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"readymargin/pdf"
	"readymargin/school/services"
	"readymargin/store"
)

// metrics are what somebody who watches the server reads, in the text format
// of Prometheus. None says who did something.
type metrics struct {
	registry *prometheus.Registry
	requests *prometheus.HistogramVec
}

func newMetrics(s *services.All, st *store.Store, press *pdf.Pool) (*metrics, error) {
	pool, err := st.DB()
	if err != nil {
		return nil, err
	}
	m := &metrics{prometheus.NewRegistry(), prometheus.NewHistogramVec(prometheus.HistogramOpts{
		Name: "readymargin_request_seconds", Help: "Time to answer a request, by its route and the status of the answer.",
		Buckets: []float64{.005, .01, .025, .05, .1, .25, .5, 1, 2, 5, 15, 60},
	}, []string{"method", "route", "status"})}
	gauge := func(name, help string, value func() int) prometheus.Collector {
		return prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: name, Help: help}, func() float64 { return float64(value()) })
	}
	m.registry.MustRegister(m.requests, collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}),
		collectors.NewDBStatsCollector(pool, "readymargin"),
		gauge("readymargin_screens", "Copies that are open on a screen and wait for news.", s.Live.Listening),
		gauge("readymargin_pdf_working", "PDF workers that are at work.", func() int { n, _ := press.Load(); return n }),
		gauge("readymargin_pdf_waiting", "Pieces of work that wait for a PDF worker.", func() int { _, n := press.Load(); return n }))
	return m, nil
}

// seen takes one answer. Event streams, which last as long as a screen is
// open, would say nothing about how fast answers are.
func (m *metrics) seen(method, route string, status int, took time.Duration) {
	if route == "" { // whatever a stranger thinks of
		method = "any"
	}
	m.requests.WithLabelValues(method, route, strconv.Itoa(status)).Observe(took.Seconds())
}

// serve answers at an address of this machine alone: nobody signs in there.
func (m *metrics) serve(ctx context.Context, address string) error {
	host, _, err := net.SplitHostPort(address)
	if err != nil {
		return err
	}
	if ip := net.ParseIP(host); host != "localhost" && (ip == nil || !ip.IsLoopback()) {
		return fmt.Errorf("metrics are served on this machine alone, as 127.0.0.1:9464, not on %s", address)
	}
	l, err := net.Listen("tcp", address)
	if err != nil {
		return err
	}
	mux := http.NewServeMux()
	mux.Handle("GET /metrics", promhttp.HandlerFor(m.registry, promhttp.HandlerOpts{}))
	srv := &http.Server{Handler: mux, ReadHeaderTimeout: 5 * time.Second}
	context.AfterFunc(ctx, func() { srv.Close() })
	go func() {
		if err := srv.Serve(l); !errors.Is(err, http.ErrServerClosed) {
			slog.Error("serving metrics", "error", err)
		}
	}()
	slog.Info("serving metrics", "address", l.Addr().String())
	return nil
}

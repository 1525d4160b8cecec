package tasks

import (
	"context"
	"log/slog"
	"time"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/rivertype"
)

// metrics are what the queue measures of itself.
type metrics struct {
	jobs     *prometheus.HistogramVec
	pictures prometheus.Counter
	decoding prometheus.Counter
}

func newMetrics() *metrics {
	return &metrics{
		jobs:     prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "neokinema_job_seconds", Help: "How long jobs took, by kind and end.", Buckets: []float64{.1, .5, 1, 5, 15, 60, 300, 1800}}, []string{"kind", "end"}),
		pictures: prometheus.NewCounter(prometheus.CounterOpts{Name: "neokinema_decoded_pictures_total", Help: "Pictures that were decoded and stored."}),
		decoding: prometheus.NewCounter(prometheus.CounterOpts{Name: "neokinema_decoding_seconds_total", Help: "Time spent on decoding them."}),
	}
}

// Metrics are what the queue measures, to be gathered.
func (q *Queue) Metrics() []prometheus.Collector {
	return []prometheus.Collector{q.metrics.jobs, q.metrics.pictures, q.metrics.decoding}
}

// watch logs each job when it is over, by its id, and times it.
func (m *metrics) watch(log *slog.Logger) rivertype.Middleware {
	return river.WorkerMiddlewareFunc(func(ctx context.Context, job *rivertype.JobRow, work func(context.Context) error) error {
		begin := time.Now()
		err := work(ctx)
		took, end, level := time.Since(begin), "done", slog.LevelInfo
		attrs := []slog.Attr{slog.Int64("job", job.ID), slog.String("kind", job.Kind), slog.Int("attempt", job.Attempt), slog.Duration("took", took)}
		if err != nil {
			end, level = "failed", slog.LevelWarn
			attrs = append(attrs, slog.String("error", err.Error()))
		}
		m.jobs.WithLabelValues(job.Kind, end).Observe(took.Seconds())
		log.LogAttrs(ctx, level, "job", attrs...)
		return err
	})
}

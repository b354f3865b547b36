package jobs

import (
	"context"
	"log/slog"
	"time"

	"aftergust/internal/ground/db"
)

// How soon the jobs of a process that died are taken over: within a minute.
const (
	beat   = 10 * time.Second
	silent = 35 * time.Second
)

// A Shift is the time in which a process works jobs. While it lasts the process
// says that it is there, and looks after the jobs of others that have fallen silent.
type Shift struct {
	rows    Rows
	process string
	log     *slog.Logger
}

// NewShift is the shift of a process.
func NewShift(records *db.DB, process string, log *slog.Logger) *Shift {
	return &Shift{Rows{records}, process, log}
}

// Begin says that the process is there. It comes before the first job.
func (s *Shift) Begin(ctx context.Context) error { return s.rows.Beat(ctx, s.process) }

// Run goes on until ctx ends. Nothing is taken over while the database has not
// answered for as long as a process may be silent: the others could not speak either.
func (s *Shift) Run(ctx context.Context) {
	tick := time.NewTicker(beat)
	defer tick.Stop()
	heard := time.Now()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		if err := s.rows.Beat(ctx, s.process); err != nil {
			s.log.Warn("this process cannot say that it is there", "error", err)
			heard = time.Time{}
			continue
		}
		if heard.IsZero() {
			heard = time.Now()
		}
		if time.Since(heard) < silent {
			continue
		}
		n, err := s.rows.TakeOver(ctx, silent)
		switch {
		case err != nil:
			s.log.Warn("jobs of processes that are gone are not taken over", "error", err)
		case n > 0:
			s.log.Info("jobs of processes that are gone are taken over", "jobs", n)
		}
	}
}

// End says that the process works no more, so that what it leaves is taken over
// without waiting for its silence.
func (s *Shift) End(ctx context.Context) {
	if err := s.rows.Leave(ctx, s.process); err != nil {
		s.log.Warn("this process could not say that it leaves", "error", err)
	}
}

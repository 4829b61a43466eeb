package server

import (
	"context"
	"time"

	"woolsignal/server/audit"
)

// looseFor is how long a file is kept that nothing refers to: a call may still
// be on its way that will.
const looseFor = 24 * time.Hour

// tidy deletes, at the start and once a day, files that nothing refers to, and
// forgets what is old of the audit trail.
func (s *Server) tidy(ctx context.Context, trail *audit.Trail) {
	day := time.NewTicker(24 * time.Hour)
	defer day.Stop()
	for {
		n, freed, err := s.Store.Collect(ctx, time.Now().Add(-looseFor))
		switch {
		case ctx.Err() != nil:
			return
		case err != nil:
			s.options.Log.Error("files that nothing refers to could not be deleted", "error", err)
		case n > 0:
			s.options.Log.Info("files that nothing refers to were deleted", "files", n, "bytes", freed)
		}
		if err := trail.Tidy(ctx); err != nil && ctx.Err() == nil {
			s.options.Log.Error("the audit trail could not be shortened", "error", err)
		}
		select {
		case <-day.C:
		case <-ctx.Done():
			return
		}
	}
}

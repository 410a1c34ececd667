package server

import (
	"context"
	"net/http"
	"time"

	"roster/store"
)

// ofDatabase is what a person sees of the database's own failures, and what the
// log says of them.
var ofDatabase = map[store.Failure]struct {
	problem *Problem
	log     string
}{
	store.DatabaseAway: {problem(http.StatusServiceUnavailable, "database-away", "The database does not answer. Nothing was lost; this heals by itself once it is back.").after(2 * time.Second), "the database is away"},
	store.DatabaseBusy: {problem(http.StatusServiceUnavailable, "busy", "The database is busy with other requests. Nothing was changed; try again in a moment.").after(2 * time.Second), "the database is busy: all connections are taken, or requests are in each other's way"},
	store.DatabaseFull: {problem(http.StatusServiceUnavailable, "database-full", "The database has no room left on its disk. Nothing was changed; the keeper has to make room.").after(time.Minute), "the database has no room left: make some"},
	store.TooSlow:      {problem(http.StatusServiceUnavailable, "too-slow", "This took longer than a request may take, and was ended. Nothing was changed; ask for less at once: a narrower scope, fewer words."), "a statement took too long and was ended"},
	store.NotStorable:  {problem(http.StatusUnprocessableEntity, "bad-request", "Something in this request can't be stored: a character, a number or a date outside of what there is. Nothing was written."), "a request had a value that can't be stored and got as far as the database"},
}

// databaseProblem is what a person sees of an error that is the database's own
// and not about what was asked; nil for every other.
func (s *Server) databaseProblem(ctx context.Context, err error) *Problem {
	failure := store.FailureOf(ctx, err)
	if failure == store.NoTables && !s.work.Migrated() {
		return ofDatabase[store.DatabaseAway].problem // they are being made
	}
	of, known := ofDatabase[failure]
	if !known {
		return nil
	}
	s.log.Warn(of.log, "err", err)
	return of.problem
}

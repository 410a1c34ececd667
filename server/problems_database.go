package server

import (
	"context"
	"errors"
	"net"
	"net/http"
	"time"

	"github.com/jackc/pgerrcode"
	"github.com/jackc/pgx/v5/pgconn"

	"roster/store"
)

var (
	databaseAway = problem(http.StatusServiceUnavailable, "database-away", "The database does not answer. Nothing was lost; this heals by itself once it is back.").after(2 * time.Second)
	databaseBusy = problem(http.StatusServiceUnavailable, "busy", "The database is busy with other requests. Nothing was changed; try again in a moment.").after(2 * time.Second)
	databaseFull = problem(http.StatusServiceUnavailable, "database-full", "The database has no room left on its disk. Nothing was changed; the keeper has to make room.").after(time.Minute)
	tooSlow      = problem(http.StatusServiceUnavailable, "too-slow", "This took longer than a request may take, and was ended. Nothing was changed; ask for less at once: a narrower scope, fewer words.")
	notStorable  = problem(http.StatusUnprocessableEntity, "bad-request", "Something in this request can't be stored: a character, a number or a date outside of what there is. Nothing was written.")
)

// databaseProblem is what a person sees of an error that is the database's own
// and not about what was asked; nil for every other.
func (s *Server) databaseProblem(ctx context.Context, err error) *Problem {
	var pg *pgconn.PgError
	var network net.Error
	var connect *pgconn.ConnectError
	switch {
	case errors.Is(err, store.ErrBusy):
		s.log.Warn("the database is busy: all connections are taken", "err", err)
		return databaseBusy
	case errors.As(err, &pg):
		return s.stateProblem(ctx, pg)
	case errors.As(err, &connect), pgconn.SafeToRetry(err), errors.As(err, &network) && ctx.Err() == nil:
		s.log.Warn("the database is away", "err", err)
		return databaseAway
	}
	return nil
}

// stateProblem is what a person sees of what the database itself said.
func (s *Server) stateProblem(ctx context.Context, pg *pgconn.PgError) *Problem {
	switch code := pg.Code; {
	case code == pgerrcode.QueryCanceled && ctx.Err() != nil:
		return nil // whoever asked has left
	case code == pgerrcode.QueryCanceled:
		s.log.Warn("a statement took too long and was ended", "err", pg)
		return tooSlow
	case pgerrcode.IsOperatorIntervention(code), pgerrcode.IsConnectionException(code), code == pgerrcode.TooManyConnections:
		s.log.Warn("the database is away", "err", pg)
		return databaseAway
	case code == pgerrcode.UndefinedTable && !s.migrated.Load():
		return databaseAway // it has no tables yet: they are being made
	case code == pgerrcode.LockNotAvailable, pgerrcode.IsTransactionRollback(code), code == pgerrcode.IdleInTransactionSessionTimeout:
		s.log.Warn("requests were in each other's way", "err", pg)
		return databaseBusy
	case code == pgerrcode.DiskFull, code == pgerrcode.OutOfMemory:
		s.log.Error("the database has no room left", "err", pg)
		return databaseFull
	case code == pgerrcode.CharacterNotInRepertoire, code == pgerrcode.UntranslatableCharacter, code == pgerrcode.InvalidTextRepresentation, code == pgerrcode.NumericValueOutOfRange,
		code == pgerrcode.DatetimeFieldOverflow, code == pgerrcode.InvalidDatetimeFormat, code == pgerrcode.StringDataRightTruncationDataException:
		s.log.Warn("a request had a value that can't be stored and got as far as the database", "err", pg)
		return notStorable
	}
	return nil
}

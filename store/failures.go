package store

import (
	"context"
	"errors"
	"io"
	"net"

	"github.com/jackc/pgerrcode"
	"github.com/jackc/pgx/v5/pgconn"
)

// Failure is what ails the database where an error is its own, and not about
// what was asked of it.
type Failure int

// Failures. All but NotStorable and NoTables heal by themselves, or with the
// keeper's help; nothing was written.
const (
	NoFailure    Failure = iota // the error is another one, or none
	DatabaseAway                // it does not answer, or is being stopped
	DatabaseBusy                // no connection is free, or others are in the way
	DatabaseFull                // it has no room left
	TooSlow                     // the statement took longer than it may
	NotStorable                 // a value that no column takes
	NoTables                    // it has not been brought up to date yet
)

// Passing reports whether the same can be tried once more later.
func (f Failure) Passing() bool {
	switch f {
	case DatabaseAway, DatabaseBusy, DatabaseFull, TooSlow:
		return true
	}
	return false
}

// FailureOf classes an error, whatever it is wrapped in, by its SQLSTATE or by
// what became of the connection. Where ctx, which the work was done under, has
// ended, that is no failure of the database.
func FailureOf(ctx context.Context, err error) Failure {
	var pg *pgconn.PgError
	var network net.Error
	var connect *pgconn.ConnectError
	switch {
	case err == nil:
		return NoFailure
	case errors.Is(err, errBusy):
		return DatabaseBusy
	case errors.As(err, &pg) && pg.Routine == "RevalidateCachedQuery":
		return DatabaseBusy // a migration has changed its table: the next one is prepared anew
	case errors.As(err, &pg):
		return failureOfState(ctx, pg.Code)
	case ctx.Err() != nil:
		return NoFailure // whoever asked has left, perhaps before anything was sent
	case errors.As(err, &connect), pgconn.SafeToRetry(err), errors.As(err, &network), errors.Is(err, io.ErrUnexpectedEOF):
		return DatabaseAway
	}
	return NoFailure
}

func failureOfState(ctx context.Context, code string) Failure {
	switch code {
	case pgerrcode.QueryCanceled:
		if ctx.Err() != nil {
			return NoFailure // whoever asked has left
		}
		return TooSlow
	case pgerrcode.TooManyConnections:
		return DatabaseAway
	case pgerrcode.UndefinedTable:
		return NoTables
	case pgerrcode.LockNotAvailable, pgerrcode.IdleInTransactionSessionTimeout:
		return DatabaseBusy
	case pgerrcode.DiskFull, pgerrcode.OutOfMemory:
		return DatabaseFull
	case pgerrcode.CharacterNotInRepertoire, pgerrcode.UntranslatableCharacter, pgerrcode.InvalidTextRepresentation,
		pgerrcode.NumericValueOutOfRange, pgerrcode.DatetimeFieldOverflow, pgerrcode.InvalidDatetimeFormat,
		pgerrcode.StringDataRightTruncationDataException:
		return NotStorable
	}
	switch {
	case pgerrcode.IsOperatorIntervention(code), pgerrcode.IsConnectionException(code):
		return DatabaseAway
	case pgerrcode.IsTransactionRollback(code):
		return DatabaseBusy
	}
	return NoFailure
}

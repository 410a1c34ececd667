package server

import (
	"context"
	"encoding/json"
	"errors"
	"net"
	"net/http"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"
	"github.com/jackc/pgx/v5/pgconn"

	"roster/store"
)

// Problem is an RFC 9457 problem document. Type is stable: programs may tell
// problems apart by it. Detail is a sentence for a person.
type Problem struct {
	Type   string              `json:"type"`
	Title  string              `json:"title"`
	Status int                 `json:"status"`
	Detail string              `json:"detail,omitempty"`
	Errors []*huma.ErrorDetail `json:"errors,omitempty"`
}

func (p *Problem) Error() string { return p.Detail }

// GetStatus is huma's way to ask for the status code.
func (p *Problem) GetStatus() int { return p.Status }

// ContentType is huma's way to ask for the media type.
func (p *Problem) ContentType(string) string { return "application/problem+json" }

func problem(status int, kind, detail string) *Problem {
	return &Problem{Type: "urn:roster:problem:" + kind, Title: http.StatusText(status), Status: status, Detail: detail}
}

var (
	internal     = problem(http.StatusInternalServerError, "internal", "Something went wrong on the server; nothing was changed. The server's log says more.")
	databaseAway = problem(http.StatusServiceUnavailable, "database-away", "The database does not answer. Nothing was lost; this heals by itself once it is back.")
	signedOut    = problem(http.StatusUnauthorized, "signed-out", "Sign in first.")
)

func init() {
	// Every error that huma makes by itself takes the same shape.
	huma.NewError = func(status int, message string, errs ...error) huma.StatusError {
		p := problem(status, kindOfStatus(status), message)
		for _, err := range errs {
			if err == nil {
				continue
			}
			var d huma.ErrorDetailer
			if errors.As(err, &d) {
				p.Errors = append(p.Errors, d.ErrorDetail())
			} else {
				p.Errors = append(p.Errors, &huma.ErrorDetail{Message: err.Error()})
			}
		}
		return p
	}
}

func kindOfStatus(status int) string {
	switch status {
	case http.StatusBadRequest, http.StatusUnprocessableEntity:
		return "bad-request"
	case http.StatusUnauthorized:
		return "signed-out"
	case http.StatusNotFound:
		return "not-found"
	case http.StatusRequestEntityTooLarge:
		return "too-large"
	}
	if status >= 500 {
		return "internal"
	}
	return "refused"
}

func badRequest(err error) *Problem {
	return problem(http.StatusUnprocessableEntity, "bad-request", err.Error())
}

// fail answers a plain route's request with what its error comes to.
func (s *Server) fail(c *gin.Context, err error) {
	var p *Problem
	errors.As(s.explain(c.Request.Context(), err), &p)
	writeProblem(c, p)
}

// explain turns an error of the store into the problem that a person sees.
// What nobody foresaw is logged and told as internal.
func (s *Server) explain(ctx context.Context, err error) error {
	var already *Problem
	var conflict *store.ConflictError
	var unpublishable *store.UnpublishableError
	var written *store.WrittenError
	var pg *pgconn.PgError
	var network net.Error
	switch {
	case err == nil:
		return nil
	case errors.As(err, &already):
		return already
	case errors.Is(err, store.ErrNotFound):
		return problem(http.StatusNotFound, "not-found", "That is not there: "+err.Error()+".")
	case errors.Is(err, store.ErrStale):
		return problem(http.StatusPreconditionFailed, "stale", "Somebody else changed this since you looked. Nothing of yours was written; look again and decide anew.")
	case errors.Is(err, store.ErrOwn):
		return problem(http.StatusForbidden, "own-change", "Nobody decides about their own change; another reviewer has to.")
	case errors.Is(err, store.ErrState):
		return problem(http.StatusConflict, "not-open", "It is no longer open: somebody has decided about it already. Nothing was written.")
	case errors.As(err, &conflict):
		return problem(http.StatusConflict, "conflict", "The "+conflict.Field+" of "+conflict.Package+" was changed by somebody else after this edit was made. Nothing was written; look at the three values and pick one.")
	case errors.As(err, &written):
		return problem(http.StatusUnprocessableEntity, "bad-request", err.Error()+". Nothing was written.")
	case errors.As(err, &unpublishable):
		return problem(http.StatusConflict, "unpublishable", err.Error()+".")
	case errors.Is(err, store.ErrMoved):
		return problem(http.StatusPreconditionFailed, "stale", "What this takes off has changed since it was asked for. Nothing was published; look at it, and have it asked for again.")
	case errors.Is(err, store.ErrRunning), errors.Is(err, store.ErrNothingLeft), errors.Is(err, store.ErrStillUnknown), errors.Is(err, store.ErrHunting):
		return problem(http.StatusConflict, "run", "Nothing was done: "+err.Error()+".")
	case errors.Is(err, store.ErrNoSister), errors.Is(err, store.ErrNoLine), errors.Is(err, store.ErrTooManyFollows):
		return badRequest(err)
	case errors.Is(err, store.ErrAsked), errors.Is(err, store.ErrEditionTaken), errors.Is(err, store.ErrEmptyTray), errors.Is(err, store.ErrLoginTaken), errors.Is(err, store.ErrLastKeeper), errors.Is(err, store.ErrNotAlone), errors.Is(err, store.ErrNothingStands):
		return problem(http.StatusConflict, "taken", err.Error()+".")
	case errors.Is(err, context.Canceled) && ctx.Err() != nil:
		return problem(499, "left", "You left before the answer was ready.")
	case !errors.As(err, &pg) && errors.As(err, &network), errors.As(err, &pg) && pg.Code[:2] == "57", errors.As(err, &pg) && pg.Code == "42P01", isConnectError(err):
		s.log.Warn("the database is away", "err", err)
		return databaseAway
	}
	s.log.Error("unexpected error", "err", err)
	return internal
}

func isConnectError(err error) bool {
	var c *pgconn.ConnectError
	return errors.As(err, &c) || pgconn.SafeToRetry(err)
}

func writeProblem(c *gin.Context, p *Problem) {
	raw, err := json.Marshal(p)
	if err != nil {
		c.AbortWithStatus(http.StatusInternalServerError)
		return
	}
	c.Abort()
	c.Data(p.Status, "application/problem+json", raw)
}

package server

import (
	"context"
	"encoding/json"
	"errors"
	"math"
	"net/http"
	"strconv"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

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

	again time.Duration // after which trying again makes sense; 0 says nothing of it
}

func (p *Problem) Error() string { return p.Detail }

// GetStatus is huma's way to ask for the status code.
func (p *Problem) GetStatus() int { return p.Status }

// ContentType is huma's way to ask for the media type.
func (p *Problem) ContentType(string) string { return "application/problem+json" }

// GetHeaders is huma's way to ask for an answer's headers.
func (p *Problem) GetHeaders() http.Header {
	if p.again <= 0 {
		return nil
	}
	return http.Header{"Retry-After": {strconv.Itoa(int(math.Ceil(p.again.Seconds())))}}
}

// after is the problem with the time after which it makes sense to try again.
func (p *Problem) after(wait time.Duration) *Problem {
	q := *p
	q.again = wait
	return &q
}

func problem(status int, kind, detail string) *Problem {
	return &Problem{Type: "urn:roster:problem:" + kind, Title: http.StatusText(status), Status: status, Detail: detail}
}

var (
	internal  = problem(http.StatusInternalServerError, "internal", "Something went wrong on the server; nothing was changed. The server's log says more.")
	signedOut = problem(http.StatusUnauthorized, "signed-out", "Sign in first.")
)

// maxEcho bounds how much of a wrong value is sent back with what is wrong.
const maxEcho = 200

func init() {
	huma.ValidateStrictCasing = true // see package strictjson
	// Every error that huma makes by itself takes the same shape.
	huma.NewError = func(status int, message string, errs ...error) huma.StatusError {
		p := problem(status, kindOfStatus(status), message)
		for _, err := range errs {
			if err == nil {
				continue
			}
			var d huma.ErrorDetailer
			if errors.As(err, &d) {
				detail := *d.ErrorDetail()
				if text, ok := detail.Value.(string); ok && len(text) > maxEcho {
					detail.Value = strings.ToValidUTF8(text[:maxEcho], "") + "…"
				}
				p.Errors = append(p.Errors, &detail)
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

// explanation says what a person sees of one kind of error.
type explanation struct {
	fits func(error) bool
	say  func(error) *Problem
}

// explained explains an error of the store by a fixed sentence, or by its own words
// where there is none.
func explained(target error, status int, kind, sentence string) explanation {
	return explanation{func(err error) bool { return errors.Is(err, target) }, func(err error) *Problem {
		if sentence == "" {
			return problem(status, kind, sentenceOf(err))
		}
		return problem(status, kind, sentence)
	}}
}

// explainedBy explains an error that carries more than its words.
func explainedBy[E error](say func(E) *Problem) explanation {
	return explanation{func(err error) bool { var e E; return errors.As(err, &e) }, func(err error) *Problem {
		var e E
		errors.As(err, &e)
		return say(e)
	}}
}

// sentenceOf makes a sentence of an error's words.
func sentenceOf(err error) string {
	words := err.Error()
	first, size := utf8.DecodeRuneInString(words)
	return string(unicode.ToUpper(first)) + strings.TrimSuffix(words[size:], ".") + "."
}

// explanations has every error that the store's callers tell apart. The first
// that fits is what a person sees.
var explanations = []explanation{
	explainedBy(func(p *Problem) *Problem { return p }),
	explained(store.ErrStale, http.StatusPreconditionFailed, "stale", "Somebody else changed this since you looked. Nothing of yours was written; look again and decide anew."),
	explained(store.ErrMoved, http.StatusPreconditionFailed, "stale", "What this takes off has changed since it was asked for. Nothing was published; look at it, and have it asked for again."),
	explained(store.ErrOwn, http.StatusForbidden, "own-change", "Nobody decides about their own change; another reviewer has to."),
	explained(store.ErrManyReports, http.StatusTooManyRequests, "too-many", "Many reports of this release came in the last hour. Send yours a little later."),
	explained(store.ErrNotYours, http.StatusForbidden, "refused", ""),
	explained(store.ErrDeleting, http.StatusConflict, "deleting", "Its bench was asked to delete it already, and may have. Nothing was changed."),
	explained(store.ErrState, http.StatusConflict, "not-open", "It is no longer open: somebody has decided about it already. Nothing was written."),
	explainedBy(func(e *store.ConflictError) *Problem {
		return problem(http.StatusConflict, "conflict", "The "+e.Field+" of "+e.Package+" was changed by somebody else after this edit was made. Nothing was written; look at the three values and pick one.")
	}),
	explainedBy(func(e *store.WrittenError) *Problem {
		return problem(http.StatusUnprocessableEntity, "bad-request", e.Error()+". Nothing was written.")
	}),
	explainedBy(func(e *store.UnreadableError) *Problem {
		return problem(http.StatusConflict, "unreadable", sentenceOf(e)+" Turn it down, or return it to its author. Nothing was written.")
	}),
	explainedBy(func(e *store.EditError) *Problem {
		return problem(http.StatusUnprocessableEntity, "bad-request", e.Error()+". Nothing was written.")
	}),
	explainedBy(func(e *store.UnpublishableError) *Problem {
		return problem(http.StatusConflict, "unpublishable", e.Error()+".")
	}),
	explained(store.ErrRunning, http.StatusConflict, "run", "Nothing was done: a run is going on this phone already."),
	explained(store.ErrNothingLeft, http.StatusConflict, "run", "Nothing was done: nothing of this run is left to do."),
	explained(store.ErrStillUnknown, http.StatusConflict, "run", "Nothing was done: the phone has not been looked at since the run was interrupted."),
	explained(store.ErrHunting, http.StatusConflict, "run", "Nothing was done: something else of this run is being narrowed down. Answer that first."),
	explained(store.ErrNoSister, http.StatusUnprocessableEntity, "bad-request", ""),
	explained(store.ErrNoLine, http.StatusUnprocessableEntity, "bad-request", ""),
	explained(store.ErrTooManyDrafts, http.StatusUnprocessableEntity, "bad-request", ""),
	explained(store.ErrTooManyFollows, http.StatusUnprocessableEntity, "bad-request", ""),
	explained(store.ErrTooMany, http.StatusTooManyRequests, "too-many-files", ""),
	explained(store.ErrTooManyTokens, http.StatusConflict, "taken", ""),
	explained(store.ErrOtherContent, http.StatusUnprocessableEntity, "key-used", ""),
	explained(store.ErrAsked, http.StatusConflict, "taken", ""),
	explained(store.ErrEditionTaken, http.StatusConflict, "taken", ""),
	explained(store.ErrEmptyTray, http.StatusConflict, "taken", ""),
	explained(store.ErrLoginTaken, http.StatusConflict, "taken", ""),
	explained(store.ErrLastKeeper, http.StatusConflict, "taken", ""),
	explained(store.ErrManyPasskeys, http.StatusConflict, "taken", ""),
	explained(store.ErrManyWebhooks, http.StatusConflict, "taken", ""),
	explainedBy(func(e *store.NewerError) *Problem {
		return problem(http.StatusServiceUnavailable, "program-too-old", sentenceOf(e))
	}),
	explained(store.ErrNotAlone, http.StatusConflict, "taken", ""),
	explained(store.ErrNothingStands, http.StatusConflict, "taken", ""),
	explained(store.ErrNotEmpty, http.StatusConflict, "taken", ""),
	{func(err error) bool { return errors.Is(err, store.ErrNotFound) }, func(err error) *Problem {
		return problem(http.StatusNotFound, "not-found", "That is not there: "+err.Error()+".")
	}},
}

// explain turns an error of the store into the problem that a person sees.
// What nobody foresaw is logged and told as internal.
func (s *Server) explain(ctx context.Context, err error) error {
	if err == nil {
		return nil
	}
	// A database that is lost is never "not found", whatever wraps it.
	if p := s.databaseProblem(ctx, err); p != nil {
		return p
	}
	for _, e := range explanations {
		if e.fits(err) {
			return e.say(err)
		}
	}
	if errors.Is(err, context.Canceled) && ctx.Err() != nil {
		// Most have left. Where it was only what stands between that has let go, the
		// same may be asked for again.
		return problem(http.StatusServiceUnavailable, "left", "The connection ended before the answer was ready. Try again.")
	}
	if newer := s.work.LookBeside(context.WithoutCancel(ctx)); newer != nil { // in the middle of this
		return outdated(newer)
	}
	s.log.Error("unexpected error", "err", err)
	return internal
}

func writeProblem(c *gin.Context, p *Problem) {
	raw, err := json.Marshal(p)
	if err != nil {
		c.AbortWithStatus(http.StatusInternalServerError)
		return
	}
	c.Abort()
	for name, values := range p.GetHeaders() {
		c.Writer.Header()[name] = values
	}
	c.Data(p.Status, "application/problem+json", raw)
}

package bench

import (
	"context"
	"errors"
	"strings"

	"roster/bench/services"
	"roster/core/android"
	"roster/core/run"
)

// Explain says in words why a request could not be done, and what to try.
func Explain(err error) string {
	switch {
	case err == nil:
		return ""
	case errors.Is(err, run.ErrSuperseded):
		return "Somebody else has gone on with it, or ended it."
	case errors.Is(err, errDisk), errors.Is(err, errNoFolder), errors.Is(err, errJournal):
		return "It could not go on: " + android.Printable(err.Error(), 400) + "."
	case errors.Is(err, context.Canceled):
		return "It was stopped before it was done."
	case errors.Is(err, services.ErrGone):
		return "The phone went away in the middle. Usually the cable: plug it in again and try once more."
	case errors.Is(err, android.ErrFingerprint):
		return "The phone does not say which firmware it has: " + err.Error() + "."
	case errors.Is(err, services.ErrNoHost), errors.Is(err, services.ErrNotADB):
		wrong, next := Trouble(err)
		return wrong + " " + next
	}
	var refused *services.RefusedError
	if errors.As(err, &refused) {
		return strings.ToUpper(refused.By[:1]) + refused.By[1:] + " refused: " + android.Printable(refused.Words, 200) + "."
	}
	return "It could not be done: " + android.Printable(err.Error(), 400) + "."
}

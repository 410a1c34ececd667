package retry_test

import (
	"context"
	"errors"
	"testing"
	"time"

	"roster/retry"
)

var (
	errAway = errors.New("away")
	soon    = retry.Pace{First: time.Microsecond, Longest: time.Millisecond}
)

func TestDo(t *testing.T) {
	t.Parallel()
	tries, told := 0, 0
	err := retry.Do(t.Context(), soon, func() error {
		if tries++; tries < 20 {
			return errAway
		}
		return nil
	}, func(err error, wait time.Duration) {
		if told++; !errors.Is(err, errAway) || wait > 2*soon.Longest {
			t.Errorf("%v, %v", err, wait)
		}
	})
	if err != nil || tries != 20 || told != 19 {
		t.Errorf("%v after %d tries, told %d times", err, tries, told)
	}
	tries = 0
	err = retry.Do(t.Context(), soon, func() error { tries++; return retry.Never(errAway) }, nil)
	if err != errAway || tries != 1 {
		t.Errorf("%v after %d tries", err, tries)
	}
}

// TestDoEnds: what goes on for ever ends with its context, and says why it went
// on.
func TestDoEnds(t *testing.T) {
	t.Parallel()
	ctx, cancel := context.WithCancel(t.Context())
	err := retry.Do(ctx, retry.Pace{First: time.Hour, Longest: time.Hour}, func() error { cancel(); return errAway }, nil)
	if !errors.Is(err, context.Canceled) || !errors.Is(err, errAway) {
		t.Error(err)
	}
}

// TestKeep: a connection that worked is begun anew at once, one that never does
// is not.
func TestKeep(t *testing.T) {
	t.Parallel()
	pace := retry.Pace{First: time.Microsecond, Longest: time.Second}
	var waits []time.Duration
	begun := 0
	err := retry.Keep(t.Context(), pace, func(connected func()) error {
		switch begun++; {
		case begun > 20:
			return retry.Never(errAway)
		case begun > 10:
			connected()
			return nil
		}
		return errAway
	}, func(err error, wait time.Duration) {
		if (err == nil) != (begun > 10) {
			t.Errorf("connection %d ended with %v", begun, err)
		}
		waits = append(waits, wait)
	})
	if err != errAway || len(waits) != 20 {
		t.Fatalf("%v, %v", err, waits)
	}
	if waits[9] < 100*pace.First || waits[19] > 2*pace.First {
		t.Errorf("waited %v", waits)
	}
}

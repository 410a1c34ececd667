package store

import (
	"context"
	"errors"
	"slices"
	"sync"
	"time"
)

// lately is what somebody asked for lately and is kept, so that it can be read again
// as soon as somebody has written: whoever asks next finds it ready.
type lately struct {
	mu    sync.Mutex
	asked []asked // the newest last
}

type asked struct {
	key  string
	at   time.Time
	read func(context.Context) error
}

func (a asked) old() bool { return time.Since(a.at) > latelyFor }

// What was asked for longer ago, or before more than so much else, is read when it is
// asked for.
const (
	latelyFor  = 3 * time.Minute
	mostLately = 60
)

type aheadKey struct{}

// isAhead reports whether nobody waits for an answer: it is read to be kept.
func isAhead(ctx context.Context) bool { return ctx.Value(aheadKey{}) != nil }

// note takes note that something was asked for, and how it is read; key tells it from
// all else.
func (l *lately) note(ctx context.Context, key string, read func(context.Context) error) {
	if isAhead(ctx) {
		return
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	l.asked = slices.DeleteFunc(l.asked, func(a asked) bool { return a.key == key || a.old() })
	if len(l.asked) == mostLately {
		l.asked = slices.Delete(l.asked, 0, 1)
	}
	l.asked = append(l.asked, asked{key, time.Now(), read})
}

// again reads all of it, what was asked for last first. What fails is left to whoever
// asks for it.
func (l *lately) again(ctx context.Context) error {
	ctx = context.WithValue(ctx, aheadKey{}, true)
	l.mu.Lock()
	l.asked = slices.DeleteFunc(l.asked, asked.old)
	list := slices.Clone(l.asked)
	l.mu.Unlock()
	var failed []error
	for _, a := range slices.Backward(list) {
		if ctx.Err() != nil {
			break
		}
		if err := a.read(ctx); err != nil {
			failed = append(failed, err)
		}
	}
	return errors.Join(failed...)
}

package retry

import (
	"context"
	"errors"
	"time"

	"github.com/cenkalti/backoff/v5"
)

// Pace is how long is waited between tries: First after the first failure, and
// longer after each, up to Longest. Both are rough, so that those who lost the
// same thing do not all come back at once.
type Pace struct{ First, Longest time.Duration }

// Patient suits what is away for seconds to hours, Brisk what somebody waits
// for.
var (
	Patient = Pace{time.Second, 15 * time.Second}
	Brisk   = Pace{100 * time.Millisecond, 5 * time.Second}
)

func (p Pace) backOff() *backoff.ExponentialBackOff {
	b := backoff.NewExponentialBackOff()
	b.InitialInterval, b.MaxInterval, b.Multiplier, b.RandomizationFactor = p.First, p.Longest, 2, 0.2
	return b
}

// Never marks an error that no other try would heal. Do and Keep return it as it
// was; nil stays nil.
func Never(err error) error {
	if err == nil {
		return nil
	}
	return backoff.Permanent(err)
}

// Do calls try until it succeeds, fails with an error marked by Never, or ctx
// ends, which is then joined to the last error. It tries at least once. Failed,
// unless nil, is told of each failure and how long is waited after it.
func Do(ctx context.Context, p Pace, try func() error, failed func(err error, wait time.Duration)) error {
	return do(ctx, p.backOff(), try, failed)
}

// Keep calls connect again and again: whatever it began and ended, well or not,
// is begun anew, until ctx ends or it returns an error marked by Never. Connect
// calls connected once it works, so that the next wait is the first again.
// Ended, unless nil, is told why each ended, nil where it ended well.
func Keep(ctx context.Context, p Pace, connect func(connected func()) error, ended func(err error, wait time.Duration)) error {
	b := p.backOff()
	return do(ctx, b, func() error {
		if err := connect(b.Reset); err != nil {
			return err
		}
		return errEnded
	}, func(err error, wait time.Duration) {
		if errors.Is(err, errEnded) {
			err = nil
		}
		if ended != nil {
			ended(err, wait)
		}
	})
}

var errEnded = errors.New("ended")

func do(ctx context.Context, b *backoff.ExponentialBackOff, try func() error, failed func(err error, wait time.Duration)) error {
	var last error
	_, err := backoff.Retry(ctx, func() (struct{}, error) {
		last = try()
		return struct{}{}, last
	}, backoff.WithBackOff(b), backoff.WithMaxElapsedTime(0), backoff.WithNotify(failed))
	if err != nil && ctx.Err() != nil && !errors.Is(last, err) {
		return errors.Join(err, last)
	}
	return err
}

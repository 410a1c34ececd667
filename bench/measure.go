package bench

import (
	"context"
	"errors"
	"fmt"
	"time"

	"roster/bench/services"
	"roster/core/android"
	"roster/core/run"
	"roster/core/wording"
)

const (
	// settleEvery is after how long a phone's memory is asked for again, settlesWithin
	// how long it may take after a restart until it moves no more, and settlesSoon how
	// long where it was not restarted.
	settleEvery   = 3 * time.Second
	settlesWithin = 2 * time.Minute
	settlesSoon   = 15 * time.Second
	// settlesAfter is for how many seconds it has to have been up: until then nothing
	// is said of how often it is woken in an hour, and much starts that ends again.
	settlesAfter = 90
	// still is by which part memory may move of a phone that has settled.
	still = 0.01
	// openingTakes bounds the opening of everyday screens.
	openingTakes = 2 * time.Minute
)

// errUntold says that a phone tells nothing of what it uses.
var errUntold = errors.New("the phone does not tell what it uses")

// takeMeasurement switches a phone's screen off and asks what it uses, when it has
// settled or the time for that is over, and how soon everyday screens open. Pause
// waits between two looks.
func takeMeasurement(session *services.Session, within time.Duration, pause func(time.Duration) error) (m android.Measurement, err error) {
	if _, err := session.Run(android.SleepCommand, stepTakes, 64<<10); err != nil {
		return m, err
	}
	settled, err := hasSettled(session, within, pause)
	if err != nil {
		return m, err
	}
	answer, err := session.Run(android.MeasureQuestion(), stepTakes, 16*megabyte)
	if err != nil {
		return m, err
	}
	m = android.ReadMeasurement(string(answer.Out))
	m.Unsettled = !settled
	if len(m.Uses) == 0 && m.MemAvailable == 0 {
		return m, errUntold
	}
	if answer, err = session.Run(android.OpeningsQuestion(), openingTakes, 16*megabyte); err != nil {
		return m, err
	}
	m.ReadOpenings(string(answer.Out))
	return m, nil
}

// hasSettled waits until a phone has been up for a while and its memory moves no more;
// it reports whether that was so in time.
func hasSettled(session *services.Session, within time.Duration, pause func(time.Duration) error) (bool, error) {
	var last int64
	for end := time.Now().Add(within); time.Now().Before(end); {
		answer, err := session.Run(android.SettlingQuestion, stepTakes, 64<<10)
		if err != nil {
			return false, err
		}
		up, now := android.ReadSettling(string(answer.Out))
		if now == 0 {
			return false, nil // it does not tell
		}
		moved := float64(now - last)
		if last != 0 && max(moved, -moved) <= still*float64(last) && (up == 0 || up >= settlesAfter) {
			return true, nil
		}
		last = now
		if err := pause(settleEvery); err != nil {
			return false, err
		}
	}
	return false, nil
}

// wordsOf say in a line what a measurement found.
func wordsOf(m *android.Measurement) string {
	words := fmt.Sprintf("%s of memory to be had, %s", wording.Bytes(m.MemAvailable), wording.Count(m.Processes, "process", "processes"))
	if m.Unsettled {
		words += "; it had not settled"
	}
	return words
}

// measure asks the phone of a run what it uses.
func (w *runner) measure(ctx context.Context, step run.Step, begun time.Time) error {
	m, err := takeMeasurement(w.session, settlesWithin, func(d time.Duration) error { return w.pause(ctx, int(d.Seconds())) })
	answer := run.StepAnswer{Step: step.Number, State: run.Done, Took: time.Since(begun).Milliseconds(), Measured: &m}
	switch {
	case errors.Is(err, errUntold):
		answer.State, answer.Words, answer.Measured = run.Failed, err.Error(), nil
	case err != nil:
		return err
	default:
		answer.Words = wordsOf(&m)
	}
	w.answers = append(w.answers, answer)
	return nil
}

// Measured is what came of measuring a phone as it is.
type Measured struct {
	android.Measurement
	Words string `json:"words"`
}

// measureNow asks a phone what it uses as it is, without a run and a restart.
func (s *Station) measureNow(ctx context.Context, serial string) (any, error) {
	session, err := services.Shell(ctx, s.Host, serial)
	if err != nil {
		return nil, err
	}
	defer session.Close()
	m, err := takeMeasurement(session, settlesSoon, func(d time.Duration) error {
		select {
		case <-time.After(d):
			return nil
		case <-ctx.Done():
			return context.Cause(ctx)
		}
	})
	if err != nil {
		return nil, err
	}
	return Measured{m, wordsOf(&m)}, nil
}

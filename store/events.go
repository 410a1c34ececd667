package store

import (
	"context"
	"encoding/json"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
)

// Event says that something has changed; whoever cares reads it anew. Events
// reach every server of the installation.
type Event struct {
	// Topic is changes, releases or bench; job, with a job's id; or asked, with
	// the id of the bench that a new job waits for.
	Topic string `json:"topic"`
	ID    string `json:"id,omitempty"`
}

const channel = "roster"

// notify sends an event when the transaction commits.
func notify(ctx context.Context, tx pgx.Tx, e Event) error {
	raw, err := json.Marshal(e)
	if err != nil {
		return err
	}
	_, err = tx.Exec(ctx, `select pg_notify($1, $2)`, channel, string(raw))
	return err
}

// Listen calls each with every event until ctx ends. When the connection is
// lost it comes back by itself. Each time that it listens, at first and then
// again, it calls each with an empty event, because some may have been missed
// until then.
func (s *Store) Listen(ctx context.Context, each func(Event)) {
	for wait := time.Second; ctx.Err() == nil; wait = min(2*wait, 15*time.Second) {
		if err := s.listen(ctx, each, func() { wait = time.Second; each(Event{}) }); ctx.Err() != nil || err == nil {
			return
		}
		select {
		case <-time.After(wait):
		case <-ctx.Done():
		}
	}
}

// listenSilence is how long a connection that listens may say nothing until it
// is asked whether it still does: one that was lost on the way would wait for
// ever.
const listenSilence = 30 * time.Second

func (s *Store) listen(ctx context.Context, each func(Event), connected func()) error {
	conn, err := s.alone(ctx)
	if err != nil {
		return err
	}
	defer conn.Close(context.WithoutCancel(ctx))
	if _, err := conn.Exec(ctx, `listen `+channel); err != nil {
		return err
	}
	connected()
	for {
		silence, cancel := context.WithTimeout(ctx, listenSilence)
		n, err := conn.WaitForNotification(silence)
		cancel()
		if ctx.Err() == nil && silence.Err() != nil && pgconn.Timeout(err) {
			asking, cancel := context.WithTimeout(ctx, listenSilence)
			err = conn.Ping(asking)
			cancel()
			if err == nil {
				continue
			}
		}
		if err != nil {
			return err
		}
		var e Event
		if json.Unmarshal([]byte(n.Payload), &e) == nil {
			each(e)
		}
	}
}

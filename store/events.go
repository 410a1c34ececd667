package store

import (
	"context"
	"encoding/json"
	"time"

	"roster/retry"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
)

// Event says that something has changed; whoever cares reads it anew. Events
// reach every server of the installation, a moment after what they tell of.
type Event struct {
	Topic Topic `json:"topic"`
	// ID is that of the thing, as far as the topic has one.
	ID string `json:"id,omitempty"`
}

// Topic is what an event is about.
type Topic string

// The topics, with what their ID is of.
const (
	// Missed says that events may have been missed: everything may have
	// changed.
	Missed Topic = ""

	AccessChanged   Topic = "access"   // a person or bench: what they may do, or whether they may
	AskedOfBench    Topic = "asked"    // a bench, for which a job waits
	BenchChanged    Topic = "bench"    // a bench
	CapturesChanged Topic = "captures" // none: a capture was stored
	ChangesChanged  Topic = "changes"  // none: decided, with what follows in the catalogue
	ChangesWaiting  Topic = "waiting"  // none: sent or talked about; nothing follows yet
	CoverageCounted Topic = "cover"    // none
	DeskChanged     Topic = "desk"     // a person
	DraftsChanged   Topic = "drafts"   // a person
	JobChanged      Topic = "job"      // a job
	NoticesAdded    Topic = "notices"  // none
	PeopleChanged   Topic = "people"   // none: who belongs to the installation, as what, and who is invited
	ProfilesChanged Topic = "profiles" // none: profiles, and what is asked to be published
	ReleasesChanged Topic = "releases" // none: releases, their keys, and on which builds they are not to be run
	ReportsChanged  Topic = "reports"  // none: what strangers told, and what became of it
	RulesChanged    Topic = "rules"    // none: yardstick and review rules
	RunChanged      Topic = "run"      // a run
	SchemaChanged   Topic = "schema"   // none: a program has brought the database further
	TrayChanged     Topic = "tray"     // a person
)

const channel = "roster"

// notify sends an event when the transaction commits.
func notify(ctx context.Context, tx pgx.Tx, e Event) error {
	raw, err := json.Marshal(e)
	if err != nil {
		return err
	}
	_, err = tx.Exec(ctx, `
		select pg_notify($1, jsonb_build_object('event', $2::jsonb, 'xid', pg_current_xact_id()::text)::text)`,
		channel, string(raw))
	return err
}

// notification is an event on its way, with the transaction that it tells of.
type notification struct {
	Event Event  `json:"event"`
	XID   uint64 `json:"xid,string"`
}

// Listen calls each with every event until ctx ends. When the connection is
// lost it comes back by itself. Each time that it listens, at first and then
// again, it calls each with an empty event, because some may have been missed
// until then.
func (s *Store) Listen(ctx context.Context, each func(Event)) {
	_ = retry.Keep(ctx, retry.Patient, func(connected func()) error {
		return s.listen(ctx, each, func() { connected(); each(Event{}) })
	}, nil)
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
	// What was before this counts as heard, and whatever comes will be.
	var xid uint64
	if err := conn.QueryRow(ctx, `
		select pg_snapshot_xmax(pg_current_snapshot())::text::bigint`).Scan(&xid); err != nil {
		return err
	}
	s.hear(max(xid, 2) - 1)
	defer s.heard.Store(0)
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
		var told notification
		if json.Unmarshal([]byte(n.Payload), &told) == nil {
			s.hear(told.XID)
			each(told.Event)
		}
	}
}

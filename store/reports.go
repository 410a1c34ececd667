package store

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/android"
	"roster/core/catalog"
	"roster/core/change"
)

// ReportOutcome is what a stranger tells.
type ReportOutcome string

// What strangers can tell.
const (
	ToldWorked     ReportOutcome = "worked"
	ToldMissing    ReportOutcome = "missing"
	ToldBroken     ReportOutcome = "broken"
	ToldWouldNotGo ReportOutcome = "would-not-go"
	ToldCameBack   ReportOutcome = "came-back"
	ToldNotListed  ReportOutcome = "not-listed"
)

// ReportOutcomes lists them all.
var ReportOutcomes = []ReportOutcome{ToldWorked, ToldMissing, ToldBroken, ToldWouldNotGo, ToldCameBack, ToldNotListed}

// The bounds of a report, in bytes, and how many of one release are taken in an
// hour.
const (
	MaxReportWords = 4_000
	MaxReportLog   = 64 << 10
	reportsAnHour  = 120
)

// ErrManyReports says that there have been too many reports of a release lately.
var ErrManyReports = errors.New("too many reports of this release were sent in the last hour")

// NewReport is what a stranger tells; everything in it has been checked.
type NewReport struct {
	Release     uuid.UUID // the zero one where it is of none
	Fingerprint string
	Phone       string
	Outcome     ReportOutcome
	Packages    []android.PackageName
	Function    string
	Since       string // YYYY-MM-DD, "" for unknown
	Words, Log  string
	// ByHand is true where it was done in the phone's own settings.
	ByHand bool
	// Capture is what the phone has, nil where nothing of it was sent.
	Capture *android.Capture
}

// OutsideReport is what a stranger told, and what became of it.
type OutsideReport struct {
	ID          uuid.UUID     `db:"id" json:"id"`
	At          time.Time     `db:"at" json:"at"`
	ReleaseID   *uuid.UUID    `db:"release_id" json:"releaseId,omitempty"`
	Release     string        `db:"release" json:"release" doc:"Its name for people; empty where it is of none"`
	ReleasePath string        `db:"release_path" json:"releasePath"`
	Fingerprint string        `db:"fingerprint" json:"fingerprint"`
	BuildID     *uuid.UUID    `db:"build_id" json:"buildId,omitempty"`
	BuildName   string        `db:"build_name" json:"buildName"`
	Phone       string        `db:"phone" json:"phone"`
	Outcome     ReportOutcome `db:"outcome" json:"outcome" enum:"worked,missing,broken,would-not-go,came-back,not-listed"`
	Packages    []string      `db:"packages" json:"packages" nullable:"false"`
	Function    string        `db:"function" json:"function"`
	Since       *time.Time    `db:"since" json:"since,omitempty"`
	Words       string        `db:"words" json:"words"`
	Log         string        `db:"log" json:"log"`
	ByHand      bool          `db:"by_hand" json:"byHand" doc:"It was done in the phone's own settings"`
	// Capture is about what came along, CaptureID what became of it.
	Capture   *ReportCapture `db:"capture_about" json:"capture,omitempty"`
	CaptureID *uuid.UUID     `db:"capture_id" json:"captureId,omitempty"`
	State     string         `db:"state" json:"state" enum:"waiting,asked,taken,put-away"`
	DecidedBy string         `db:"decided_by" json:"decidedBy"`
	Reason    string         `db:"reason" json:"reason"`
	Notes     []ReportNote   `db:"-" json:"notes" nullable:"false"`
}

// ReportNote is what was asked back, or added; By is "" for the teller.
type ReportNote struct {
	ReportID uuid.UUID `db:"report_id" json:"-"`
	At       time.Time `db:"at" json:"at"`
	By       string    `db:"by" json:"by"`
	Words    string    `db:"words" json:"words"`
}

const reportColumns = `
	r.id, r.at, r.release_id, r.fingerprint, r.build_id, r.phone, r.outcome, r.packages, r.function, r.since, r.words,
	r.log, r.by_hand, r.capture_about, r.capture_id, r.state, r.reason, coalesce(w.name, '') decided_by,
	coalesce(m.name || ' ' || d.name || ': ' || p.name || ', no. ' || l.number, '') release,
	coalesce('/r/' || m.slug || '/' || d.slug || '/' || p.slug || '/' || l.number, '') release_path,
	coalesce(trim(b.carrier || ' ' || b.version), '') build_name
	from reports r
	left join releases l on l.id = r.release_id
	left join profiles p on p.id = l.profile_id
	left join models d on d.id = p.model_id
	left join makers m on m.id = d.maker_id
	left join builds b on b.id = r.build_id
	left join people w on w.id = r.decided_by`

// hashOf is what is kept of a report's token.
func hashOf(token string) []byte {
	sum := sha256.Sum256([]byte(token))
	return sum[:]
}

// AddReport keeps what a stranger tells under a token that only they know.
func (s *Store) AddReport(ctx context.Context, n NewReport, token string) (id uuid.UUID, err error) {
	id = NewID()
	var packed []byte
	var about *ReportCapture
	if n.Capture != nil {
		if packed, about, err = packCapture(n.Capture); err != nil {
			return id, err
		}
	}
	var release *uuid.UUID
	if n.Release != uuid.Nil {
		release = &n.Release
	}
	err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		// Either is found by the index of releases; "is not distinct from" by none.
		of := `release_id = $1`
		if release == nil {
			of = `$1::uuid is null and release_id is null`
		}
		var lately int
		err := tx.QueryRow(ctx, `
			select count(*) from (select from reports
				where `+of+` and at > now() - interval '1 hour'
				limit $2) x`, release, reportsAnHour).Scan(&lately)
		if err != nil {
			return err
		}
		if lately >= reportsAnHour {
			return ErrManyReports
		}
		if about != nil {
			if err := tooManyCaptures(ctx, tx); err != nil {
				return err
			}
		}
		names := make([]string, len(n.Packages))
		for i, p := range n.Packages {
			names[i] = string(p)
		}
		_, err = tx.Exec(ctx, `
			insert into reports (id, token_hash, release_id, fingerprint, build_id, phone, outcome, packages, function,
				since, words, log, by_hand, capture, capture_about)
			values ($1, $2, $3, $4, (select id from builds where fingerprint = $4), $5, $6, $7, $8,
				nullif($9, '')::date, $10, $11, $12, $13, $14)`,
			id, hashOf(token), release, n.Fingerprint, n.Phone, n.Outcome, names, n.Function, n.Since, n.Words, n.Log, n.ByHand, packed, about)
		if err != nil {
			return err
		}
		return notify(ctx, tx, Event{Topic: ReportsChanged, ID: id.String()})
	})
	return id, err
}

// Reports lists reports in some states, trouble first and then the newest, and
// says how many there are in all.
func (s *Store) Reports(ctx context.Context, states []string, limit int) (list []OutsideReport, all int, err error) {
	err = s.pool.QueryRow(ctx, `
		select count(*) from reports where state = any($1)`, states).Scan(&all)
	if err != nil {
		return nil, 0, err
	}
	rows, err := s.pool.Query(ctx, `select `+reportColumns+`
		where r.state = any($1) order by r.outcome = 'worked', r.at desc, r.id limit $2`, states, limit)
	if list, err = collectRows[OutsideReport](rows, err); err != nil {
		return nil, 0, err
	}
	return list, all, s.noteReports(ctx, list)
}

// noteReports adds what was asked back and added.
func (s *Store) noteReports(ctx context.Context, list []OutsideReport) error {
	ids, at := make([]uuid.UUID, len(list)), make(map[uuid.UUID]int, len(list))
	for i := range list {
		list[i].Notes = []ReportNote{}
		ids[i], at[list[i].ID] = list[i].ID, i
	}
	rows, err := s.pool.Query(ctx, `
		select n.report_id, n.at, coalesce(p.name, '') as by, n.words
		from report_notes n left join people p on p.id = n.person_id
		where n.report_id = any($1) order by n.at, n.id`, ids)
	notes, err := collectRows[ReportNote](rows, err)
	for _, n := range notes {
		r := &list[at[n.ReportID]]
		r.Notes = append(r.Notes, n)
	}
	return err
}

// ReportByToken finds the report that a token was given for.
func (s *Store) ReportByToken(ctx context.Context, token string) (OutsideReport, error) {
	return s.report(ctx, `r.token_hash = $1`, hashOf(token))
}

// ReportByID finds a report.
func (s *Store) ReportByID(ctx context.Context, id uuid.UUID) (OutsideReport, error) {
	return s.report(ctx, `r.id = $1`, id)
}

func (s *Store) report(ctx context.Context, where string, arg any) (OutsideReport, error) {
	rows, err := s.pool.Query(ctx, `select `+reportColumns+` where `+where, arg)
	list, err := collectRows[OutsideReport](rows, err)
	if err != nil {
		return OutsideReport{}, err
	}
	if len(list) == 0 {
		return OutsideReport{}, ErrNotFound
	}
	return list[0], s.noteReports(ctx, list)
}

// maxReportNotes bounds how much is said to and fro about one report.
const maxReportNotes = 50

// NoteReport adds words to a report: of a reviewer who asks back, or, where
// person is the zero one, of the teller, whose report waits again then.
func (s *Store) NoteReport(ctx context.Context, id, person uuid.UUID, words string) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		var by *uuid.UUID
		state := "waiting"
		if person != uuid.Nil {
			by, state = &person, "asked"
		}
		tag, err := tx.Exec(ctx, `
			update reports set state = case when state in ('waiting', 'asked') then $2 else state end
			where id = $1 and (select count(*) from report_notes where report_id = $1) < $3`, id, state, maxReportNotes)
		if err != nil {
			return err
		}
		if tag.RowsAffected() == 0 {
			return fmt.Errorf("report %s: %w", id, ErrState)
		}
		_, err = tx.Exec(ctx, `
			insert into report_notes (id, report_id, person_id, words) values ($1, $2, $3, $4)`, NewID(), id, by, words)
		if err != nil {
			return err
		}
		return notify(ctx, tx, Event{Topic: ReportsChanged, ID: id.String()})
	})
}

// DecideReport ends a report: taken, where something was made of it, or put away;
// the reason is for its teller. The edits go into the reviewer's tray.
func (s *Store) DecideReport(ctx context.Context, id, person uuid.UUID, state, reason string, edits []NewEdit) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `
			update reports set state = $2, reason = $3, decided_by = $4, decided_at = now(),
				capture = case when $2 = 'put-away' then null else capture end
			where id = $1 and state in ('waiting', 'asked')`, id, state, reason, person)
		if err != nil {
			return err
		}
		if tag.RowsAffected() == 0 {
			return fmt.Errorf("report %s: %w", id, ErrState)
		}
		if len(edits) > 0 {
			if _, _, err := addEdits(ctx, tx, person, edits); err != nil {
				return err
			}
		}
		if err := notify(ctx, tx, Event{Topic: ReportsChanged, ID: id.String()}); err != nil {
			return err
		}
		return record(ctx, tx, Act{Person: person, Action: "report." + state, Subject: id.String(), Detail: map[string]any{"reason": reason}})
	})
}

// TrialEdit is a trial as an edit of a package.
func TrialEdit(pkg uuid.UUID, v change.TrialValue, reason string) (NewEdit, error) {
	e := NewEdit{Package: pkg, Field: change.Trial, Scope: catalog.Scope{Kind: catalog.Everywhere}, Reason: reason}
	var err error
	if e.Value, err = json.Marshal(v); err != nil {
		return e, err
	}
	return e, change.Check(e.Field, e.Scope, e.Value)
}

// ReportCounts are how many phones told what of a release, as far as reviewers
// have looked at it.
type ReportCounts struct {
	Worked  int `db:"worked"`
	Trouble int `db:"trouble"`
}

// ReportsOf counts what was taken of a release's reports; a phone counts once.
func (s *Store) ReportsOf(ctx context.Context, release uuid.UUID) (c ReportCounts, err error) {
	err = s.pool.QueryRow(ctx, `
		select count(distinct coalesce(nullif(phone, ''), id::text)) filter (where outcome = 'worked'),
			count(distinct coalesce(nullif(phone, ''), id::text)) filter (where outcome <> 'worked')
		from reports where release_id = $1 and state = 'taken'`, release).Scan(&c.Worked, &c.Trouble)
	return c, err
}

// ReportPhone is the mark of a report's phone as trials have it: that of the phone
// where the teller's page could tell, and else one of the report's own.
func (r OutsideReport) ReportPhone() string {
	if r.Phone != "" {
		return r.Phone
	}
	sum := sha256.Sum256([]byte("report " + r.ID.String()))
	return hex.EncodeToString(sum[:])
}

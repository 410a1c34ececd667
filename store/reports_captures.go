package store

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"fmt"
	"io"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/android"
)

// ReportCapture is what a capture that came along with a report is about.
type ReportCapture struct {
	Maker    string `json:"maker"`
	Model    string `json:"model"`
	Device   string `json:"device"`
	Version  string `json:"version"`
	Release  string `json:"release"`
	Packages int    `json:"packages"`
	Complete bool   `json:"complete"`
}

// maxReportCapture bounds, in bytes, a capture that is kept with a report.
const maxReportCapture = 32 << 20

// capturesAnHour bounds how many captures strangers send in an hour.
const capturesAnHour = 60

// packCapture writes a capture as it is kept with a report. A capture file never
// holds the phone's serial number.
func packCapture(c *android.Capture) (packed []byte, about *ReportCapture, err error) {
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	if err := json.NewEncoder(z).Encode(c); err != nil {
		return nil, nil, err
	}
	if err := z.Close(); err != nil {
		return nil, nil, err
	}
	id := c.Identity
	return b.Bytes(), &ReportCapture{id.Manufacturer, id.Model, id.Device, id.Incremental, id.Release, len(c.Packages), c.Complete}, nil
}

// tooManyCaptures fails with ErrManyReports where strangers have sent as many
// captures as are taken in an hour.
func tooManyCaptures(ctx context.Context, tx pgx.Tx) error {
	var lately int
	err := tx.QueryRow(ctx, `
		select count(*) from reports
		where capture_about is not null and at > now() - interval '1 hour'`).Scan(&lately)
	if err == nil && lately >= capturesAnHour {
		err = ErrManyReports
	}
	return err
}

// CaptureOfReport reads what came along with a report. It is as it was when it
// was checked on its way in.
func (s *Store) CaptureOfReport(ctx context.Context, id uuid.UUID) (*android.Capture, error) {
	var packed []byte
	err := s.pool.QueryRow(ctx, `select capture from reports where id = $1`, id).Scan(&packed)
	if isNone(err) || err == nil && packed == nil {
		return nil, fmt.Errorf("a capture with report %s: %w", id, ErrNotFound)
	}
	if err != nil {
		return nil, err
	}
	z, err := gzip.NewReader(bytes.NewReader(packed))
	if err != nil {
		return nil, fmt.Errorf("the capture with report %s: %w", id, err)
	}
	var c android.Capture
	if err := json.NewDecoder(io.LimitReader(z, maxReportCapture)).Decode(&c); err != nil {
		return nil, fmt.Errorf("the capture with report %s: %w", id, err)
	}
	return &c, nil
}

// ReportCaptureTaken notes which stored capture became of what came along with a
// report, whose firmware is known from now on.
func (s *Store) ReportCaptureTaken(ctx context.Context, id, person uuid.UUID, sum CaptureSummary) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `
			update reports set capture = null, capture_id = $2, build_id = coalesce(build_id, $3)
			where id = $1 and capture is not null`, id, sum.ID, sum.BuildID)
		if err != nil {
			return err
		}
		if tag.RowsAffected() == 0 {
			return fmt.Errorf("report %s: %w", id, ErrState)
		}
		if err := notify(ctx, tx, Event{Topic: ReportsChanged, ID: id.String()}); err != nil {
			return err
		}
		return record(ctx, tx, Act{Person: person, Action: "report.capture-taken", Subject: id.String(), Detail: map[string]any{"capture": sum.ID}})
	})
}

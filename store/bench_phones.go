package store

import (
	"context"
	"time"

	"github.com/google/uuid"
)

// CapturedPhone is a phone that was captured on a build.
type CapturedPhone struct {
	Phone string `db:"phone" json:"phone" doc:"Keyed hash of the serial number"`
	// CaptureID is its latest capture on the build.
	CaptureID uuid.UUID `db:"capture_id" json:"captureId"`
	TakenAt   time.Time `db:"taken_at" json:"takenAt"`
	By        string    `db:"by" json:"by"`
	// Run is the number of the newest run on it; 0 for none.
	Run int64 `db:"run" json:"run"`
}

// PhonesOn lists the phones captured on a build, the latest capture first: a
// trial names one of them.
func (s *Store) PhonesOn(ctx context.Context, build uuid.UUID, limit int) ([]CapturedPhone, error) {
	rows, err := s.pool.Query(ctx, `
		select phone, capture_id, taken_at, by,
			coalesce((select max(number) from runs where runs.phone = x.phone), 0) as run
		from (
			select distinct on (c.phone) c.phone, c.id as capture_id, c.taken_at, p.name as by
			from captures c
			join people p on p.id = c.person_id
			where c.build_id = $1 and c.phone <> '' order by c.phone, c.taken_at desc) x
		order by taken_at desc limit $2`, build, limit)
	return collectRows[CapturedPhone](rows, err)
}

// OtherModelOf names the model that a phone was captured as last, where it is
// not of the maker and device given; "" where it is, or never was captured.
func (s *Store) OtherModelOf(ctx context.Context, phone, manufacturer, device string) (name string, err error) {
	err = s.pool.QueryRow(ctx, `
		select case when lower(m.manufacturer) = lower($2) and d.device = $3 then '' else m.name || ' ' || d.name end
		from captures c
		join builds b on b.id = c.build_id
		join models d on d.id = b.model_id
		join makers m on m.id = d.maker_id
		where c.phone = $1 and c.phone <> ''
		order by c.taken_at desc limit 1`, phone, manufacturer, device).Scan(&name)
	if isNone(err) {
		err = nil
	}
	return name, err
}

package store

import (
	"context"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/profile"
)

// ReleaseLine is a release in a list.
type ReleaseLine struct {
	ID          uuid.UUID            `db:"id" json:"id"`
	ProfileID   uuid.UUID            `db:"profile_id" json:"profileId"`
	Maker       string               `db:"maker" json:"maker"`
	MakerName   string               `db:"maker_name" json:"makerName"`
	Model       string               `db:"model" json:"model"`
	ModelName   string               `db:"model_name" json:"modelName"`
	Edition     string               `db:"edition" json:"edition"`
	EditionName string               `db:"edition_name" json:"editionName"`
	Number      int                  `db:"number" json:"number"`
	State       profile.ReleaseState `db:"state" json:"state" enum:"current,replaced,withdrawn"`
	Reason      string               `db:"withdrawn_reason" json:"withdrawnReason"`
	SHA256      string               `db:"sha256" json:"sha256"`
	PublishedAt time.Time            `db:"published_at" json:"publishedAt"`
	PublishedBy string               `db:"published_by" json:"publishedBy"`
	// Steps counts the packages that go.
	Steps       int        `db:"steps" json:"steps"`
	WithdrawnAt *time.Time `db:"withdrawn_at" json:"withdrawnAt,omitempty"`
	WithdrawnBy string     `db:"withdrawn_by" json:"withdrawnBy,omitempty"`
	// Sisters are other models that it is for.
	Sisters []ProfileModel `db:"sisters" json:"sisters" nullable:"false"`
}

const releaseLines = `
	select r.id, p.id as profile_id, m.slug as maker, m.name as maker_name, d.slug as model, d.name as model_name,
		p.slug as edition, p.name as edition_name,
		r.number, r.state, r.withdrawn_reason, r.sha256, r.published_at, w.name as published_by,
		(select count(*) from release_packages x where x.release_id = r.id)::int as steps, r.withdrawn_at,
			coalesce(q.name, '') as withdrawn_by, ` + sistersOf + ` as sisters
	from releases r
	join profiles p on p.id = r.profile_id
	join models d on d.id = p.model_id
	join makers m on m.id = d.maker_id
		join people w on w.id = r.published_by left join people q on q.id = r.withdrawn_by`

// Releases lists releases in scope, newest first.
func (s *Store) Releases(ctx context.Context, sc Scope, limit int) ([]ReleaseLine, error) {
	args := scopeArgs(sc)
	args["limit"] = limit
	return collectLagging[ReleaseLine](ctx, s, releaseLines+`
		
		where (@maker = `+everywhereID+`::uuid or m.id = @maker)
			and (@model = `+everywhereID+`::uuid or d.id = @model
				or exists (select from profile_sisters y where y.profile_id = p.id and y.model_id = @model))
		order by r.published_at desc, r.id desc limit @limit`, args)
}

// Release is a release with its bytes.
type Release struct {
	ReleaseLine
	Document  []byte `db:"document" json:"-"`
	Signature string `db:"signature" json:"-"`
	KeyID     string `db:"key_id" json:"keyId"`
	PublicKey string `db:"public_key" json:"publicKey"`
	// KeyRetired is since when its key signs nothing more, nil while it does.
	KeyRetired *time.Time `db:"key_retired" json:"keyRetired,omitempty"`
}

// Release finds a release by its address; number 0 is the current one, or the
// newest where none is current.
func (s *Store) Release(ctx context.Context, maker, model, edition string, number int) (Release, error) {
	return oneLagging[Release](ctx, s, `
		select l.*, r.document, r.signature, r.key_id, k.public_key, k.retired_at as key_retired
		from (`+releaseLines+`) l
		join releases r on r.id = l.id
		join signing_keys k on k.id = r.key_id
		where l.maker = $1 and l.model = $2 and l.edition = $3 and ($4 = 0 or l.number = $4)
		order by l.state = 'current' desc, l.number desc limit 1`, maker, model, edition, number)
}

// ReleaseByID reads a release.
func (s *Store) ReleaseByID(ctx context.Context, id uuid.UUID) (Release, error) {
	return readRelease(ctx, s.pool, id)
}

func readRelease(ctx context.Context, q querier, id uuid.UUID) (Release, error) {
	rows, err := q.Query(ctx, `
		select l.*, r.document, r.signature, r.key_id, k.public_key, k.retired_at as key_retired
		from (`+releaseLines+` where r.id = $1) l
		join releases r on r.id = l.id
		join signing_keys k on k.id = r.key_id`,
		id)
	return one[Release](rows, err)
}

// ReleasesOf lists a profile's releases, newest first.
func (s *Store) ReleasesOf(ctx context.Context, profile uuid.UUID, limit int) ([]ReleaseLine, error) {
	return collectLagging[ReleaseLine](ctx, s, releaseLines+`
		 where p.id = $1 order by r.number desc limit $2`, profile, limit)
}

// LatelyReleased lists releases by when they were published or withdrawn, the
// latest first.
func (s *Store) LatelyReleased(ctx context.Context, limit int) ([]ReleaseLine, error) {
	return collectLagging[ReleaseLine](ctx, s, releaseLines+`
		 order by greatest(r.published_at, r.withdrawn_at) desc limit $1`, limit)
}

// Withdraw takes a release out of use, with the reason that everybody is shown.
// It fails with ErrState where that was done before. The zero time is now.
func (s *Store) Withdraw(ctx context.Context, id uuid.UUID, reason string, person uuid.UUID, at time.Time) error {
	if at.IsZero() {
		at = time.Now()
	}
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		var profile uuid.UUID
		err := tx.QueryRow(ctx, `
			update releases set state = 'withdrawn', withdrawn_reason = $2, withdrawn_by = $3, withdrawn_at = $4
			where id = $1 and state <> 'withdrawn' returning profile_id`, id, reason, person, at).Scan(&profile)
		if isNone(err) {
			if _, err := readRelease(ctx, tx, id); err != nil {
				return err
			}
			return ErrState
		}
		if err != nil {
			return err
		}
		if err := tellMaintainers(ctx, tx, "withdrawn", profile, person, reason); err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `
			update models
			set cover_stale = true
			where id = (select model_id from profiles where id = $1)
				or id in (select model_id from profile_sisters where profile_id = $1)`, profile)
		if err != nil {
			return err
		}
		people, err := followersOfRelease(ctx, tx, id)
		if err != nil {
			return err
		}
		if err := addNotices(ctx, tx, people, NewNotice{Kind: "followed-release", Profile: &profile, By: &person, Words: "Withdrawn: " + reason}); err != nil {
			return err
		}
		if err := notify(ctx, tx, Event{Topic: ReleasesChanged}); err != nil {
			return err
		}
		return record(ctx, tx, Act{Person: person, Action: "release.withdrawn", Subject: id.String(), Detail: map[string]string{"reason": reason}})
	})
}

// Purposes are the sentences that say what releases are for, by release.
func (s *Store) Purposes(ctx context.Context, releases []uuid.UUID) (map[uuid.UUID]string, error) {
	rows, err := s.pool.Query(ctx, `
		select id, coalesce(convert_from(document, 'UTF8')::jsonb -> 'edition' ->> 'purpose', '')
		from releases where id = any($1)`, releases)
	if err != nil {
		return nil, err
	}
	all := map[uuid.UUID]string{}
	var id uuid.UUID
	var purpose string
	_, err = pgx.ForEachRow(rows, []any{&id, &purpose}, func() error { all[id] = purpose; return nil })
	return all, err
}

package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/profile"
)

// Publication is a profile that somebody asks to be published.
type Publication struct {
	ID        uuid.UUID `db:"id" json:"id"`
	ProfileID uuid.UUID `db:"profile_id" json:"profileId"`
	Revision  int       `db:"revision" json:"revision"`
	// Differences are what it does otherwise than the release with the number Since,
	// computed when it was asked for; nil where an older program asked.
	Since       int      `db:"since" json:"since,omitempty"`
	Differences []string `db:"differences" json:"differences,omitempty"`
	// Changes are what the one who asked wrote about it; there may be none.
	Changes   []string                 `db:"changes" json:"changes" nullable:"false"`
	Words     string                   `db:"words" json:"words"`
	State     profile.PublicationState `db:"state" json:"state" enum:"open,published,returned,taken-back,outdated"`
	AskedByID uuid.UUID                `db:"asked_by_id" json:"askedById"`
	AskedBy   string                   `db:"asked_by" json:"askedBy"`
	AskedAt   time.Time                `db:"asked_at" json:"askedAt"`
	DecidedBy string                   `db:"decided_by" json:"decidedBy"`
	DecidedAt *time.Time               `db:"decided_at" json:"decidedAt,omitempty"`
	Answer    string                   `db:"answer" json:"answer"`
	digest    string
}

// Errors of publishing.
var (
	// ErrAsked says that the profile waits to be published already.
	ErrAsked = errors.New("somebody has asked to publish this already")
	// ErrMoved says that what would be published is not what was asked for.
	ErrMoved = errors.New("what this takes off has changed since it was asked for: look at it and ask again")
)

// UnpublishableError says why a profile can't be published as it is.
type UnpublishableError struct{ Why error }

func (e *UnpublishableError) Error() string { return "this can't be published: " + e.Why.Error() }

func (e *UnpublishableError) Unwrap() error { return e.Why }

const publicationColumns = `
	select u.id, u.profile_id, u.revision, u.since, u.differences, u.changes,
		u.words, u.state, u.asked_by as asked_by_id, a.name as asked_by,
		u.asked_at,
		coalesce(d.name, '') as decided_by, u.decided_at, u.answer
	from publications u join people a on a.id = u.asked_by left join people d on d.id = u.decided_by`

// Publications lists what was asked of a profile, newest first.
func (s *Store) Publications(ctx context.Context, profile uuid.UUID, limit int) ([]Publication, error) {
	rows, err := s.pool.Query(ctx, publicationColumns+` where u.profile_id = $1 order by u.asked_at desc limit $2`,
		profile, limit)
	return collectRows[Publication](rows, err)
}

// ProfileOfPublication reads the profile that a publication is of.
func (s *Store) ProfileOfPublication(ctx context.Context, id uuid.UUID) (Profile, error) {
	rows, err := s.pool.Query(ctx, profileColumns+` where p.id = (select profile_id from publications where id = $1)`,
		id)
	return one[Profile](rows, err)
}

// AskPublication asks for a profile to be published as it is; revision is the
// one that was looked at, and changes are what a person writes about it, which may
// be nothing. What differs from the newest release is computed now. Another person
// then decides.
func (s *Store) AskPublication(ctx context.Context, id uuid.UUID, revision int, changes []string, words string, person uuid.UUID) (asked uuid.UUID, err error) {
	asked = NewID()
	err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		p, err := lockProfile(ctx, tx, id, revision)
		if err != nil {
			return err
		}
		d, err := s.compile(ctx, tx, p, profile.Heading{Number: p.Newest + 1, Published: time.Now(), Changes: changes})
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `
			insert into publications (id, profile_id, revision, digest, since, differences, changes, words, asked_by)
			values ($1, $2, $3, $4, $5, $6, $7, $8, $9)`,
			asked, id, revision, profile.AskedDigest(d), d.Since, d.Differences, changes, words, person)
		if violates(err, "one_open_publication") {
			err = ErrAsked
		}
		if err != nil {
			return err
		}
		if err := tellMaintainers(ctx, tx, "publish-asked", id, person, words); err != nil {
			return err
		}
		return record(
			ctx,
			tx,
			Act{Person: person, Action: "publication.asked", Subject: asked.String(), Detail: map[string]any{"profile": id, "revision": revision}},
		)
	})
	return asked, err
}

// outdate ends what was asked of a profile whose rules somebody changes: it is no
// longer what would be published. Who asked, and everybody who may have looked at
// it, is told.
func outdate(ctx context.Context, tx pgx.Tx, id, person uuid.UUID) error {
	tag, err := tx.Exec(ctx, `
		update publications
		set state = 'outdated', decided_by = $2, decided_at = now()
		where profile_id = $1 and state = 'open'`, id, person)
	if err != nil || tag.RowsAffected() == 0 {
		return err
	}
	return tellMaintainers(ctx, tx, "publish-outdated", id, person, "")
}

// lockProfile reads a profile of which nobody else changes anything meanwhile.
// ErrStale where it is no longer at the revision.
func lockProfile(ctx context.Context, tx pgx.Tx, id uuid.UUID, revision int) (Profile, error) {
	if _, err := tx.Exec(ctx, `select from profiles where id = $1 for update`, id); err != nil {
		return Profile{}, err
	}
	p, err := readProfile(ctx, tx, id)
	if err == nil && p.Revision != revision {
		err = ErrStale
	}
	return p, err
}

// newestDocument is the newest release of a profile that was not withdrawn; nil
// where there is none.
func newestDocument(ctx context.Context, q querier, id uuid.UUID) (*profile.Document, error) {
	var raw []byte
	err := q.QueryRow(ctx, `
		select document
		from releases
		where profile_id = $1 and state <> 'withdrawn'
		order by number desc
		limit 1`, id).Scan(&raw)
	if isNone(err) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	d, err := profile.ParseDocument(raw)
	if err != nil {
		return nil, fmt.Errorf("the newest release of profile %s: %w", id, err)
	}
	return d, nil
}

// compile composes a profile from what is known now and makes its document, with
// what differs from the newest release.
func (s *Store) compile(ctx context.Context, q querier, p Profile, h profile.Heading) (*profile.Document, error) {
	rules, err := profile.ParseRules(p.Rules)
	if err != nil {
		return nil, err
	}
	b, err := s.basis(ctx, q, p, rules)
	if err != nil {
		return nil, err
	}
	err = q.QueryRow(ctx, `
		select m.slug, m.name, m.manufacturer, d.slug, d.name, d.device, d.form
		from models d
		join makers m on m.id = d.maker_id
		where d.id = $1`, p.ModelID).
		Scan(&h.Maker.Slug, &h.Maker.Name, &h.Maker.Manufacturer, &h.Model.Slug, &h.Model.Name, &h.Model.Device, &h.Model.Form)
	if err != nil {
		return nil, err
	}
	for _, m := range p.Sisters {
		h.Sisters = append(h.Sisters, profile.Model{Slug: m.Slug, Name: m.Name, Device: m.Device, Form: m.Form})
	}
	h.Edition = profile.Edition{Slug: p.Slug, Name: p.Name, Purpose: p.Purpose}
	d, err := profile.Compile(h, rules, profile.Compose(b, rules))
	if err != nil {
		return nil, &UnpublishableError{err}
	}
	before, err := newestDocument(ctx, q, p.ID)
	if err != nil {
		return nil, err
	}
	d.Differ(before)
	many, err := gainOfDocument(ctx, q, p.ID, d)
	if err == nil && many != nil {
		d.Gain = profile.Gained(many.Figures)
	}
	return d, err
}

// Sign makes a signature of canonical bytes: minisign text and the key's id.
type Sign func(canonical []byte, d *profile.Document) (signature, key string, err error)

// Verdict is what a second person makes of a publication: published, returned
// with words, or taken back by the one who asked.
type Verdict struct {
	State profile.PublicationState
	// Answer goes to the one who asked; a return needs it.
	Answer string
	// Changes take the place of the change log that was asked for; nil leaves
	// it.
	Changes []string
	// At is when it was given, where that is written down later; the zero time
	// is now. A release is dated by it.
	At time.Time
}

// DecidePublication publishes what somebody asked for, or does not. What is
// published has to be what was asked for: ErrMoved where the evidence has
// moved a package since. The one who asked can't publish (ErrOwn), unless the
// rules of review allow it and nobody else could; nobody else can take it back
// (ErrNotYours).
func (s *Store) DecidePublication(ctx context.Context, id uuid.UUID, person Person, v Verdict, sign Sign) (number int, err error) {
	err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		u, err := lockPublication(ctx, tx, id)
		if err != nil {
			return err
		}
		own := u.AskedByID == person.ID
		if !own && v.State == profile.TakenBack {
			return ErrNotYours
		}
		if own != (v.State == profile.TakenBack) {
			alone, err := mayDecideAlone(ctx, tx, person.ID)
			if err != nil {
				return err
			}
			if v.State != profile.Published || !alone {
				return ErrOwn
			}
		}
		if v.Changes == nil {
			v.Changes = u.Changes
		}
		if v.At.IsZero() {
			v.At = time.Now()
		}
		if v.State == profile.Published {
			if number, err = s.publish(ctx, tx, u, person, v, sign); err != nil {
				return err
			}
		}
		_, err = tx.Exec(ctx, `
			update publications
			set state = $2, decided_by = $3, decided_at = $6, answer = $4, changes = $5,
				asked_at = least(asked_at, $6)
			where id = $1`, id, v.State, person.ID, v.Answer, v.Changes, v.At)
		if err != nil {
			return err
		}
		if v.State != profile.TakenBack {
			told := NewNotice{Kind: "publish-" + string(v.State), Profile: &u.ProfileID, By: &person.ID, Words: v.Answer}
			if err := addNotices(ctx, tx, []uuid.UUID{u.AskedByID}, told); err != nil {
				return err
			}
		}
		return record(
			ctx,
			tx,
			Act{
				Person:  person.ID,
				Action:  "publication." + string(v.State),
				Subject: id.String(),
				Detail:  map[string]any{"profile": u.ProfileID, "number": number},
			},
		)
	})
	return number, err
}

func lockPublication(ctx context.Context, tx pgx.Tx, id uuid.UUID) (Publication, error) {
	var digest string
	if err := tx.QueryRow(ctx, `
		select digest from publications where id = $1 for update`, id).Scan(&digest); err != nil {
		if isNone(err) {
			err = ErrNotFound
		}
		return Publication{}, err
	}
	rows, err := tx.Query(ctx, publicationColumns+` where u.id = $1`, id)
	u, err := one[Publication](rows, err)
	u.digest = digest
	if err == nil && u.State != profile.AskedFor {
		err = ErrState
	}
	return u, err
}

// mayDecideAlone reports whether a person may publish what they asked for.
func mayDecideAlone(ctx context.Context, q querier, person uuid.UUID) (alone bool, err error) {
	rules, _, err := reviewRules(ctx, q)
	if err != nil || !rules.Alone {
		return false, err
	}
	err = q.QueryRow(ctx, `
		select not exists (select from people
			where id <> $1 and removed_at is null and role in ('maintainer', 'keeper'))`, person).Scan(&alone)
	return alone, err
}

// publish compiles, signs and stores the next release of a profile.
func (s *Store) publish(ctx context.Context, tx pgx.Tx, u Publication, person Person, v Verdict, sign Sign) (int, error) {
	p, err := lockProfile(ctx, tx, u.ProfileID, u.Revision)
	if err != nil {
		return 0, err
	}
	d, err := s.compile(ctx, tx, p, profile.Heading{Number: p.Newest + 1, Published: v.At, Publisher: u.AskedBy, Approver: person.Name, Changes: v.Changes})
	if err != nil {
		return 0, err
	}
	digest := profile.AskedDigest(d)
	if u.Differences == nil { // an older program asked
		digest = profile.StepsDigest(d.Steps)
	}
	if digest != u.digest {
		return 0, ErrMoved
	}
	if u.AskedByID == person.ID {
		d.Approver = ""
	}
	canonical, err := d.Canonical()
	if err != nil {
		return 0, err
	}
	signature, key, err := sign(canonical, d)
	if err != nil {
		return 0, err
	}
	if _, err := tx.Exec(ctx, `
		update releases set state = 'replaced' where profile_id = $1 and state = 'current'`, p.ID); err != nil {
		return 0, err
	}
	release, names, methods := NewID(), []string{}, []string{}
	_, err = tx.Exec(ctx, `
		insert into releases (id, profile_id, number, document, sha256, signature, key_id, published_by, asked_by,
			published_at)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10)`,
		release, p.ID, d.Number, canonical, profile.Digest(canonical), signature, key, person.ID, u.AskedByID, v.At)
	if err != nil {
		return 0, err
	}
	for _, step := range d.Removals() {
		names, methods = append(names, string(step.Package)), append(methods, string(step.Method))
	}
	_, err = tx.Exec(ctx, `
		insert into release_packages (release_id, package_id, method) select $1, p.id, x.method
		from unnest($2::text[], $3::text[]) x (name, method)
		join packages p using (name)`, release, names, methods)
	if err != nil {
		return 0, err
	}
	// A profile's revision stands for what was published of it, too.
	if _, err := tx.Exec(ctx, `update profiles set revision = revision + 1 where id = $1`, p.ID); err != nil {
		return 0, err
	}
	if err := s.released(ctx, tx, p, release, person.ID, fmt.Sprintf("No. %d is out.", d.Number)); err != nil {
		return 0, err
	}
	return d.Number, notify(ctx, tx, Event{Topic: ReleasesChanged})
}

// released holds a new release against all builds of its models, and tells
// those who follow.
func (s *Store) released(ctx context.Context, tx pgx.Tx, p Profile, release, by uuid.UUID, words string) error {
	models := []uuid.UUID{p.ModelID}
	for _, m := range p.Sisters {
		models = append(models, m.ID)
	}
	if err := s.freshenHolds(ctx, tx, models); err != nil {
		return err
	}
	if err := staleCover(ctx, tx, models); err != nil {
		return err
	}
	people, err := followersOfRelease(ctx, tx, release)
	if err != nil {
		return err
	}
	return addNotices(ctx, tx, people, NewNotice{Kind: "followed-release", Profile: &p.ID, By: &by, Words: words})
}

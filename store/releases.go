package store

import (
	"context"
	"encoding/json"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/profile"
)

// ReleaseLine is a release in a list.
type ReleaseLine struct {
	ID          uuid.UUID `db:"id" json:"id"`
	Maker       string    `db:"maker" json:"maker"`
	MakerName   string    `db:"maker_name" json:"makerName"`
	Model       string    `db:"model" json:"model"`
	ModelName   string    `db:"model_name" json:"modelName"`
	Edition     string    `db:"edition" json:"edition"`
	EditionName string    `db:"edition_name" json:"editionName"`
	Number      int       `db:"number" json:"number"`
	State       string    `db:"state" json:"state" enum:"current,replaced,withdrawn"`
	Reason      string    `db:"withdrawn_reason" json:"withdrawnReason"`
	SHA256      string    `db:"sha256" json:"sha256"`
	PublishedAt time.Time `db:"published_at" json:"publishedAt"`
	PublishedBy string    `db:"published_by" json:"publishedBy"`
	Steps       int       `db:"steps" json:"steps"`
}

const releaseLines = `
	select r.id, m.slug as maker, m.name as maker_name, d.slug as model, d.name as model_name, p.slug as edition, p.name as edition_name,
		r.number, r.state, r.withdrawn_reason, r.sha256, r.published_at, w.name as published_by,
		jsonb_array_length(convert_from(r.document, 'utf8')::jsonb -> 'steps') as steps
	from releases r join profiles p on p.id = r.profile_id join models d on d.id = p.model_id join makers m on m.id = d.maker_id
		join people w on w.id = r.published_by`

// Releases lists releases in scope, newest first.
func (s *Store) Releases(ctx context.Context, sc Scope, limit int) ([]ReleaseLine, error) {
	args := scopeArgs(sc)
	args["limit"] = limit
	rows, err := s.pool.Query(ctx, releaseLines+`
		where (@maker = '00000000-0000-0000-0000-000000000000'::uuid or m.id = @maker) and (@model = '00000000-0000-0000-0000-000000000000'::uuid or d.id = @model)
		order by r.published_at desc, r.id desc limit @limit`, args)
	return all[ReleaseLine](rows, err)
}

// Release is a release with its bytes.
type Release struct {
	ReleaseLine
	Document  []byte `db:"document" json:"-"`
	Signature string `db:"signature" json:"-"`
	KeyID     string `db:"key_id" json:"keyId"`
	PublicKey string `db:"public_key" json:"publicKey"`
}

// Release finds a release by its address; number 0 is the newest one that is
// not withdrawn, or the newest at all.
func (s *Store) Release(ctx context.Context, maker, model, edition string, number int) (Release, error) {
	rows, err := s.pool.Query(ctx, `
		select l.*, r.document, r.signature, r.key_id, k.public_key
		from (`+releaseLines+`) l join releases r on r.id = l.id join signing_keys k on k.id = r.key_id
		where l.maker = $1 and l.model = $2 and l.edition = $3 and ($4 = 0 or l.number = $4)
		order by l.state = 'withdrawn', l.number desc limit 1`, maker, model, edition, number)
	return one[Release](rows, err)
}

// Sign makes a signature of canonical bytes: minisign text and the key's id.
type Sign func(canonical []byte, d *profile.Document) (signature, key string, err error)

// Publish compiles, signs and stores the next release of a profile; revision
// is the profile's that the publisher saw. Two publishers at once: one wins,
// the other gets ErrStale.
func (s *Store) Publish(ctx context.Context, id uuid.UUID, revision int, person Person, sign Sign) (number int, err error) {
	err = s.inTx(ctx, func(tx pgx.Tx) error {
		var now int
		var rawRules []byte
		h := profile.Heading{Publisher: person.Name, Published: time.Now()}
		var model uuid.UUID
		err := tx.QueryRow(ctx, `
			select p.revision, p.rules, p.model_id, p.slug, p.name, p.purpose, m.slug, m.name, m.manufacturer, d.slug, d.name, d.device, d.form,
				coalesce((select max(number) from releases where profile_id = p.id), 0) + 1
			from profiles p join models d on d.id = p.model_id join makers m on m.id = d.maker_id where p.id = $1 for update of p`, id).
			Scan(&now, &rawRules, &model, &h.Edition.Slug, &h.Edition.Name, &h.Edition.Purpose, &h.Maker.Slug, &h.Maker.Name, &h.Maker.Manufacturer,
				&h.Model.Slug, &h.Model.Name, &h.Model.Device, &h.Model.Form, &h.Number)
		switch {
		case isNone(err):
			return ErrNotFound
		case err != nil:
			return err
		case now != revision:
			return ErrStale
		}
		var rules profile.Rules
		if err := json.Unmarshal(rawRules, &rules); err != nil {
			return err
		}
		sc, err := findScope(ctx, tx, h.Maker.Slug, h.Model.Slug, "")
		if err != nil {
			return err
		}
		if h.Builds, err = documentBuilds(ctx, tx, model); err != nil {
			return err
		}
		found, err := candidates(ctx, tx, sc, string(rules.Method), nil)
		if err != nil {
			return err
		}
		doc, err := profile.Compile(h, rules, profile.Compose(found, rules))
		if err != nil {
			return &UnpublishableError{err}
		}
		number = h.Number
		return insertRelease(ctx, tx, id, doc, person, sign)
	})
	return number, err
}

// UnpublishableError says why a profile can't be published as it is.
type UnpublishableError struct{ Why error }

func (e *UnpublishableError) Error() string { return "this can't be published: " + e.Why.Error() }

func (e *UnpublishableError) Unwrap() error { return e.Why }

func documentBuilds(ctx context.Context, tx pgx.Tx, model uuid.UUID) ([]profile.Build, error) {
	rows, err := tx.Query(ctx, `select fingerprint, version, release, security_patch, carrier, region from builds where model_id = $1 order by fingerprint`, model)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[profile.Build])
}

func insertRelease(ctx context.Context, tx pgx.Tx, id uuid.UUID, doc *profile.Document, person Person, sign Sign) error {
	canonical, err := doc.Canonical()
	if err != nil {
		return err
	}
	signature, key, err := sign(canonical, doc)
	if err != nil {
		return err
	}
	if _, err := tx.Exec(ctx, `update releases set state = 'replaced' where profile_id = $1 and state = 'current'`, id); err != nil {
		return err
	}
	release := NewID()
	_, err = tx.Exec(ctx, `
		insert into releases (id, profile_id, number, document, sha256, signature, key_id, published_by)
		values ($1, $2, $3, $4, $5, $6, $7, $8)`, release, id, doc.Number, canonical, profile.Digest(canonical), signature, key, person.ID)
	if err != nil {
		return err
	}
	names := make([]string, len(doc.Steps))
	for i, step := range doc.Steps {
		names[i] = string(step.Package)
	}
	if _, err := tx.Exec(ctx, `insert into release_packages (release_id, package_id) select $1, id from packages where name = any($2)`, release, names); err != nil {
		return err
	}
	// A profile's revision stands for what was published of it, too.
	if _, err := tx.Exec(ctx, `update profiles set revision = revision + 1 where id = $1`, id); err != nil {
		return err
	}
	if err := notify(ctx, tx, Event{Topic: "releases"}); err != nil {
		return err
	}
	return record(ctx, tx, Act{Person: person.ID, Action: "release.published", Subject: release.String(), Detail: map[string]any{"profile": id, "number": doc.Number}})
}

// SigningKey is a key pair, its private half sealed.
type SigningKey struct {
	ID     string `db:"id"`
	Public string `db:"public_key"`
	Sealed []byte `db:"sealed"`
}

// KeyInUse reads the key that new releases are signed with.
func (s *Store) KeyInUse(ctx context.Context) (SigningKey, error) {
	rows, err := s.pool.Query(ctx, `select id, public_key, sealed from signing_keys where retired_at is null`)
	return one[SigningKey](rows, err)
}

// AddKey stores a key; where another server was faster, that one's stays.
func (s *Store) AddKey(ctx context.Context, k SigningKey) error {
	_, err := s.pool.Exec(ctx, `insert into signing_keys (id, public_key, sealed) values ($1, $2, $3) on conflict do nothing`, k.ID, k.Public, k.Sealed)
	return err
}

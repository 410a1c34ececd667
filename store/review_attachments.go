package store

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// Attachment is a file that belongs to evidence, without its content.
type Attachment struct {
	ID   uuid.UUID `db:"id" json:"id"`
	Name string    `db:"name" json:"name"`
	// Type is the media type that the content was found to have.
	Type  string    `db:"type" json:"type" enum:"text/plain,image/png,image/jpeg"`
	Bytes int       `db:"bytes" json:"bytes"`
	At    time.Time `db:"created_at" json:"at"`
}

const attachmentColumns = `select id, name, type, octet_length(content) as bytes, created_at from attachments`

// ErrTooMany says that a person has more unused files waiting than may be.
var ErrTooMany = errors.New("too many of your files wait unused; send what you have or wait a day")

// maxUnused bounds the files of one person that no edit names yet.
const maxUnused = 50

// AddAttachment keeps a file until an edit names it, for at least a day.
func (s *Store) AddAttachment(ctx context.Context, person uuid.UUID, name, kind string, content []byte) (Attachment, error) {
	digest := sha256.Sum256(content)
	id := NewID()
	err := s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `
			delete
			from attachments
			where not used and person_id = $1 and created_at < now() - interval '1 day'`, person); err != nil {
			return err
		}
		var unused int
		if err := tx.QueryRow(ctx, `
			select count(*) from attachments where not used and person_id = $1`, person).Scan(&unused); err != nil {
			return err
		}
		if unused >= maxUnused {
			return ErrTooMany
		}
		_, err := tx.Exec(ctx, `
			insert into attachments (id, person_id, name, type, content, digest)
			values ($1, $2, $3, $4, $5, $6)`, id, person, name, kind, content, digest[:])
		return err
	})
	return Attachment{ID: id, Name: name, Type: kind, Bytes: len(content), At: time.Now()}, err
}

// attachmentSent is the condition that a file a was sent to others: with an
// edit of a change, or by ticking off what was tried after a run.
const attachmentSent = `
	exists (select from edits e
		where e.author_id = a.person_id and e.change_id is not null
			and (e.value -> 'attachments' ? a.id::text or e.value ->> 'attachment' = a.id::text))
	or exists (select from trials t where t.person_id = a.person_id and a.id = any(t.attachments))
	or exists (select from sources s where s.attachment_id = a.id)
	or exists (select from run_checks c where a.id = any(c.attachments))`

// AttachmentContent reads a file for somebody: their own, or one that was sent
// as evidence.
func (s *Store) AttachmentContent(ctx context.Context, reader, id uuid.UUID) (a Attachment, content []byte, err error) {
	err = s.pool.QueryRow(ctx, `
		select a.id, a.name, a.type, a.created_at, a.content
		from attachments a
		where a.id = $1
			and (a.person_id = $2 or a.used and (`+attachmentSent+`))`, id, reader).
		Scan(&a.ID, &a.Name, &a.Type, &a.At, &content)
	if isNone(err) {
		err = ErrNotFound
	}
	a.Bytes = len(content)
	return a, content, err
}

// Attachments describes files by their ids, in no order; unknown ones are left
// out.
func (s *Store) Attachments(ctx context.Context, ids []uuid.UUID) ([]Attachment, error) {
	rows, err := s.pool.Query(ctx, attachmentColumns+` where id = any($1)`, ids)
	return collectRows[Attachment](rows, err)
}

// useAttachments marks a person's files as named by an edit; ErrNotFound where
// one is not theirs, or is gone.
func useAttachments(ctx context.Context, tx pgx.Tx, person uuid.UUID, ids []uuid.UUID) error {
	if len(ids) == 0 {
		return nil
	}
	var missing int
	if err := tx.QueryRow(ctx, `
		select count(*)
		from unnest($1::uuid[]) id
		where id not in (select id from attachments where person_id = $2)`, ids, person).Scan(&missing); err != nil {
		return err
	}
	if missing > 0 {
		return errors.Join(errors.New("a file that the evidence names"), ErrNotFound)
	}
	_, err := tx.Exec(ctx, `update attachments set used = true where id = any($1)`, ids)
	return err
}

// releaseAttachments marks the files that the value of a removed edit names as
// unused, unless another edit of the person names them, too.
func releaseAttachments(ctx context.Context, tx pgx.Tx, person uuid.UUID, value []byte) error {
	var v struct {
		Attachment  string
		Attachments []string
	}
	// Only trials and sources are objects with files.
	if json.Unmarshal(value, &v) != nil {
		return nil
	}
	ids := v.Attachments
	if v.Attachment != "" {
		ids = append(ids, v.Attachment)
	}
	if len(ids) == 0 {
		return nil
	}
	_, err := tx.Exec(ctx, `
		update attachments a set used = false where a.id::text = any($2) and a.person_id = $1 and not exists (
			select from edits e
			where e.author_id = $1
				and (e.value -> 'attachments' ? a.id::text or e.value ->> 'attachment' = a.id::text))`, person, ids)
	return err
}

package store

import (
	"context"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/profile"
)

// keptDocuments bounds the documents of releases that a process keeps. One
// takes about three times what it takes as text.
const keptDocuments = 12_000_000

// readDocuments reads the documents of releases, by id. Nobody may change
// them: they are kept for whoever asks next. One that this program can't read
// is left out, and the log says which.
func (s *Store) readDocuments(ctx context.Context, q querier, releases []uuid.UUID) (map[uuid.UUID]*profile.Document, error) {
	out := make(map[uuid.UUID]*profile.Document, len(releases))
	var unread []uuid.UUID
	for _, id := range releases {
		if d, ok := s.documents.get(id); ok {
			out[id] = d
		} else {
			unread = append(unread, id)
		}
	}
	if len(unread) == 0 {
		return out, nil
	}
	rows, err := q.Query(ctx, `select id, document from releases where id = any($1)`, unread)
	if err != nil {
		return nil, err
	}
	var id uuid.UUID
	var raw []byte
	_, err = pgx.ForEachRow(rows, []any{&id, &raw}, func() error {
		d, err := profile.ParseDocument(raw)
		if err != nil {
			s.log.Error("the document of a release can't be read; nobody is told how it stands on new firmware", "release", id, "err", err)
			return nil
		}
		out[id] = d
		s.documents.put(id, d, 3*len(raw))
		return nil
	})
	return out, err
}

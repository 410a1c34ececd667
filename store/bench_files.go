package store

import (
	"context"
	"errors"
	"io"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// filePiece is how much of a file on its way to a bench lies in one row.
const filePiece = 1 << 20

// AddHandedFile stores a package file for a bench until that has fetched it, piece
// by piece, and returns how large it was. It reads r to its end.
func (s *Store) AddHandedFile(ctx context.Context, bench uuid.UUID, name string, r io.Reader) (id uuid.UUID, size int64, err error) {
	id = NewID()
	err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		size = 0
		there, err := tx.Exec(ctx, `
			insert into handed_files (id, bench_id, name, size)
			select $1, id, $3, 0 from benches where id = $2`, id, bench, name)
		if err != nil {
			return err
		}
		if there.RowsAffected() == 0 {
			return ErrNotFound
		}
		piece := make([]byte, filePiece)
		for number := 0; ; number++ {
			n, err := io.ReadFull(r, piece)
			if n > 0 {
				_, err := tx.Exec(ctx, `
					insert into handed_pieces (file_id, number, data) values ($1, $2, $3)`, id, number, piece[:n])
				if err != nil {
					return err
				}
				size += int64(n)
			}
			if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
				break
			}
			if err != nil {
				return err
			}
		}
		_, err = tx.Exec(ctx, `
			update handed_files set size = $2 where id = $1`, id, size)
		return err
	})
	return id, size, err
}

// HandedFile hands out a file that waits for a bench, piece by piece, and how large
// it is.
func (s *Store) HandedFile(ctx context.Context, bench, id uuid.UUID) (r io.ReadCloser, size int64, err error) {
	err = s.pool.QueryRow(ctx, `
		select size from handed_files where id = $1 and bench_id = $2`, id, bench).Scan(&size)
	if isNone(err) {
		err = ErrNotFound
	}
	if err != nil {
		return nil, 0, err
	}
	return &pieces{ctx: ctx, store: s, id: id}, size, nil
}

// DropHandedFiles forgets the files that a bench has fetched, or never will: those
// named, and of any bench those that are older than a day.
func (s *Store) DropHandedFiles(ctx context.Context, ids []uuid.UUID) error {
	_, err := s.pool.Exec(ctx, `
		delete from handed_files where id = any($1) or made_at < now() - interval '1 day'`, ids)
	return err
}

// pieces reads a file that lies in rows.
type pieces struct {
	ctx    context.Context
	store  *Store
	id     uuid.UUID
	number int
	rest   []byte
}

func (p *pieces) Read(into []byte) (int, error) {
	if len(p.rest) == 0 {
		err := p.store.pool.QueryRow(p.ctx, `
			select data from handed_pieces where file_id = $1 and number = $2`, p.id, p.number).Scan(&p.rest)
		if isNone(err) {
			return 0, io.EOF
		}
		if err != nil {
			return 0, err
		}
		p.number++
	}
	n := copy(into, p.rest)
	p.rest = p.rest[n:]
	return n, nil
}

func (p *pieces) Close() error { return nil }

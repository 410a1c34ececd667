package store

import (
	"context"
	"maps"
	"slices"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"

	"roster/core/desk"
)

// What tests need to look behind the methods.
var ErrNested = errNested

// Forgiving is how alike a word and a search must be.
const Forgiving = forgiving

// Pool lets tests look at the tables themselves.
func (s *Store) Pool() *pgxpool.Pool { return s.pool }

func (s *Store) InTx(ctx context.Context, f func(context.Context, pgx.Tx) error) error {
	return s.inTx(ctx, f)
}

func (s *Store) InLongTx(ctx context.Context, f func(context.Context, pgx.Tx) error) error {
	return s.inLongTx(ctx, f)
}

func (s *Store) Alone(ctx context.Context) (*pgx.Conn, error) { return s.alone(ctx) }

// ReplicaReads counts what was read from each replica.
func (s *Store) ReplicaReads() (reads []uint64) {
	for _, r := range s.replicas {
		reads = append(reads, r.served.Load())
	}
	return reads
}

// HeardLittle has a store believe that it heard of nothing since the beginning.
func (s *Store) HeardLittle() { s.heard.Store(1) }

// LedgerOfStatement is Ledger as the database alone orders it and cuts it into pages.
func (s *Store) LedgerOfStatement(ctx context.Context, q LedgerQuery) (rows []LedgerRow, found, total int, err error) {
	st, err := q.statement(nil)
	if err != nil {
		return nil, 0, 0, err
	}
	page, err := s.pageOf(ctx, q, st)
	return page.rows, page.found, page.total, err
}

// ForgetSettled lets go of all that was kept of tables that nobody has written to.
func (s *Store) ForgetSettled() {
	s.takenNow, s.judged, s.ungraded = settled[[]taken]{}, settled[[]judgedRelease]{}, settled[[]desk.Line]{}
	s.ledgers.settled, s.compared.settled, s.shippedIDs = settled[[]byte]{}, settled[[]byte]{}, settled[rowIDs]{}
}

// SettledOf are the tables whose rows something is kept of, as touched names them.
func (s *Store) SettledOf() []string {
	of := basis{}
	for _, b := range slices.Concat(s.takenNow.bases(), s.judged.bases(), s.ungraded.bases(), s.ledgers.bases(), s.compared.bases(), s.shippedIDs.bases()) {
		maps.Copy(of, b)
	}
	return slices.Sorted(maps.Keys(of))
}

func (c *settled[V]) bases() (list []basis) {
	for _, one := range c.kept.fresh {
		list = append(list, one.value.of)
	}
	return list
}

package store

import (
	"context"
	"encoding/json"
	"errors"

	"github.com/jackc/pgx/v5"

	"roster/core/evidence"
)

// querier is a pool or a transaction.
type querier interface {
	Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error)
	QueryRow(ctx context.Context, sql string, args ...any) pgx.Row
}

// transfer reads the installation's transfer table, the default one where
// none was set.
func transfer(ctx context.Context, q querier) (evidence.Transfer, error) {
	table := evidence.DefaultTransfer
	var raw []byte
	err := q.QueryRow(ctx, `select value from settings where key = 'transfer'`).Scan(&raw)
	if errors.Is(err, pgx.ErrNoRows) {
		return table, nil
	}
	if err != nil {
		return table, err
	}
	if err := json.Unmarshal(raw, &table); err != nil {
		return table, err
	}
	return table, table.Check()
}

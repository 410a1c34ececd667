package store

import "github.com/jackc/pgx/v5/pgxpool"

// Pool lets tests look at the tables themselves.
func (s *Store) Pool() *pgxpool.Pool { return s.pool }

package postgres

import (
	"context"

	"github.com/jackc/pgx/v5/pgxpool"
)

// Exec runs plain SQL, for tests of what the schema itself refuses.
func (s *Store) Exec(ctx context.Context, sql string) error {
	_, err := s.pool.Exec(ctx, sql)
	return err
}

// Pool is the store's own, for what only tests ask.
func (s *Store) Pool() *pgxpool.Pool { return s.pool }

package postgres

import (
	"context"
	"io/fs"
	"strings"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
)

// Migrations gives what steps through them, one by one.
func (s *Store) Migrations() (*goose.Provider, error) {
	sub, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return nil, err
	}
	return goose.NewProvider(goose.DialectPostgres, stdlib.OpenDBFromPool(s.Pool()), sub)
}

// Exec runs plain SQL, for tests of what the schema itself refuses.
func (s *Store) Exec(ctx context.Context, sql string) error {
	_, err := s.pool.Exec(ctx, sql)
	return err
}

// In runs f in one of the store's transactions.
func (s *Store) In(ctx context.Context, f func(tx pgx.Tx) error) error { return s.in(ctx, f) }

// Pool is the store's own, for what only tests ask.
func (s *Store) Pool() *pgxpool.Pool { return s.pool.ours(context.Background()) }

// Migration gives what one migration does on the way up.
func Migration(name string) string {
	b, err := migrations.ReadFile("migrations/" + name)
	if err != nil {
		panic(err)
	}
	up, _, _ := strings.Cut(string(b), "-- +goose Down")
	return up
}

// MigrateTo brings the schema up to an older version.
func (s *Store) MigrateTo(ctx context.Context, version int64) error { return s.migrateTo(ctx, version) }

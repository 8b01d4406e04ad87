package postgres

import "context"

// Exec runs plain SQL, for tests of what the schema itself refuses.
func (s *Store) Exec(ctx context.Context, sql string) error {
	_, err := s.pool.Exec(ctx, sql)
	return err
}

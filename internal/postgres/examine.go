package postgres

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"
)

// A Seen is what a database shows to whoever looks at it once, from outside.
type Seen struct {
	Major   int   // of the server
	Schema  int64 // the version of what is kept there; 0 for none
	Knows   int64 // the newest that this program knows
	Standby bool
	At      time.Time // by its clock
	// BackedUp is when all was backed up last; zero where it never was.
	BackedUp time.Time
}

// Examine looks at a database once, without a service, and changes nothing.
func Examine(ctx context.Context, url string) (s Seen, err error) {
	conn, err := pgx.Connect(ctx, url)
	if err != nil {
		return s, translate(err)
	}
	defer func() { _ = conn.Close(ctx) }()
	var version int
	var kept bool
	if err := conn.QueryRow(ctx, "SELECT current_setting('server_version_num')::int, pg_is_in_recovery(), "+
		"clock_timestamp(), to_regclass('goose_db_version') IS NOT NULL").Scan(&version, &s.Standby, &s.At,
		&kept); err != nil {
		return s, translate(err)
	}
	s.Major, s.Knows = version/10000, Newest()
	if kept {
		var last *time.Time
		err = conn.QueryRow(ctx, "SELECT coalesce(max(version_id), 0), ("+lastBackup+") FROM goose_db_version WHERE "+
			"is_applied").Scan(&s.Schema, &last)
		if last != nil {
			s.BackedUp = *last
		}
	}
	return s, translate(err)
}

// Package postgres keeps everything durable in PostgreSQL: the only SQL in Cirque, and the place where its errors
// become faults.
package postgres

import (
	"context"
	"embed"
	"fmt"
	"io/fs"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/pressly/goose/v3/lock"

	"cirque/core/event"
	"cirque/core/fault"
	"cirque/internal/postgres/cluster"
)

//go:embed migrations/*.sql
var migrations embed.FS

// channel carries notices between processes.
const channel = "cirque"

// A Store is the database, by what is kept in it. Any number of goroutines may use it.
type Store struct {
	db
	own     *backends
	queries *queries

	Accounts      AccountTable
	Checkups      CheckupTable
	Credentials   CredentialTable
	Directories   DirectoryTable
	Drafts        DraftTable
	Duties        DutyTable
	Endpoints     EndpointTable
	Enrolments    EnrolmentTable
	Estates       EstateTable
	Events        EventTable
	Factors       FactorTable
	FailoverTests FailoverTable
	Healths       HealthTable
	Jobs          JobTable
	Links         LinkTable
	Listings      ListingTable
	Notices       NoticeTable
	Once          OnceTable
	Packages      PackageTable
	Places        PlaceTable
	Keepers       KeeperTable
	Persons       PersonTable
	Snapshots     SnapshotTable
	Picks         PickTable
	Requests      RequestTable
	Scans         ScanTable
	Sources       SourceTable
	Stock         StockTable
	Tokens        TokenTable
	Updates       UpdateTable
	Uses          UseTable
	Views         ViewTable
}

// db are the connections that all tables share.
type db struct {
	pool *pools
}

// The tables, each with the statements about it.
type (
	// AccountTable keeps accounts and the rules by which people of directories have roles.
	AccountTable struct{ db }
	// CheckupTable keeps checkups and test pages.
	CheckupTable struct{ db }
	// CredentialTable keeps keys, sealed.
	CredentialTable struct{ db }
	// DirectoryTable keeps users, groups, units and machines.
	DirectoryTable struct{ db }
	// DraftTable keeps drafts.
	DraftTable struct{ db }
	// DutyTable keeps what is out of duty.
	DutyTable struct{ db }
	// EndpointTable keeps what endpoints reported.
	EndpointTable struct{ db }
	// EnrolmentTable keeps enrolment tokens and certificates.
	EnrolmentTable struct{ db }
	// EstateTable keeps the revisions of the estate.
	EstateTable struct{ db }
	// EventTable keeps what happened.
	EventTable struct{ db }
	// FactorTable keeps what people show besides a password.
	FactorTable struct{ db }
	// FailoverTable keeps failover tests.
	FailoverTable struct{ db }
	// HealthTable keeps what probing found.
	HealthTable struct{ db }
	// LinkTable keeps which accounts are one person.
	LinkTable struct{ db }
	// ListingTable keeps printer entries in directories.
	ListingTable struct{ db }
	// NoticeTable keeps who was told of what.
	NoticeTable struct{ db }
	// PackageTable keeps packages of drivers.
	PackageTable struct{ db }
	// KeeperTable keeps what agents said of the print servers that they keep.
	KeeperTable struct{ db }
	// UpdateTable keeps packages of the agent, and what came of orders to install them.
	UpdateTable struct{ db }
	// PlaceTable keeps where packages of drivers are fetched from.
	PlaceTable struct{ db }
	// PersonTable keeps what is kept of a person, across all tables.
	PersonTable struct{ db }
	// SnapshotTable keeps snapshots.
	SnapshotTable struct{ db }
	// PickTable keeps people's picks.
	PickTable struct{ db }
	// RequestTable keeps requests for queues.
	RequestTable struct{ db }
	// ScanTable keeps scans and what they found.
	ScanTable struct{ db }
	// SourceTable keeps sources of the directory and their runs.
	SourceTable struct{ db }
	// StockTable keeps registrations and readings of servers and devices.
	StockTable struct{ db }
	// TokenTable keeps sessions and tokens.
	TokenTable struct{ db }
	// UseTable keeps who printed through which server.
	UseTable struct{ db }
	// ViewTable keeps lists of the console as people keep them.
	ViewTable struct{ db }
)

func newStore(pool *pools) *Store {
	d := db{pool}
	return &Store{d, new(backends), new(queries), AccountTable{d}, CheckupTable{d}, CredentialTable{d}, DirectoryTable{d},
		DraftTable{d}, DutyTable{d},
		EndpointTable{d}, EnrolmentTable{d}, EstateTable{d}, EventTable{d}, FactorTable{d}, FailoverTable{d},
		HealthTable{d}, JobTable{d}, LinkTable{d},
		ListingTable{d}, NoticeTable{d}, OnceTable{d}, PackageTable{d}, PlaceTable{d}, KeeperTable{d},
		PersonTable{d}, SnapshotTable{d}, PickTable{d}, RequestTable{d}, ScanTable{d}, SourceTable{d}, StockTable{d},
		TokenTable{d}, UpdateTable{d}, UseTable{d}, ViewTable{d}}
}

// Open connects and checks the server's version; it does not migrate.
func Open(ctx context.Context, url string) (*Store, error) {
	own, asked := &backends{}, &queries{}
	pool, err := openPools(ctx, url, own, asked)
	if err != nil {
		return nil, err
	}
	s := newStore(pool)
	s.own, s.queries = own, asked
	var version int
	if err := pool.QueryRow(ctx, "SELECT current_setting('server_version_num')::int").Scan(&version); err != nil {
		pool.Close()
		return nil, translate(err)
	}
	if version/10000 < cluster.Oldest {
		pool.Close()
		return nil, fault.New(fault.Unavailable, "database-version", fmt.Sprintf("use a server of version %d or later",
			cluster.Oldest), "the database server has version %d", version/10000)
	}
	return s, nil
}

// Create makes a database on a server unless it is there.
func Create(ctx context.Context, serverURL, database string) error {
	conn, err := pgx.Connect(ctx, serverURL)
	if err != nil {
		return translate(err)
	}
	defer func() { _ = conn.Close(ctx) }()
	var there bool
	if err := conn.QueryRow(ctx, "SELECT EXISTS (SELECT FROM pg_database WHERE datname = $1)",
		database).Scan(&there); err != nil || there {
		return translate(err)
	}
	_, err = conn.Exec(ctx, "CREATE DATABASE "+pgx.Identifier{database}.Sanitize())
	if code(err) == "42P04" || code(err) == "23505" { // somebody else was quicker
		return nil
	}
	return translate(err)
}

// Migrate brings the schema up to date. Several processes may call it at once: a lock lets one work.
func (s *Store) Migrate(ctx context.Context) error { return s.migrateTo(ctx, Newest()) }

// migrateTo brings the schema up to a version, where it is not there or beyond.
func (s *Store) migrateTo(ctx context.Context, version int64) error {
	// What is up to date already is only read: a database that takes no changes serves all the same.
	if have, err := s.version(ctx); err == nil && have == version {
		return nil
	}
	p, done, err := s.migrator()
	if err != nil {
		return err
	}
	defer done()
	current, newest, err := p.GetVersions(ctx)
	if err == nil && current > newest {
		return fault.New(fault.Unavailable, "database-newer", "run the newer Cirque, or restore a copy made before it",
			"the database is at schema %d, and this Cirque knows %d", current, newest)
	}
	_, err = p.UpTo(ctx, version)
	return translate(err)
}

// migrator changes the schema, over connections without limits: a migration takes as long as it takes.
func (s *Store) migrator() (p *goose.Provider, done func(), err error) {
	db := stdlib.OpenDB(*s.pool.base.Copy())
	done = func() { _ = db.Close() }
	locker, err := lock.NewPostgresSessionLocker(lock.WithLockTimeout(1, 60), lock.WithUnlockTimeout(1, 60))
	if err != nil {
		return nil, done, err
	}
	sub, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return nil, done, err
	}
	p, err = goose.NewProvider(goose.DialectPostgres, db, sub, goose.WithSessionLocker(locker))
	return p, done, err
}

// version gives the schema's.
func (s *Store) version(ctx context.Context) (have int64, err error) {
	return have, s.pool.QueryRow(ctx, "SELECT coalesce(max(version_id), 0) FROM goose_db_version WHERE "+
		"is_applied").Scan(&have)
}

// Close ends all connections.
func (s *Store) Close() { s.pool.Close() }

// notify tells every process, once the transaction has committed. What processes follow bears a number, under which it
// is kept for a while: whoever did not hear of it finds it there.
func notify(ctx context.Context, tx pgx.Tx, what, subject string) error {
	if !event.Followed(what) {
		_, err := tx.Exec(ctx, "SELECT pg_notify($1, $2)", channel, what+" "+subject)
		return err
	}
	_, err := tx.Exec(ctx, "WITH s AS (INSERT INTO signal (what, subject) VALUES ($2, $3) RETURNING id) "+
		"SELECT pg_notify($1, $2 || ' ' || $3 || E'\n' || id) FROM s", channel, what, subject)
	return err
}

// addEvent records an event in the transaction and tells every process.
func addEvent(ctx context.Context, tx pgx.Tx, e event.Event) error {
	var id int64
	if e.Remote == "" {
		e.Remote, _ = ctx.Value(event.OriginKey{}).(string)
	}
	err := tx.QueryRow(ctx, "INSERT INTO event (kind, subject, author, says, remote, before, after, sentence) "+
		"VALUES ($1, "+
		"$2, $3, $4, $5, $6, $7, $8) RETURNING id", e.Kind, e.Subject, e.Author, e.Says, e.Remote, e.Before, e.After,
		e.Sentence).Scan(&id)
	if err != nil {
		return err
	}
	return notify(ctx, tx, event.Happened, fmt.Sprint(id))
}

// in runs f in one transaction. What is done under a lease is committed only while the lease is still its holder's.
func (s db) in(ctx context.Context, f func(tx pgx.Tx) error) error {
	tx, done, err := s.pool.begin(ctx)
	if err != nil {
		return translate(err)
	}
	defer done()
	if err = onceOnly(ctx, tx); err == nil {
		err = f(tx)
	}
	if err == nil {
		err = fenced(ctx, tx)
	}
	if err != nil {
		back, cancel := context.WithTimeout(context.WithoutCancel(ctx), time.Second)
		defer cancel()
		_ = tx.Rollback(back) // a connection that does not roll back is closed, which does
		return translate(err)
	}
	return committed(tx.Commit(ctx))
}

// exec runs one statement in a transaction of its own.
func (s db) exec(ctx context.Context, sql string, args ...any) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		_, err := tx.Exec(ctx, sql, args...)
		return err
	})
}

// Package testkit holds what several packages' tests share: throw-away databases, and the conformance suite of
// spoolers. Tests alone import it.
package testkit

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/jackc/pgx/v5"

	"cirque/internal/postgres"
	"cirque/internal/postgres/cluster"
)

// one server for each test binary, with a migrated template from which databases are copied in milliseconds.
var one struct {
	sync.Once
	server *cluster.Server
	dir    string
	err    error
	last   atomic.Int64
}

const template = "template_cirque"

// Scratch makes a directory, in memory where there is room, that the database's account can enter.
func Scratch() (string, error) {
	base := os.TempDir()
	if info, err := os.Stat("/dev/shm"); err == nil && info.IsDir() {
		base = "/dev/shm"
	}
	dir, err := os.MkdirTemp(base, "cirque-test-")
	if err != nil {
		return "", err
	}
	return dir, os.Chmod(dir, 0o755)
}

// Main runs a package's tests and exits.
func Main(m *testing.M) { os.Exit(Run(m)) }

// Run runs a package's tests, takes the server away afterwards, and gives the exit code.
func Run(m *testing.M) int {
	code := m.Run()
	if one.server != nil {
		if err := one.server.Stop(); err != nil {
			fmt.Fprintln(os.Stderr, err)
		}
	}
	if one.dir != "" {
		_ = os.RemoveAll(one.dir)
	}
	return code
}

func start() error {
	dir, err := Scratch()
	if err != nil {
		return err
	}
	one.dir = dir
	if one.server, err = serverWith(context.Background(), dir, template); err != nil {
		return err
	}
	return run("ALTER DATABASE " + template + " WITH IS_TEMPLATE true ALLOW_CONNECTIONS false")
}

func run(sql string) error {
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, one.server.URL("postgres"))
	if err != nil {
		return err
	}
	defer func() { _ = conn.Close(ctx) }()
	_, err = conn.Exec(ctx, sql)
	return err
}

// DatabaseAlone gives the URL of a migrated database on a server that has no other: for what depends on transactions
// that are under way on the whole server.
func DatabaseAlone(t testing.TB) string {
	t.Helper()
	dir, err := Scratch()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	server, err := serverWith(t.Context(), dir, "alone")
	if server != nil {
		t.Cleanup(func() { _ = server.Stop() })
	}
	if err != nil {
		t.Fatal(err)
	}
	return server.URL("alone")
}

// serverWith starts a server with one migrated database. One that was started is given with an error, too.
func serverWith(ctx context.Context, dir, database string) (*cluster.Server, error) {
	server, err := cluster.Start(ctx, filepath.Join(dir, "data"), cluster.Config{Throwaway: true})
	if err != nil {
		return nil, err
	}
	if err := postgres.Create(ctx, server.URL("postgres"), database); err != nil {
		return server, err
	}
	store, err := postgres.Open(ctx, server.URL(database))
	if err != nil {
		return server, err
	}
	defer store.Close()
	return server, store.Migrate(ctx)
}

// Database gives the URL of a fresh, migrated database of the test's own.
func Database(t testing.TB) string {
	t.Helper()
	return fresh(t, template+" STRATEGY file_copy")
}

// Blank gives the URL of an empty database of the test's own.
func Blank(t testing.TB) string {
	t.Helper()
	return fresh(t, "template0")
}

func fresh(t testing.TB, from string) string {
	t.Helper()
	one.Do(func() { one.err = start() })
	if one.err != nil {
		t.Fatal(one.err)
	}
	name := fmt.Sprintf("t_%d", one.last.Add(1))
	if err := run("CREATE DATABASE " + name + " TEMPLATE " + from); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := run("DROP DATABASE " + name + " WITH (FORCE)"); err != nil {
			t.Error(err)
		}
	})
	return one.server.URL(name)
}

// Store gives a store on a fresh database.
func Store(t testing.TB) *postgres.Store {
	t.Helper()
	return StoreAt(t, Database(t))
}

// StoreAt gives a store on a database.
func StoreAt(t testing.TB, url string) *postgres.Store {
	t.Helper()
	s, err := postgres.Open(t.Context(), url)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	return s
}

// Connect opens a connection to a database, for what the store does not do.
func Connect(t testing.TB, url string) *pgx.Conn {
	t.Helper()
	c, err := pgx.Connect(t.Context(), url)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = c.Close(context.WithoutCancel(t.Context())) })
	return c
}

// Exec runs one statement on a database.
func Exec(t testing.TB, database, sql string) {
	t.Helper()
	conn, err := pgx.Connect(t.Context(), database)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = conn.Close(t.Context()) }()
	if _, err := conn.Exec(t.Context(), sql); err != nil {
		t.Fatal(err)
	}
}

// One gives the one value of a query.
func One[T any](t testing.TB, database, sql string) (value T) {
	t.Helper()
	conn, err := pgx.Connect(t.Context(), database)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = conn.Close(t.Context()) }()
	if err := conn.QueryRow(t.Context(), sql).Scan(&value); err != nil {
		t.Fatal(err)
	}
	return value
}

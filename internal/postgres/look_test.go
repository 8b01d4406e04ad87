package postgres_test

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/readiness"
	"cirque/internal/postgres"
	"cirque/internal/testkit"
)

func look(s *postgres.Store) (readiness.Database, error) {
	return s.Look(context.Background(), postgres.Look{Process: "p", Started: time.Now(), Version: "1",
		Leased: []string{"health"},
		Room:   true})
}

// TestLook tells the states of a database apart.
func TestLook(t *testing.T) {
	t.Parallel()
	database := testkit.Database(t)
	s := openStore(t, database)
	d, err := look(s)
	if err != nil || d.Standby || d.ReadOnly || d.Write != nil || d.Full != nil || d.Schema != d.Knows || d.Knows < 27 ||
		strings.Join(d.Leaderless, " ") != "health" {
		t.Errorf("%+v %v", d, err)
	}
	if list, err := s.Processes(t.Context()); err != nil || len(list) != 1 {
		t.Error(list, err)
	}
	if _, err := s.Leases().Claim(t.Context(), "p", []string{"health"}, time.Minute); err != nil {
		t.Fatal(err)
	}
	if d, err = look(s); err != nil || len(d.Leaderless) != 0 {
		t.Errorf("%+v %v", d, err)
	}
	testkit.Exec(t, database, "UPDATE goose_db_version SET version_id = 99 WHERE version_id = (SELECT "+
		"max(version_id) FROM goose_db_version)")
	if d, _ = look(s); d.Schema != 99 {
		t.Errorf("another schema: %+v", d)
	}

	name := testkit.One[string](t, database, "SELECT current_database()")
	testkit.Exec(t, database, "ALTER DATABASE "+name+" SET default_transaction_read_only = on")
	closed := openStore(t, database)
	if d, err = look(closed); err != nil || !d.ReadOnly {
		t.Errorf("read-only: %+v %v", d, err)
	}
	if err := closed.Gone(t.Context(), "p"); fault.As(err).Code != readiness.ReadOnly || fault.As(err).Fix == "" {
		t.Errorf("a change there: %v", err)
	}
}

// TestLockedTable: what waits for a lock is told so within seconds, and keeps nobody from reading.
func TestLockedTable(t *testing.T) {
	t.Parallel()
	database := testkit.Database(t)
	s := openStore(t, database)
	other := testkit.Connect(t, database)
	for _, sql := range []string{"BEGIN", "LOCK TABLE pick IN ACCESS EXCLUSIVE MODE"} {
		if _, err := other.Exec(t.Context(), sql); err != nil {
			t.Fatal(err)
		}
	}
	done := make(chan error, 40)
	for i := range 40 {
		go func() {
			_, err := s.Picks.SetPick(t.Context(), "mira", fmt.Sprint("q", i), true, event.Event{Kind: event.Picked})
			done <- err
		}()
	}
	if d, err := look(s); err != nil || d.Write != nil {
		t.Errorf("readiness waits too: %+v %v", d, err)
	}
	begun := time.Now()
	if _, err := s.Estates.CurrentRevision(t.Context()); err != nil || time.Since(begun) > 3*time.Second {
		t.Errorf("whoever only reads waits too: %v after %v", err, time.Since(begun))
	}
	late := time.After(30 * time.Second)
	for told := false; !told; {
		select {
		case err := <-done:
			if err == nil || fault.As(err).Code != "database-busy" {
				t.Fatalf("it is locked: %v", err)
			}
			told = strings.Contains(fault.As(err).What, "held by somebody else")
		case <-late:
			t.Fatal("who waits for the lock is never told so")
		}
	}
}

// TestFrozenServer: a server that takes what it is sent and says nothing is given up.
func TestFrozenServer(t *testing.T) {
	t.Parallel()
	url, wire := testkit.NewWire(t, testkit.Database(t))
	s := openStore(t, url)
	if _, err := look(s); err != nil {
		t.Fatal(err)
	}
	wire.SwallowAll()
	begun := time.Now()
	if _, err := look(s); fault.As(err) == nil || fault.As(err).Kind != fault.Unavailable {
		t.Errorf("%v", err)
	}
	if took := time.Since(begun); took > 10*time.Second {
		t.Errorf("it waited for %v", took)
	}
	wire.Heal()
	for _, err := look(s); err != nil; _, err = look(s) {
		if t.Context().Err() != nil {
			t.Fatal("it never answers again")
		}
	}
}

// TestErasedFromSignals: what is kept for a while of signals and answers keeps nobody who was erased.
func TestErasedFromSignals(t *testing.T) {
	t.Parallel()
	database := testkit.Database(t)
	s := openStore(t, database)
	testkit.Exec(t, database, "INSERT INTO signal (what, subject) VALUES ('live', 'Mira'), ('live', 'ida')")
	testkit.Exec(t, database, "INSERT INTO once (author, key, attempt, print, status, media, answer) VALUES "+
		"('account mira', 'a', "+
		"'1', '', 200, 'application/json', '{}'), ('account ida', 'b', '2', '', 200, 'application/json', "+
		"'{\"person\":\"Mira\"}')")
	if _, err := s.Persons.ErasePerson(t.Context(), []string{"mira"}, []string{"mira"}, "test", "asked"); err != nil {
		t.Fatal(err)
	}
	if left := testkit.One[string](t, database, "SELECT string_agg(subject, ' ') FROM signal WHERE what = 'live' "+
		"AND subject <> 'erased'"); left != "ida" {
		t.Errorf("signals of %s", left)
	}
	if left := testkit.One[string](t, database, "SELECT string_agg(author || ' ' || coalesce(answer::text, 'no "+
		"answer'), ', ') FROM once"); left != "account ida no answer" {
		t.Errorf("what was done: %s", left)
	}
}

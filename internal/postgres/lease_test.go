package postgres_test

import (
	"context"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/lease"
	"cirque/internal/postgres"
	"cirque/internal/service/worker"
	"cirque/internal/testkit"
)

func claim(t *testing.T, l *postgres.Leases, holder string, lasts time.Duration) int64 {
	t.Helper()
	got, err := l.Claim(t.Context(), holder, []string{"health"}, lasts)
	if err != nil {
		t.Fatal(err)
	}
	return got["health"]
}

// TestLease: a lease has one holder, goes on under one number while it is renewed, and every holder after has a larger
// one, also the same one where its lease had ended.
func TestLease(t *testing.T) {
	t.Parallel()
	s := testkit.Store(t)
	a, b := s.Leases(), s.Leases()
	defer a.Close()
	defer b.Close()
	if n := claim(t, a, "a", time.Minute); n != 1 {
		t.Fatal("first:", n)
	}
	if n := claim(t, b, "b", time.Minute); n != 0 {
		t.Error("two hold it:", n)
	}
	if n := claim(t, a, "a", time.Minute); n != 1 {
		t.Error("renewed under another number:", n)
	}
	if err := b.Release(t.Context(), "b", []string{"health"}); err != nil {
		t.Fatal(err)
	}
	if n := claim(t, b, "b", time.Minute); n != 0 {
		t.Error("somebody else released it:", n)
	}
	if err := a.Release(t.Context(), "a", []string{"health"}); err != nil {
		t.Fatal(err)
	}
	if n := claim(t, b, "b", time.Nanosecond); n != 2 {
		t.Error("after its release:", n)
	}
	if n := claim(t, b, "b", time.Minute); n != 3 {
		t.Error("the same holder, after it had ended:", n)
	}
}

// TestLeaseOutlivesItsConnection: the loss of the connection loses no lease.
func TestLeaseOutlivesItsConnection(t *testing.T) {
	t.Parallel()
	s := testkit.Store(t)
	a := s.Leases()
	defer a.Close()
	claim(t, a, "a", time.Minute)
	if err := s.Exec(t.Context(), "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE query LIKE "+
		"'%INTO lease%' AND datname = current_database() AND pid <> pg_backend_pid()"); err != nil {
		t.Fatal(err)
	}
	_, _ = a.Claim(t.Context(), "a", []string{"health"}, time.Minute) // finds out
	if n := claim(t, a, "a", time.Minute); n != 1 {
		t.Error("after its connection was cut it has number", n)
	}
}

// TestFenced: what is written under a lease that has passed to somebody else is not kept, also where its former holder
// does not know yet.
func TestFenced(t *testing.T) {
	t.Parallel()
	s := testkit.Store(t)
	l := s.Leases()
	defer l.Close()
	under := func(number int64, valid bool) context.Context {
		return context.WithValue(t.Context(), lease.Key{}, lease.Held{Name: "health", Number: number,
			Valid: func() bool { return valid }})
	}
	write := func(ctx context.Context) error {
		return s.Events.AddEvent(ctx, event.Event{Kind: event.WentDown, Subject: "ps-1", Author: "probing", Says: "down"})
	}
	n := claim(t, l, "a", time.Minute)
	if err := write(under(n, true)); err != nil {
		t.Error("its holder may not write:", err)
	}
	if err := write(under(n, false)); !fault.Is(err, fault.Conflict) {
		t.Error("who knows that it has ended writes:", err)
	}
	if err := l.Release(t.Context(), "a", []string{"health"}); err != nil {
		t.Fatal(err)
	}
	if err := write(under(n, true)); !fault.Is(err, fault.Conflict) {
		t.Error("after its end its holder writes:", err)
	}
	if next := claim(t, l, "b", time.Minute); next <= n {
		t.Fatal(next)
	}
	if err := write(under(n, true)); !fault.Is(err, fault.Conflict) {
		t.Error("a former holder writes:", err)
	}
	list, err := eventsOf(t, s)
	if err != nil || len(list) != 1 {
		t.Error("what was refused is kept:", list, err)
	}
}

// TestFrozenInTransaction: a process that is frozen in the middle of what it does under its lease keeps nobody from
// going on in its place; what is done under none has the time that its statements have.
func TestFrozenInTransaction(t *testing.T) {
	t.Parallel()
	s := testkit.Store(t)
	l := s.Leases()
	defer l.Close()
	n := claim(t, l, "frozen", 10*time.Millisecond)
	ctx := context.WithValue(t.Context(), lease.Key{}, lease.Held{Name: "health", Number: n,
		Valid: func() bool { return true }})
	went := make(chan int64)
	err := s.In(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "SELECT FROM lease FOR SHARE"); err != nil {
			return err
		}
		go func() {
			var next int64
			for next == 0 && t.Context().Err() == nil {
				got, _ := l.Claim(t.Context(), "other", []string{"health"}, time.Minute)
				next = got["health"]
			}
			went <- next
		}()
		if next := <-went; next <= n {
			t.Error(next)
		}
		return nil
	})
	if err == nil {
		t.Error("what the frozen one did is kept")
	}
	if err := s.In(t.Context(), func(tx pgx.Tx) error {
		var most string
		err := tx.QueryRow(t.Context(), "SHOW idle_in_transaction_session_timeout").Scan(&most)
		if most != "30s" {
			t.Error(most)
		}
		return err
	}); err != nil {
		t.Error(err)
	}
}

// TestSmallPool: with a pool of four connections and every lease held, the pool is free.
func TestSmallPool(t *testing.T) {
	t.Parallel()
	s := testkit.Store(t)
	r := worker.New(worker.Config{Leases: s.Leases(), Holder: "a"})
	ctx, stop := context.WithCancel(t.Context())
	began := make(chan struct{}, 12)
	var workers []worker.Worker
	for _, name := range []string{"a", "b", "c", "d", "e", "f", "g", "h", "i", "j", "k", "l"} {
		workers = append(workers, worker.Worker{Name: name, Leased: true, Run: func(ctx context.Context) error {
			began <- struct{}{}
			<-ctx.Done()
			return nil
		}})
	}
	ended := make(chan struct{})
	go func() { r.Run(ctx, workers...); close(ended) }()
	for range workers {
		<-began
	}
	if n := s.Pool().Stat().AcquiredConns(); n != 0 {
		t.Errorf("%d connections of the pool are held", n)
	}
	stop()
	<-ended
}

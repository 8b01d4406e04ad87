package postgres_test

import (
	"context"
	"crypto/sha256"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/internal/postgres"
	"cirque/internal/testkit"
)

// heard is what a listener was given.
type heard struct {
	signals chan event.Signal
	current chan time.Time
	down    chan error
}

func openStore(t *testing.T, url string) *postgres.Store {
	t.Helper()
	s := testkit.StoreAt(t, url)
	return s
}

func listenOn(t *testing.T, s *postgres.Store) *heard {
	t.Helper()
	h := &heard{make(chan event.Signal, 100), make(chan time.Time, 100), make(chan error, 100)}
	ctx, stop := context.WithCancel(t.Context())
	done := make(chan struct{})
	go func() {
		defer close(done)
		s.Listen(ctx, func(n event.Signal) { h.signals <- n }, func(at time.Time) {
			select {
			case h.current <- at:
			default:
			}
		}, func(err error) { h.down <- err })
	}()
	t.Cleanup(func() { stop(); <-done })
	return h
}

func (h *heard) until(t *testing.T, what string) event.Signal {
	t.Helper()
	for {
		select {
		case n := <-h.signals:
			if n.What == what {
				return n
			}
		case <-time.After(30 * time.Second):
			t.Fatalf("no %s came", what)
		}
	}
}

func makeToken(t *testing.T, s *postgres.Store, name string) {
	t.Helper()
	if _, err := s.Tokens.AddToken(t.Context(), access.Token{Name: name, Role: access.Auditor, Author: "test",
		Hash: sha256.Sum256([]byte(name))}); err != nil {
		t.Fatal(err)
	}
}

// TestSilentConnection: the connection on which notices come goes silent, as behind a firewall that forgets it. The
// listener notices, connects anew, and reads everything again.
func TestSilentConnection(t *testing.T) {
	t.Parallel()
	database := testkit.Database(t)
	url, wire := testkit.NewWire(t, database)
	here := openStore(t, url)
	there := openStore(t, database)
	h := listenOn(t, here)
	h.until(t, event.Lost)
	makeToken(t, there, "first")
	h.until(t, event.Access)

	begun := time.Now()
	wire.Swallow()
	makeToken(t, there, "second")
	h.until(t, event.Lost)
	if took := time.Since(begun); took > 15*time.Second {
		t.Errorf("it was deaf for %v", took)
	}
	if err := <-h.down; err == nil {
		t.Error("nothing says that notices did not come")
	}
	makeToken(t, there, "third")
	h.until(t, event.Access)

	// What is current was so after the wire was healed.
	for at := range h.current {
		if at.After(begun) {
			break
		}
	}
}

// TestMissedSignal: what was sent and never came is found by comparison.
func TestMissedSignal(t *testing.T) {
	t.Parallel()
	database := testkit.Database(t)
	h := listenOn(t, openStore(t, database))
	h.until(t, event.Lost)
	testkit.Exec(t, database, "INSERT INTO signal (what, subject) VALUES ('live', 'ps-1')") // and no notice of it
	if n := h.until(t, event.Live); n.Subject != "ps-1" {
		t.Errorf("%+v", n)
	}
	if len(h.down) > 0 {
		t.Errorf("a connection that works is given up: %v", <-h.down)
	}
	if len(h.current) < 2 {
		t.Error("it is not said to be current while it hears")
	}
}

// TestNoNotices: the connection works, and no notices come over it, as where something shares connections among
// clients. That is as deaf as silence.
func TestNoNotices(t *testing.T) {
	t.Parallel()
	url, wire := testkit.NewWire(t, testkit.Database(t))
	h := listenOn(t, openStore(t, url))
	h.until(t, event.Lost)
	wire.Mute()
	select {
	case <-h.down:
	case <-time.After(30 * time.Second):
		t.Error("nothing says that notices do not come")
	}
}

// TestDeafForLong: while new connections are swallowed too, nothing is said to be current.
func TestDeafForLong(t *testing.T) {
	t.Parallel()
	url, wire := testkit.NewWire(t, testkit.Database(t))
	h := listenOn(t, openStore(t, url))
	h.until(t, event.Lost)
	<-h.current
	wire.SwallowAll()
	<-h.down
	for len(h.current) > 0 {
		<-h.current
	}
	<-h.down // the next connection, which is given up as well
	if len(h.current) > 0 {
		t.Error("it is said to be current though nothing comes")
	}
	wire.Heal()
	h.until(t, event.Lost)
	<-h.current
}

// TestHeard: it returns when all that run have heard, at once where none runs, and says who has not.
func TestHeard(t *testing.T) {
	t.Parallel()
	database := testkit.Database(t)
	s := openStore(t, database)
	if err := s.Heard(t.Context()); err != nil {
		t.Errorf("where none runs: %v", err)
	}
	listeners := []*heard{listenOn(t, openStore(t, database)), listenOn(t, openStore(t, database))}
	for i, h := range listeners {
		h.until(t, event.Lost)
		if _, err := s.Look(t.Context(), postgres.Look{Process: string(rune('a' + i)), Started: time.Now()}); err != nil {
			t.Fatal(err)
		}
	}
	makeToken(t, s, "t")
	if err := s.Heard(t.Context()); err != nil {
		t.Fatal(err)
	}
	for _, h := range listeners {
		select { // it has come, and is not on its way
		case n := <-h.signals:
			if n.What != event.Access {
				t.Errorf("%+v", n)
			}
		default:
			t.Error("it says that everybody has heard, and somebody has not")
		}
	}
	if _, err := s.Look(t.Context(), postgres.Look{Process: "frozen", Started: time.Now()}); err != nil {
		t.Fatal(err)
	}
	if err := s.Heard(t.Context()); fault.As(err) == nil || fault.As(err).Code != "not-heard" {
		t.Errorf("with one that is frozen: %v", err)
	}
}

// TestHeardByOneThatStarts: one that is there and does not listen yet is asked again.
func TestHeardByOneThatStarts(t *testing.T) {
	t.Parallel()
	database := testkit.Database(t)
	s := openStore(t, database)
	if _, err := s.Look(t.Context(), postgres.Look{Process: "a", Started: time.Now()}); err != nil {
		t.Fatal(err)
	}
	done := make(chan error, 1)
	go func() { done <- s.Heard(t.Context()) }()
	h := listenOn(t, openStore(t, database))
	h.until(t, event.Lost)
	if err := <-done; err != nil {
		t.Error(err)
	}
}

// TestSwallowedQuery: a query whose answer never comes is given up while others that take long go on.
func TestSwallowedQuery(t *testing.T) {
	t.Parallel()
	database := testkit.Database(t)
	url, wire := testkit.NewWire(t, database)
	s := openStore(t, url)
	if _, err := s.Estates.CurrentRevision(t.Context()); err != nil { // a connection that lies idle from now on
		t.Fatal(err)
	}
	wire.Swallow()
	lost := make(chan error, 1)
	go func() { _, err := s.Estates.CurrentRevision(t.Context()); lost <- err }()
	// Whoever listens does so over new connections, and so do those who ask from now on.
	h := listenOn(t, s)
	h.until(t, event.Lost)
	slow := make(chan error, 1)
	go func() {
		slow <- s.Exec(context.WithValue(t.Context(), event.ForKey{}, event.ForWorkers), "SELECT pg_sleep(8)")
	}()
	begun := time.Now()
	if err := <-lost; err != nil && fault.As(err).Kind != fault.Unavailable {
		t.Errorf("%v", err)
	}
	if took := time.Since(begun); took > 14*time.Second {
		t.Errorf("given up after %v", took)
	}
	if err := <-slow; err != nil {
		t.Errorf("what is being done was given up: %v", err)
	}
}

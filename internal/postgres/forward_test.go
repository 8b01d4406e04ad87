package postgres_test

import (
	"fmt"
	"testing"

	"cirque/core/event"
	"cirque/internal/testkit"
)

// TestAuditAfter: an entry of a transaction that is under way holds back those that were written after it and committed
// before, so that none is passed over; what was seen, and what was there before, is not the audit that is sent. A
// database that was put back goes on by the numbers of entries.
func TestAuditAfter(t *testing.T) {
	t.Parallel()
	ctx := t.Context()
	s := openStore(t, testkit.DatabaseAlone(t)) // any transaction of the server is waited for
	add := func(kind, subject string) {
		t.Helper()
		if err := s.Events.AddEvent(ctx, event.Event{Kind: kind, Subject: subject,
			Author: "x"}.Saying("It was")); err != nil {
			t.Fatal(err)
		}
	}
	add(event.TokenMade, "before")
	f, err := s.Events.Forwarding(ctx, "tls://log.example")
	if err != nil || f.Waiting != 0 {
		t.Fatal(f, err)
	}
	read := func() string {
		t.Helper()
		list, places, err := s.Events.AuditAfter(ctx, f.Place, 2)
		if err != nil {
			t.Fatal(err)
		}
		out := ""
		for i, e := range list {
			out += e.Subject + " "
			f.Place = places[i]
		}
		return out
	}
	tx, err := s.Pool().Begin(ctx)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := tx.Exec(ctx, "INSERT INTO event (kind, subject, author, says) VALUES ('token.made', 'slow', 'x', "+
		"'It was')"); err != nil {
		t.Fatal(err)
	}
	add(event.TokenMade, "quick")
	add(event.Failing, "seen")
	if got := read(); got != "" {
		t.Errorf("%q is given while another is being written", got)
	}
	if err := tx.Commit(ctx); err != nil {
		t.Fatal(err)
	}
	add(event.TokenEnded, "last")
	if got := read() + "| " + read() + "| " + read(); got != "slow quick | last | " {
		t.Errorf("%q", got)
	}
	if err := s.Events.Forwarded(ctx, f); err != nil {
		t.Fatal(err)
	}
	add(event.TokenMade, "next")
	again, err := s.Events.Forwarding(ctx, "tls://log.example")
	if err != nil || again.Place != f.Place || again.Waiting != 1 {
		t.Errorf("%+v %v, want %+v", again, err, f)
	}
	// It was put back from a copy: transactions count anew, and some of what was not sent has numbers of before.
	if err := s.Exec(ctx, "ALTER TABLE event DISABLE TRIGGER USER; UPDATE event SET xid = '1099511627777' WHERE "+
		"subject = "+
		"'next'; ALTER TABLE event ENABLE TRIGGER USER"); err != nil {
		t.Fatal(err)
	}
	add(event.TokenMade, "after")
	f.Place = event.Place{Transaction: fmt.Sprint(1 << 40), ID: f.Place.ID}
	if got := read() + read(); got != "next after " {
		t.Errorf("after it was put back: %q", got)
	}
}

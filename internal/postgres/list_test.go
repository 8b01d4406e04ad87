package postgres_test

import (
	"slices"
	"testing"
	"time"

	"cirque/core/stock"
	"cirque/internal/testkit"
)

// TestLists: what servers have is known from their good readings of the last hour, and as it was before.
func TestLists(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	now := time.Now().UTC().Truncate(time.Microsecond)
	read := func(at time.Time, listing string, queues ...string) {
		t.Helper()
		r := &stock.Server{At: at, Listing: listing}
		for _, q := range queues {
			r.Queues = append(r.Queues, stock.Queue{Name: q})
		}
		if err := s.Stock.SaveReading(ctx, stock.Kept{Kind: stock.KindServer, Name: "ps-1", Check: stock.Check{At: at,
			OK: true}, Server: r}, false, nil); err != nil {
			t.Fatal(err)
		}
	}
	known := func(at *time.Time) []string {
		t.Helper()
		state, err := s.Duties.Live(ctx, at)
		if err != nil {
			t.Fatal(err)
		}
		if l := state.Lists["ps-1"]; l != nil {
			return l.Queues()
		}
		return nil
	}
	if err := s.Stock.SaveWatch(ctx, stock.Watch{Kind: stock.KindServer, Name: "ps-1", URI: "ipp://ps-1.example/",
		Author: "mira"}, happening("ps-1")); err != nil {
		t.Fatal(err)
	}
	if got := known(nil); got != nil {
		t.Error("before any reading:", got)
	}
	read(now.Add(-2*time.Hour), "system", "hall")
	if got := known(nil); got != nil {
		t.Error("read two hours ago:", got)
	}
	read(now.Add(-30*time.Minute), "system", "hall") // the same, told again
	if got := known(nil); !slices.Equal(got, []string{"hall"}) {
		t.Error("read half an hour ago:", got)
	}
	read(now.Add(-10*time.Minute), "spooler", "yard", "hall")
	if got := known(nil); !slices.Equal(got, []string{"hall", "yard"}) {
		t.Error("read again:", got)
	}
	read(now.Add(-40*time.Minute), "spooler", "late") // it took long to arrive
	if got := known(nil); !slices.Equal(got, []string{"hall", "yard"}) {
		t.Error("an earlier reading counts:", got)
	}
	if err := s.Stock.SaveReading(ctx, stock.Kept{Kind: stock.KindServer, Name: "ps-1", Check: stock.Check{At: now,
		Code: "refused"}}, false, nil); err != nil {
		t.Fatal(err)
	}
	if got := known(nil); len(got) != 2 {
		t.Error("a failed reading told something:", got)
	}
	before := now.Add(-20 * time.Minute)
	if got := known(&before); !slices.Equal(got, []string{"hall"}) {
		t.Error("as of then:", got)
	}
	read(now.Add(-time.Minute), "single", "hall")
	if got := known(nil); got != nil {
		t.Error("one queue at an address is no list:", got)
	}
	read(now, "system", "hall")
	if err := s.Stock.RemoveWatch(ctx, stock.KindServer, "ps-1", happening("ps-1")); err != nil {
		t.Fatal(err)
	}
	if got := known(nil); got != nil {
		t.Error("after it was taken off the list:", got)
	}
}

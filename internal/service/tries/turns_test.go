package tries

import (
	"context"
	"fmt"
	"slices"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"cirque/core/fault"
)

// TestTurns: two at once; who sends many waits behind themselves, and whoever comes from elsewhere is next.
func TestTurns(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		turns := NewTurns(2)
		var mu sync.Mutex
		var came []string
		working, most := 0, 0
		var wg sync.WaitGroup
		send := func(who string, n int) {
			for range n {
				wg.Go(func() {
					done, err := turns.Take(t.Context(), who)
					if err != nil {
						t.Error(err)
						return
					}
					mu.Lock()
					working++
					most = max(most, working)
					came = append(came, who)
					mu.Unlock()
					time.Sleep(time.Second)
					mu.Lock()
					working--
					mu.Unlock()
					done()
				})
			}
		}
		send("192.0.2.1", 8)
		synctest.Wait()
		send("192.0.2.2", 1)
		synctest.Wait()
		wg.Wait()
		if most != 2 {
			t.Errorf("%d at once", most)
		}
		if i := slices.Index(came, "192.0.2.2"); i > 4 {
			t.Errorf("who sent one waits for the others: %v", came)
		}
		if turns.free != 2 || len(turns.order) != 0 || len(turns.waiting) != 0 {
			t.Errorf("left: %+v", turns)
		}
	})
}

// TestTurnsBounded: so many wait and no more; who stops waiting makes room, and takes no turn away.
func TestTurnsBounded(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		turns := NewTurns(1)
		done, err := turns.Take(t.Context(), "a")
		if err != nil {
			t.Fatal(err)
		}
		ctx, cancel := context.WithCancel(t.Context())
		var wg sync.WaitGroup
		wait := func(who string) {
			wg.Go(func() {
				if d, err := turns.Take(ctx, who); err == nil {
					d()
				}
			})
		}
		for range waitMost {
			wait("a")
		}
		synctest.Wait()
		if _, err := turns.Take(ctx, "a"); !fault.Is(err, fault.TooMany) {
			t.Errorf("more wait of one place: %v", err)
		}
		for i := range waitAll - waitMost {
			wait(fmt.Sprint("b", i))
		}
		synctest.Wait()
		if _, err := turns.Take(ctx, "c"); !fault.Is(err, fault.TooMany) {
			t.Errorf("more wait in all: %v", err)
		}
		cancel()
		wg.Wait()
		done()
		if d, err := turns.Take(t.Context(), "a"); err != nil {
			t.Error(err)
		} else {
			d()
		}
		if turns.free != 1 || len(turns.order) != 0 || len(turns.waiting) != 0 {
			t.Errorf("left: %+v", turns)
		}
	})
}

package tries

import (
	"context"
	"fmt"
	"sync"
	"sync/atomic"
	"testing"
	"testing/synctest"
	"time"

	"cirque/core/fault"
)

// clock is one that the test moves.
type clock struct{ at time.Time }

func (c *clock) now() time.Time { return c.at }

func start() *clock { return &clock{time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)} }

// try makes one try, and says whether it was looked at.
func try(t *testing.T, g *Guard, c *clock, name, place string, good bool) bool {
	t.Helper()
	v, err := g.Begin(t.Context(), name, place, c.now)
	if err != nil {
		if !fault.Is(err, fault.TooMany) || fault.As(err).Fix == "" {
			t.Fatal(err)
		}
		return false
	}
	v.End(good, true, c.at)
	return true
}

// TestWaits: three failures are free, and then each waits twice as long; long ago they are forgotten.
func TestWaits(t *testing.T) {
	t.Parallel()
	g, c := New(Usual), start()
	for i, want := range []time.Duration{0, 0, 0, time.Second, 2 * time.Second, 4 * time.Second, 8 * time.Second} {
		waited := time.Duration(0)
		for !try(t, g, c, "mira", "192.0.2.1", false) {
			c.at = c.at.Add(500 * time.Millisecond)
			waited += 500 * time.Millisecond
		}
		if waited != want {
			t.Errorf("failure %d waits %v, want %v", i, waited, want)
		}
	}
	c.at = c.at.Add(time.Hour)
	for range 3 {
		if !try(t, g, c, "mira", "192.0.2.1", false) {
			t.Error("an hour later it still waits")
		}
	}
}

// TestNobodyElse: who guesses at a name keeps neither its owner out, nor others at the same place.
func TestNobodyElse(t *testing.T) {
	t.Parallel()
	g, c := New(Usual), start()
	if !try(t, g, c, "ida", "192.0.2.1", true) {
		t.Fatal("she cannot come in at all")
	}
	for range 50 {
		try(t, g, c, "mira", "192.0.2.1", false)
	}
	if !try(t, g, c, "mira", "192.0.2.2", true) {
		t.Error("mira is kept out elsewhere")
	}
	if !try(t, g, c, "ida", "192.0.2.1", true) {
		t.Error("ida, who came in from there before, is kept out")
	}
	// From very many places: each has one try, so her own still has.
	for i := range 300 {
		try(t, g, c, "ole", fmt.Sprintf("198.51.%d.%d", i/200, i%200), false)
	}
	if !try(t, g, c, "ole", "203.0.113.7", true) {
		t.Error("ole is kept out at a place of his own")
	}
	looked := 0
	for range 10 {
		if try(t, g, c, "ole", "203.0.113.8", false) {
			looked++
		}
	}
	if looked != 1 {
		t.Errorf("a name that everybody guesses at has %d tries from a new place", looked)
	}
}

// TestSprayer: who tries one password with many names waits, and a success in between takes nothing back.
func TestSprayer(t *testing.T) {
	t.Parallel()
	g, c := New(Usual), start()
	looked := 0
	for i := range 200 {
		if try(t, g, c, fmt.Sprint("person-", i), "192.0.2.1", false) {
			looked++
		}
		try(t, g, c, "himself", "192.0.2.1", true)
	}
	if looked > Usual.Place+1 {
		t.Errorf("%d guesses were looked at", looked)
	}
	// Of IPv6 a place is a network.
	looked = 0
	for i := range 200 {
		if try(t, g, c, fmt.Sprint("person-", i), fmt.Sprintf("2001:db8::%x", i+1), false) {
			looked++
		}
	}
	if looked > Usual.Place+1 {
		t.Errorf("over IPv6 %d guesses were looked at", looked)
	}
}

// TestAtOnce: guesses at once are counted before any is looked at, so that no more pass than one after the other; right
// ones at once all pass.
func TestAtOnce(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		g := New(Usual)
		run := func(name string, good bool) int {
			var looked atomic.Int64
			var wg sync.WaitGroup
			for range 60 {
				wg.Go(func() {
					v, err := g.Begin(t.Context(), name, "192.0.2.1", time.Now)
					if err != nil {
						return
					}
					time.Sleep(100 * time.Millisecond) // hashing
					looked.Add(1)
					v.End(good, true, time.Now())
				})
			}
			wg.Wait()
			return int(looked.Load())
		}
		if n := run("mira", false); n != Usual.Pair {
			t.Errorf("%d guesses at once were looked at", n)
		}
		if n := run("ida", true); n != 60 {
			t.Errorf("of 60 right ones %d passed", n)
		}
	})
}

// TestNotLooked: what was not looked at is no failure; who stops waiting is told so.
func TestNotLooked(t *testing.T) {
	t.Parallel()
	g, c := New(Usual), start()
	for range 20 {
		v, err := g.Begin(t.Context(), "mira", "192.0.2.1", c.now)
		if err != nil {
			t.Fatal(err)
		}
		v.End(false, false, c.at)
	}
	var under []*Try
	for range Usual.Pair {
		v, err := g.Begin(t.Context(), "mira", "192.0.2.1", c.now)
		if err != nil {
			t.Fatal(err)
		}
		under = append(under, v)
	}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if _, err := g.Begin(ctx, "mira", "192.0.2.1", c.now); err == nil {
		t.Error("more are under way than are free")
	}
	for _, v := range under {
		v.End(false, true, c.at)
	}
}

// TestBounded: it remembers so much and no more.
func TestBounded(t *testing.T) {
	t.Parallel()
	g, c := New(Usual), start()
	for i := range most + 10 {
		try(t, g, c, fmt.Sprint(i), fmt.Sprint("m", i), false)
	}
	if g.pairs.Len() > most || g.places.Len() > most || g.names.Len() > most {
		t.Error(g.pairs.Len(), g.places.Len(), g.names.Len())
	}
}

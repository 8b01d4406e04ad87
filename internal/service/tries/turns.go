package tries

import (
	"context"
	"sync"

	"cirque/core/fault"
)

// Turns lets some work at once, and shares the places among those who wait by where they come from: whoever sends much
// waits behind themselves.
type Turns struct {
	mu      sync.Mutex
	free    int                        // guarded by mu, as is all below
	waiting map[string][]chan struct{} // by place, in their order
	order   []string                   // of the places that wait, who is next first
}

// waitMost is how many of one place wait, and waitAll how many of all.
const (
	waitMost = 8
	waitAll  = 256
)

// NewTurns lets n work at once.
func NewTurns(n int) *Turns { return &Turns{free: n, waiting: map[string][]chan struct{}{}} }

// Take waits for a turn; done is to be called at its end. It gives a TooMany fault where too many of the place, or of
// all, wait already.
func (t *Turns) Take(ctx context.Context, place string) (done func(), err error) {
	place = PlaceOf(place)
	t.mu.Lock()
	if t.free > 0 {
		t.free--
		t.mu.Unlock()
		return t.give, nil
	}
	all := 0
	for _, list := range t.waiting {
		all += len(list)
	}
	if len(t.waiting[place]) >= waitMost || all >= waitAll {
		t.mu.Unlock()
		return nil, fault.New(fault.TooMany, "sign-in-busy", "try again in a moment", "as many sign-ins are being looked at "+
			"as can be at once")
	}
	turn := make(chan struct{})
	if len(t.waiting[place]) == 0 {
		t.order = append(t.order, place)
	}
	t.waiting[place] = append(t.waiting[place], turn)
	t.mu.Unlock()
	select {
	case <-turn:
		return t.give, nil
	case <-ctx.Done():
	}
	t.mu.Lock()
	for i, w := range t.waiting[place] {
		if w == turn {
			t.drop(place, i)
			t.mu.Unlock()
			return nil, ctx.Err()
		}
	}
	t.mu.Unlock()
	t.give() // it came meanwhile
	return nil, ctx.Err()
}

// drop takes one who waits off the list; the caller holds mu.
func (t *Turns) drop(place string, i int) {
	list := append(t.waiting[place][:i:i], t.waiting[place][i+1:]...)
	if t.waiting[place] = list; len(list) > 0 {
		return
	}
	delete(t.waiting, place)
	for j, p := range t.order {
		if p == place {
			t.order = append(t.order[:j:j], t.order[j+1:]...)
			return
		}
	}
}

// give hands a turn on to the first who waits of the place that is next.
func (t *Turns) give() {
	t.mu.Lock()
	defer t.mu.Unlock()
	if len(t.order) == 0 {
		t.free++
		return
	}
	place := t.order[0]
	turn := t.waiting[place][0]
	t.drop(place, 0)
	if len(t.waiting[place]) > 0 { // the others have theirs first
		t.order = append(t.order[1:len(t.order):len(t.order)], place)
	}
	close(turn)
}

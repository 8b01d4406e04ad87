package present

import (
	"testing"

	"cirque/core/event"
)

// TestHubTellsOfLoss: one who does not keep up is told so, and the others are not.
func TestHubTellsOfLoss(t *testing.T) {
	t.Parallel()
	h := Hub{subscribers: map[chan event.Signal]*subscriber{}}
	slow, stopSlow := h.Subscribe()
	for range cap(slow) + 5 {
		h.Send(event.Signal{What: event.Estate})
	}
	quick, stopQuick := h.Subscribe()
	for range cap(slow) {
		if n := <-slow; n.What != event.Estate {
			t.Fatalf("%+v", n)
		}
	}
	h.Send(event.Signal{What: event.Live})
	if n := <-slow; n.What != event.Lost {
		t.Errorf("the slow one hears %+v", n)
	}
	if n := <-quick; n.What != event.Live {
		t.Errorf("the quick one hears %+v", n)
	}
	some, stopSome := h.Subscribe(event.Sources)
	for _, what := range []string{event.Endpoint, event.Sources, event.Stock, event.Lost} {
		h.Send(event.Signal{What: what})
	}
	if a, b := <-some, <-some; a.What != event.Sources || b.What != event.Lost || len(some) != 0 {
		t.Errorf("who watches for sources hears %+v, %+v and %d more", a, b, len(some))
	}
	stopSome()
	stopSlow()
	stopQuick()
	if len(h.subscribers) != 0 {
		t.Error("one is still there")
	}
}

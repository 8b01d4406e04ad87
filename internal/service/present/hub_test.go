package present

import (
	"testing"

	"cirque/core/event"
)

// TestHubTellsOfLoss: one who does not keep up is told so, and the others are not.
func TestHubTellsOfLoss(t *testing.T) {
	t.Parallel()
	h := Hub{subscribers: map[chan event.Notice]bool{}}
	slow, stopSlow := h.Subscribe()
	for range cap(slow) + 5 {
		h.Send(event.Notice{What: event.Estate})
	}
	quick, stopQuick := h.Subscribe()
	for range cap(slow) {
		if n := <-slow; n.What != event.Estate {
			t.Fatalf("%+v", n)
		}
	}
	h.Send(event.Notice{What: event.Live})
	if n := <-slow; n.What != event.Lost {
		t.Errorf("the slow one hears %+v", n)
	}
	if n := <-quick; n.What != event.Live {
		t.Errorf("the quick one hears %+v", n)
	}
	stopSlow()
	stopQuick()
	if len(h.subscribers) != 0 {
		t.Error("one is still there")
	}
}

package present

import (
	"testing"

	"cirque/core/event"
)

// TestHubTellsOfLoss: one who does not keep up is told so, and the others are not.
func TestHubTellsOfLoss(t *testing.T) {
	t.Parallel()
	h := NewHub()
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

// TestHubGoesOn: whoever was cut off gets what was missed, in order; where it is not known any more, that some were lost.
func TestHubGoesOn(t *testing.T) {
	t.Parallel()
	h := NewHub()
	ch, stop := h.Subscribe()
	h.Send(event.Signal{What: event.Estate, Subject: "1"})
	last := (<-ch).ID
	stop()
	h.Send(event.Signal{What: event.Live, Subject: "a"})
	h.Send(event.Signal{What: event.Estate, Subject: "2"})
	w := h.SubscribeAfter(last)
	if m := w.Missed; len(m) != 2 || m[0].Subject != "a" || m[1].Subject != "2" || m[0].ID == m[1].ID || w.At != m[1].ID {
		t.Errorf("%+v", w)
	}
	some := h.SubscribeAfter(last, event.Estate)
	if len(some.Missed) != 1 || some.Missed[0].Subject != "2" {
		t.Errorf("%+v", some.Missed)
	}
	some.Stop()
	h.Send(event.Signal{What: event.Stock})
	if n := <-w.Notices; n.What != event.Stock {
		t.Errorf("%+v", n)
	}
	w.Stop()
	// Whoever was told nothing before the break goes on from where the watching began.
	if again := h.SubscribeAfter(w.At); len(again.Missed) != 1 || again.Missed[0].What != event.Stock {
		t.Errorf("%+v", again.Missed)
	} else {
		again.Stop()
	}
	if first := NewHub().SubscribeAfter(""); first.At == "" || len(first.Missed) != 0 {
		t.Errorf("%+v", first)
	}
	for range remembered {
		h.Send(event.Signal{What: event.Stock})
	}
	for _, id := range []string{last, "other-1", h.life + "-999999999", h.life, "x", h.life + "--1"} {
		w := h.SubscribeAfter(id)
		if len(w.Missed) != 1 || w.Missed[0].What != event.Lost {
			t.Errorf("%s: %d missed", id, len(w.Missed))
		}
		w.Stop()
	}
	w = h.SubscribeAfter(h.last[int((h.told-3)%remembered)].ID)
	if len(w.Missed) != 2 {
		t.Errorf("%d missed of two", len(w.Missed))
	}
	w.Stop()
}

package service

import (
	"testing"

	"cirque/core/access"
	"cirque/core/event"
)

// TestHubTellsOfLoss: one who does not keep up is told so, and the others are not.
func TestHubTellsOfLoss(t *testing.T) {
	t.Parallel()
	s := &Service{}
	s.hub.subscribers = map[chan event.Notice]bool{}
	p := &access.Principal{Role: access.Administrator}
	slow, stopSlow, err := s.Watch(t.Context(), p)
	if err != nil {
		t.Fatal(err)
	}
	for range cap(slow) + 5 {
		s.hub.send(event.Notice{What: event.Estate})
	}
	quick, stopQuick, err := s.Watch(t.Context(), p)
	if err != nil {
		t.Fatal(err)
	}
	for range cap(slow) {
		if n := <-slow; n.What != event.Estate {
			t.Fatalf("%+v", n)
		}
	}
	s.hub.send(event.Notice{What: event.Live})
	if n := <-slow; n.What != event.Lost {
		t.Errorf("the slow one hears %+v", n)
	}
	if n := <-quick; n.What != event.Live {
		t.Errorf("the quick one hears %+v", n)
	}
	stopSlow()
	stopQuick()
	if len(s.hub.subscribers) != 0 {
		t.Error("one is still there")
	}
	if _, _, err := s.Watch(t.Context(), &access.Principal{Role: access.Agent}); err == nil {
		t.Error("an agent may watch")
	}
}

package test

import (
	"strings"
	"testing"

	"cirque/core/access"
	"cirque/internal/sim"
)

// TestMemberLacksQueue: nobody is led to a member of a set that was read lately and lacks the queue; all that speak of it
// agree, also a second process; and once it has the queue, people are led there.
func TestMemberLacksQueue(t *testing.T) {
	t.Parallel()
	s := startService(t)
	other := s.startOn(t, s.database)
	one, two := printServer(t, "127.0.0.1:0"), printServer(t, "127.0.0.1:0")
	two.Change(func([]sim.Queue) []sim.Queue { return []sim.Queue{{Name: "yard"}} })
	s.publish(pairOn("standby", one, two, "{return_over: 0s}"))
	d := newDesk(t, "machine: desk-1\nplatform: linux/x64\nsessions: [{user: mira}]\n")
	d.run(s.URL, s.tokenFor("desk-1", access.Agent, "desk-1"))
	leads := func(to string) func() bool {
		return func() bool { return strings.Contains(d.file("users/mira/hall.yaml"), to) }
	}
	within(t, "the queue leads to the first", leads(one.Addr()))

	s.must("server", "read", "ps-2")
	contains(t, "coverage", s.must("coverage"), "ps-1", "hall")
	contains(t, "rehearsal", s.must("rehearse", "--without", "server:ps-1", "--show", "stranded"), "stranded",
		"kept on ps-1: ps-1 is down, ps-2 lacks the queue hall")
	contains(t, "outage", s.must("server", "outage", "ps-1"), "1 queue is reached by nobody without it: hall (ps-2 lacks hall)")
	contains(t, "depends", s.must("server", "depends", "ps-1"), "1 of them nobody could reach without it: ps-2 lacks hall")

	s.must("drain", "ps-1", "--reason", "new disk")
	contains(t, "lineup", s.must("lineup", "--user", "mira", "--platform", "linux/x64"), "stranded", "server ps-1 of set pair")
	contains(t, "why", s.must("why", "hall", "--user", "mira", "--platform", "linux/x64"), "kept on ps-1",
		"ps-1 is drained, ps-2 lacks the queue hall")
	within(t, "another process knows it", func() bool {
		return strings.Contains(other.must("lineup", "--user", "mira", "--platform", "linux/x64"), "server ps-1 of set pair")
	})
	within(t, "it is said why the endpoint stays", func() bool {
		return strings.Contains(s.must("moves"), "no other path serves hall, so it is kept")
	})
	if !leads(one.Addr())() {
		t.Error("the endpoint was led to a queue that is missing")
	}

	two.Change(func(list []sim.Queue) []sim.Queue { return append(list, sim.Queue{Name: "hall"}) })
	s.must("server", "read", "ps-2")
	within(t, "the queue leads to the second, which has it now", leads(two.Addr()))
	contains(t, "outage", s.must("server", "outage", "ps-1"), "every queue that leads to it has another way")
}

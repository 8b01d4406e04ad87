package test

import (
	"fmt"
	"strings"
	"testing"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/internal/testkit"
)

// TestServerMove: the queues of a server are led to another in waves; the old queue stays behind, also on a server that
// is kept, until no endpoint leads there and nobody has printed there for a while; there is a way back before.
func TestServerMove(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(twoPeople)
	hall := printer(t, "hall")
	old, ou := unixServer(t)
	fresh, fu := unixServer(t)
	var queues, names []string
	for i := range 5 {
		names = append(names, fmt.Sprintf("q%d", i))
		queues = append(queues, fmt.Sprintf("{name: q%d, devices: [hall], paths: [{server: old}]}", i))
	}
	s.publish(fmt.Sprintf("estate: 1\nservers: [{name: old, uri: %q, kept: true}, {name: fresh, uri: %q, kept: true}]\n"+
		"devices: [{name: hall, uri: \"ipp://%s/ipp/print\"}]\nqueues: [%s]\n"+
		"grants: [{name: all, effect: place, queues: [%s], on: [\"machine:desk-1\"]}]\n", old.URI, fresh.URI, hall.Addr(),
		strings.Join(queues, ", "), strings.Join(names, ", ")))
	s.keep(t, "old", ou)
	s.keep(t, "fresh", fu)
	s.asWanted("old")
	d := newDesk(t, deskOne)
	d.run(s.URL, s.tokenFor("desk", access.Agent, "desk-1"))
	s.reaches("desk-1", endpoint.Converged)
	if err := send(t, old, "q0", "mira", "%PDF-1.4 old"); err != nil {
		t.Fatal(err)
	}
	within(t, "it is printed", func() bool { return len(hall.Jobs()) == 1 })
	out := s.must("queue", "move", "--from-server", "old", "--to-server", "fresh", "--wave", "40%", "--dry-run")
	contains(t, "said first", out, "q0", "q1", "2 of 5 queues lead elsewhere first", "Nothing was changed")
	contains(t, "first wave", s.must("queue", "move", "--from-server", "old", "--to-server", "fresh", "--wave", "40%"),
		"through fresh; old stays behind it")
	s.must("publish", "-m", "first wave", "--yes")
	s.asWanted("fresh")
	if v := s.asWanted("old"); v.Wanted != 5 {
		t.Errorf("the old queues do not stay: %+v", v)
	}
	within(t, "the desk leads to the new server", func() bool {
		return strings.Contains(s.must("endpoint", "show", "desk-1"), fresh.URI+"printers/q0")
	})
	out = s.must("queue", "move", "--from-server", "old", "--to-server", "fresh", "--wave", "60%")
	contains(t, "the rest", out, "q2", "q3", "q4", "5 of 5 queues lead elsewhere first")
	s.must("publish", "-m", "second wave", "--yes")
	within(t, "all have moved", func() bool {
		return strings.Count(s.must("endpoint", "show", "desk-1"), fresh.URI+"printers/q") == 5
	})
	contains(t, "the way back", s.must("queue", "move", "q4", "--from-server", "old", "--to-server", "fresh", "--back"),
		"through old again", "4 of 5 queues")
	s.must("publish", "-m", "q4 goes back", "--yes")
	within(t, "the desk leads to the old one", func() bool {
		return strings.Contains(s.must("endpoint", "show", "desk-1"), old.URI+"printers/q4")
	})
	// The end: mira printed through q0 just now, and it is not known for long who prints.
	s.must("server", "read", "old")
	code, out, _ := s.run("server", "end", "old")
	contains(t, "too early", out, "mira printed there", "14d without anybody are wanted", "it leads there first")
	if code == 0 {
		t.Error("some stay, and it says all is well")
	}
	code, out, _ = s.run("server", "end", "old", "--quiet", "1ms")
	contains(t, "in time", out, "4 of 5 queues ended")
	if code == 0 {
		t.Error(out)
	}
	s.must("publish", "-m", "the old paths go", "--yes")
	if v := s.asWanted("old"); v.Wanted != 1 {
		t.Errorf("%+v", v)
	}
	contains(t, "who printed", s.must("server", "depends", "old"), "mira", "q0")
	contains(t, "kept", s.must("personal-data", "export", "mira"), `"server": "old"`)
}

// TestCompleteSet: what leads through one member of a set alone, and what only one has, is proposed for the whole set;
// on a member that Cirque keeps it is there after the publish.
func TestCompleteSet(t *testing.T) {
	t.Parallel()
	s := startService(t)
	hall := printer(t, "hall")
	one := testkit.NewUnixSpooler(t, true)
	two, tu := unixServer(t)
	at := "ipp://" + hall.Addr() + "/ipp/print"
	for _, q := range []string{"hall", "stray"} {
		if err := one.SetUpByHand(t.Context(), q, at); err != nil {
			t.Fatal(err)
		}
	}
	s.publish(fmt.Sprintf("estate: 1\nservers: [{name: one, uri: %q}, {name: two, uri: %q, kept: true}]\n"+
		"server_sets: [{name: pair, style: standby, members: [one, two]}]\ndevices: [{name: hall, uri: %q}]\n"+
		"queues: [{name: hall, devices: [hall], paths: [{server: one}]}]\n", one.URI, two.URI, at))
	s.keep(t, "two", tu)
	s.asWanted("two")
	for _, n := range []string{"one", "two"} {
		s.must("server", "read", n)
	}
	out := s.must("server", "set", "complete", "pair", "--dry-run")
	contains(t, "said first", out, "hall leads through the whole set", "one alone has it", "stray", "Nothing was changed")
	s.must("server", "set", "complete", "pair")
	s.must("publish", "-m", "completed", "--yes")
	if v := s.asWanted("two"); v.Right != 2 {
		t.Errorf("%+v", v)
	}
	for _, n := range []string{"one", "two"} {
		s.must("server", "read", n)
	}
	contains(t, "alike", s.must("server", "set", "pair"), "the same on every member")
	contains(t, "nothing left", s.must("server", "set", "complete", "pair"), "are alike")
	if code, _, errs := s.run("server", "set", "complete", "nope"); code == 0 || !strings.Contains(errs, "nope") {
		t.Error(code, errs)
	}
}

package test

import (
	"fmt"
	"strings"
	"testing"

	"cirque/core/access"
	"cirque/core/continuity"
	"cirque/core/endpoint"
	"cirque/core/live"
	"cirque/internal/apiclient"
	"cirque/internal/app"
	"cirque/internal/sim"
)

// printServer starts a stand-in server with one queue.
func printServer(t *testing.T, addr string) *sim.Printer {
	t.Helper()
	p := &sim.Printer{Spec: sim.Spec{Name: "ps", Server: true, Queues: []sim.Queue{{Name: "hall"}}}}
	if err := p.Listen(addr); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = p.Close() })
	return p
}

// pairOn is an estate with a set of two servers that are there, and a server that is not.
func pairOn(style string, a, b *sim.Printer, settings string) string {
	return fmt.Sprintf(`estate: 1
servers: [{name: ps-1, uri: "ipp://%s/"}, {name: ps-2, uri: "ipp://%s/"}, {name: far, uri: "ipp://127.0.0.1:1/"}]
server_sets: [{name: pair, style: %s, members: [ps-1, ps-2]}]
queues: [{name: hall, paths: [{set: pair}]}, {name: solo, paths: [{server: far}]}]
grants: [{name: g, effect: place, queues: [hall, solo], to: ["everyone"], default: 5}]
settings: {continuity: %s}
`, a.Addr(), b.Addr(), style, settings)
}

func (s *aService) moves() []continuity.Move {
	s.t.Helper()
	list, err := apiclient.List[continuity.Move](s.t.Context(), s.c, "/api/v1/moves", nil)
	if err != nil {
		s.t.Fatal(err)
	}
	return list
}

// TestDeadServer: a server that stops to answer is found out, its people are moved without being asked, and taken back
// once it answers again. One that never answered proves nothing, and strands nobody.
func TestDeadServer(t *testing.T) {
	t.Parallel()
	s := startService(t, func(o *app.Options) { o.Health = true })
	one, two := printServer(t, "127.0.0.1:0"), printServer(t, "127.0.0.1:0")
	at := one.Addr()
	s.publish(pairOn("standby", one, two, "{probe_every: 2s, up_after: 2, return_over: 0s}"))
	d := newDesk(t, "machine: desk-1\nplatform: linux/x64\nsessions: [{user: mira}]\n")
	d.run(s.URL, s.tokenFor("desk-1", access.Agent, "desk-1"))
	leads := func(to string) func() bool {
		return func() bool { return strings.Contains(d.file("users/mira/hall.yaml"), to) }
	}
	verdict := func(name string) continuity.Verdict {
		list, err := apiclient.List[continuity.Health](t.Context(), s.c, "/api/v1/health", nil)
		if err != nil {
			t.Fatal(err)
		}
		for _, h := range list {
			if h.Name == name {
				return h.Verdict
			}
		}
		return ""
	}
	within(t, "the queue leads to the first", leads(at))
	within(t, "the first is known to answer", func() bool {
		return verdict("ps-1") == continuity.Up && verdict("far") == continuity.Unproven
	})
	if err := one.Close(); err != nil {
		t.Fatal(err)
	}
	within(t, "the queue leads to the second", leads(two.Addr()))
	if _, out, _ := s.run("duties"); !strings.Contains(out, "ps-1") || !strings.Contains(out, "down") ||
		strings.Contains(out, "far") {
		t.Error(out)
	}
	within(t, "nobody leads to the dead one", func() bool {
		m := s.moves()
		return len(m) == 1 && m[0].Endpoints == 1 && m[0].Left == 0 && m[0].Health == continuity.Gone
	})
	// Putting it back by hand changes nothing of that: it still does not answer.
	s.must("return", "ps-1", "--at-once")
	within(t, "it is down again", func() bool {
		_, out, _ := s.run("duties")
		return strings.Contains(out, "ps-1") && strings.Contains(out, "down")
	})
	within(t, "the queue leads to the second once more", leads(two.Addr()))
	printServer(t, at)
	within(t, "the queue leads to the first again", leads(at))
	within(t, "the first is known to answer again", func() bool { return verdict("ps-1") == continuity.Up })
	if code, out, _ := s.run("health", "server", "ps-1"); code != 0 || strings.Count(out, "\n") != 4 ||
		!strings.Contains(out, "is up since") || !strings.Contains(out, "refuses the connection") {
		t.Error(out)
	}
	if code, _, errs := s.run("health", "server", "nowhere"); code == 0 || !strings.Contains(errs, "never probed") {
		t.Error(errs)
	}
	d.stop()
	// The queue was there all the time: it was never taken away, only led elsewhere.
	if strings.Contains(d.log(), "remove hall") {
		t.Error(d.log())
	}
}

// TestDrainEndsByItself: a drain is followed until the server is empty, ends when its time is over, and the server
// takes its people back part by part.
func TestDrainEndsByItself(t *testing.T) {
	t.Parallel()
	s := startService(t)
	one, two := printServer(t, "127.0.0.1:0"), printServer(t, "127.0.0.1:0")
	s.publish(pairOn("standby", one, two, "{return_over: 1m}"))
	d := newDesk(t, "machine: desk-1\nplatform: linux/x64\nsessions: [{user: mira}]\n")
	d.run(s.URL, s.tokenFor("desk-1", access.Agent, "desk-1"))
	within(t, "the endpoint leads to the first", func() bool {
		e, err := apiclient.Get[endpoint.Record](t.Context(), s.c, "/api/v1/endpoints/desk-1", nil)
		return err == nil && len(e.Report.Installed) == 2
	})
	if code, _, errs := s.run("drain", "ps-1", "--reason", "x", "--until", "2020-01-01T00:00:00Z"); code == 0 ||
		!strings.Contains(errs, "past") {
		t.Error(errs)
	}
	if code, _, errs := s.run("drain", "ps-1", "--reason", "x", "--until", "soon"); code != 2 || !strings.Contains(errs,
		"--until") {
		t.Error(code, errs)
	}
	code, out, errs := s.run("drain", "ps-1", "--reason", "driver update", "--until", "1h", "--follow")
	if code != 0 || !strings.Contains(out, "everybody has moved off it; nothing waits on it; back in 1 h.") ||
		!strings.Contains(out, "ps-1 is empty.") {
		t.Fatal(out, errs)
	}
	if m := s.moves(); len(m) != 1 || m[0].Endpoints != 1 || !m[0].Empty {
		t.Errorf("%+v", m)
	}
	// Its time is brought forward, and is over.
	if code, out, errs := s.run("drain", "ps-1", "--reason", "driver update", "--until", "700ms"); code != 0 {
		t.Fatal(out, errs)
	}
	within(t, "it is returning", func() bool {
		m := s.moves()
		return len(m) == 1 && m[0].Duty == live.Serving && m[0].Share < 0.5
	})
	within(t, "its share grows", func() bool { m := s.moves(); return len(m) == 1 && m[0].Share > 0.1 })
	if code, out, _ := s.run("moves"); code != 0 || !strings.Contains(out, "returning") || !strings.Contains(out,
		"% of its people so far") {
		t.Error(out)
	}
	if code, _, _ := s.run("return", "ps-1", "--at-once"); code != 0 || len(s.moves()) != 0 {
		t.Error(s.moves())
	}
	contains(t, "the events", s.events(), "was drained: driver update; until", "The time of the drain is over: the "+
		"server ps-1 is back on duty")
}

// TestTwoProcessesProbe: of two services on one database one probes, both answer alike, and when the one that probes
// ends the other goes on.
func TestTwoProcessesProbe(t *testing.T) {
	t.Parallel()
	first := startService(t, func(o *app.Options) { o.Health = true })
	r, err := app.Start(t.Context(), app.Options{Data: withKeys(t, t.TempDir()), AllowOutgoing: loopback,
		Database: first.database, Listen: "127.0.0.1:0",
		PlainHTTP: true, Throwaway: true, Health: true})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = r.Stop() })
	second := &aService{Running: r, t: t, token: first.token}
	second.c = second.client(first.token)
	one, two := printServer(t, "127.0.0.1:0"), printServer(t, "127.0.0.1:0")
	at := one.Addr()
	first.publish(pairOn("standby", one, two, "{probe_every: 2s, up_after: 1, return_over: 0s}"))
	leads := func(s *aService, to string) func() bool {
		return func() bool {
			var l struct {
				Entries []struct{ Path struct{ URI string } }
			}
			return s.c.Do(t.Context(), "POST", "/api/v1/lineups", nil, map[string]any{"user": "mira"}, &l) == nil &&
				len(l.Entries) > 0 && strings.Contains(l.Entries[0].Path.URI, to)
		}
	}
	within(t, "it is known to answer", func() bool {
		_, out, _ := first.run("health")
		return strings.Contains(out, "ps-1  up")
	})
	if err := one.Close(); err != nil {
		t.Fatal(err)
	}
	within(t, "both lead to the second", func() bool { return leads(first, two.Addr())() && leads(second, two.Addr())() })
	if n := strings.Count(first.events(), "The server ps-1 does not answer"); n != 1 {
		t.Errorf("it was told %d times", n)
	}
	if err := first.Stop(); err != nil {
		t.Fatal(err)
	}
	printServer(t, at)
	within(t, "the other goes on probing", leads(second, at))
}

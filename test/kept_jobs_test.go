package test

import (
	"bytes"
	"fmt"
	"net/http"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/internal/agent"
	"cirque/internal/ipp"
	ippclient "cirque/internal/probe/ipp"
	"cirque/internal/sim"
)

// TestServerJobs: jobs that wait on a server are held, released, moved and cancelled from Cirque, by the agent that keeps
// it, or by the rights of whoever asks it; their owner is told where that is possible, and it is said where it is not.
func TestServerJobs(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(twoPeople)
	hall := printer(t, "hall")
	spooler, u := unixServer(t)
	s.publish(fmt.Sprintf("estate: 1\nservers: [{name: ps, uri: %q, kept: true}]\ndevices: [{name: hall, uri: "+
		"\"ipp://%s/ipp/print\"}, {name: dead, uri: \"ipp://127.0.0.1:9/ipp/print\"}]\nqueues: [{name: hall, devices: [hall], "+
		"paths: [{server: ps}]}, {name: dead, devices: [dead], paths: [{server: ps}]}]\n", spooler.URI, hall.Addr()))
	s.keep(t, "ps", u)
	s.asWanted("ps")
	for range 3 {
		if err := send(t, spooler, "dead", "mira", "%PDF-1.4 x"); err != nil {
			t.Fatal(err)
		}
	}
	within(t, "the queues are read", func() bool {
		code, _, _ := s.run("server", "job", "hold", "ps", "dead", "3", "-m", "paper is on its way")
		return code == 0
	})
	contains(t, "held", s.must("server", "jobs", "ps"), "pending-held", "mira")
	out := s.must("server", "job", "release", "ps", "dead", "3")
	contains(t, "released", out, "job 3 of mira in dead was released", "mira was not told", "no mail address of mira")
	contains(t, "moved", s.must("server", "job", "move", "ps", "dead", "2", "--to", "hall"), "was moved to hall")
	within(t, "it comes out of the other printer", func() bool { return len(hall.Jobs()) == 1 })
	contains(t, "cancelled", s.must("server", "job", "cancel", "ps", "dead", "1"), "was cancelled")
	for says, args := range map[string][]string{
		"no job 99 waits": {"cancel", "ps", "dead", "99"}, "has no queue \"nope\"": {"hold", "ps", "nope", "1"},
		"has no other queue": {"move", "ps", "dead", "3", "--to", "nope"}, "is no number": {"hold", "ps", "dead", "x"},
	} {
		if code, _, errs := s.run(append([]string{"server", "job"}, args...)...); code == 0 || !strings.Contains(errs, says) {
			t.Errorf("%v: %d %s", args, code, errs)
		}
	}
	contains(t, "the audit", s.must("audit"), "job 3 of mira in dead was held: paper is on its way")
}

// TestDrainHandsOn: jobs that wait on a kept server which is taken out of duty come out of the other member, each once
// and under its owner's name; what nobody takes over waits, and that is said; and afterwards nothing is left of the way.
func TestDrainHandsOn(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(twoPeople)
	// One printer behind both prints nothing yet, so that jobs wait.
	warm := make(chan struct{})
	print := sync.OnceFunc(func() { close(warm) })
	hall := &sim.Printer{Spec: sim.Spec{Name: "hall", Model: "Mono 40"}, Printing: func() { <-warm }}
	if err := hall.Listen("127.0.0.1:0"); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { print(); _ = hall.Close() })
	a, au := unixServer(t)
	b, bu := unixServer(t)
	s.publish(fmt.Sprintf("estate: 1\nservers: [{name: a, uri: %q, kept: true}, {name: b, uri: %q, kept: true}]\n"+
		"server_sets: [{name: pair, style: standby, members: [a, b]}]\ndevices: [{name: hall, uri: \"ipp://%s/ipp/print\"}]\n"+
		"queues: [{name: hall, devices: [hall], paths: [{set: pair}], defaults: {sides: two-sided-long-edge}}, {name: lone, "+
		"devices: [hall], paths: [{server: a}]}]\n", a.URI, b.URI, hall.Addr()))
	state := filepath.Join(t.TempDir(), "agent")
	keeper := agent.Config{Service: s.URL, Token: s.tokenFor("a", access.Agent, "a"), State: state, Version: "test",
		Machine: serverMachine("a")}
	s.keepWith(t, au, keeper)
	s.keep(t, "b", bu)
	s.asWanted("a")
	s.asWanted("b")
	s.must("server", "read", "b")
	const jobs = 20
	var wg sync.WaitGroup
	for i := range jobs {
		wg.Go(func() {
			if err := send(t, a, "hall", fmt.Sprintf("person-%d", i), fmt.Sprintf("%%PDF-1.4 page %d", i)); err != nil {
				t.Error(err)
			}
		})
	}
	wg.Wait()
	s.must("drain", "a", "-m", "new disk")
	within(t, "jobs are handed on", func() bool { p := s.kept("a").Passed; return len(p) == 1 && p[0].Jobs >= jobs/2 })
	print()
	within(t, "every job came out", func() bool { return len(hall.Jobs()) >= jobs })
	once(t, hall, jobs)
	ended, err := ippclient.New(nil).ReadJobs(t.Context(), b.URI+"printers/hall", nil, true, 100)
	if err != nil || len(ended) < jobs/2 {
		t.Errorf("only %d jobs went through the other member: %v", len(ended), err)
	}
	within(t, "what was handed on is said", func() bool {
		return strings.Contains(s.must("server", "kept", "a"), "handed on to b")
	})
	s.must("return", "a", "--at-once")
	within(t, "nothing is left of the way", func() bool {
		found, err := au.Shared(t.Context())
		return err == nil && len(found) == 2
	})
	once(t, hall, jobs)
	if v := s.asWanted("a"); v.Right != 2 {
		t.Errorf("%+v", v)
	}
}

// once wants each page to have come out once, for whose it was.
func once(t *testing.T, p *sim.Printer, jobs int) {
	t.Helper()
	met := map[string]int{}
	for _, j := range p.Jobs() {
		met[j.Owner+" "+string(j.Body)]++
	}
	for i := range jobs {
		k := fmt.Sprintf("person-%d %%PDF-1.4 page %d", i, i)
		if met[k] != 1 {
			t.Errorf("%q came out %d times", k, met[k])
		}
	}
	if len(met) != jobs {
		t.Errorf("there came out %v", met)
	}
}

// TestServerHistory: who printed through a kept server is known also when its completed jobs are not kept; a queue that
// keeps them keeps them; and where the short jobs go first, they do.
func TestServerHistory(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(twoPeople)
	gate := make(chan struct{})
	hall := &sim.Printer{Spec: sim.Spec{Name: "hall", Model: "Mono 40"}, Printing: func() { <-gate }}
	if err := hall.Listen("127.0.0.1:0"); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = hall.Close() })
	spooler, u := unixServer(t)
	s.publish(fmt.Sprintf("estate: 1\nservers: [{name: ps, uri: %q, kept: true}]\ndevices: [{name: hall, uri: "+
		"\"ipp://%s/ipp/print\"}]\nqueues: [{name: brief, devices: [hall], paths: [{server: ps}], on_servers: {order: "+
		"shortest}}, {name: kept, devices: [hall], paths: [{server: ps}], on_servers: {finished: 2h}}]\n", spooler.URI,
		hall.Addr()))
	s.keepWith(t, u, agent.Config{Service: s.URL, Token: s.tokenFor("ps", access.Agent, "ps"), Version: "test",
		State: filepath.Join(t.TempDir(), "agent"), Machine: serverMachine("ps"), Remember: time.Millisecond,
		Wait: time.Second})
	s.asWanted("ps")
	long := strings.Repeat("x", 200_000)
	for i, page := range []string{"first", long, long + long, long + long + long, "short"} {
		if err := send(t, spooler, "brief", "jonas", fmt.Sprintf("%%PDF-1.4 %d %s", i, page)); err != nil {
			t.Fatal(err)
		}
	}
	within(t, "the shortest is next in line", func() bool { return priority(t, spooler.URI+"printers/brief", 5) == 99 })
	close(gate)
	if err := send(t, spooler, "kept", "mira", "%PDF-1.4 kept"); err != nil {
		t.Fatal(err)
	}
	within(t, "all came out", func() bool { return len(hall.Jobs()) == 6 })
	var order []string
	for _, j := range hall.Jobs() {
		if j.Owner == "jonas" {
			order = append(order, strings.Fields(string(j.Body))[1])
		}
	}
	if got := strings.Join(order, " "); got != "0 4 1 2 3" {
		t.Errorf("the jobs came out as %s", got)
	}
	c := ippclient.New(nil)
	within(t, "completed jobs are forgotten", func() bool {
		s.must("server", "read", "ps")
		list, err := c.ReadJobs(t.Context(), spooler.URI+"printers/brief", nil, true, 100)
		return err == nil && len(list) == 0
	})
	if list, err := c.ReadJobs(t.Context(), spooler.URI+"printers/kept", nil, true, 100); err != nil || len(list) != 1 {
		t.Errorf("kept are %+v %v", list, err)
	}
	contains(t, "who printed", s.must("server", "depends", "ps"), "jonas", "brief", "mira")
}

// priority reads how soon a job is to be printed.
func priority(t *testing.T, queue string, id int) int {
	t.Helper()
	b, err := ipp.NewRequest(ipp.GetJobAttributes, 1, queue, ipp.Attr("job-id", ipp.Int(ipp.Integer, int32(id)))).AppendTo(nil)
	if err != nil {
		t.Fatal(err)
	}
	resp, err := http.Post("http"+strings.TrimPrefix(queue, "ipp"), "application/ipp", bytes.NewReader(b))
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = resp.Body.Close() }()
	m, err := ipp.ReadMessage(ipp.Buffered(resp.Body))
	if err != nil {
		t.Fatal(err)
	}
	return m.Number(ipp.JobGroup, "job-priority")
}

package sim_test

import (
	"testing"

	"cirque/core/server"
	"cirque/core/stock"
	ippclient "cirque/internal/probe/ipp"
	"cirque/internal/sim"
)

// TestWaiting: what waits on a stand-in of a server is held, released, moved and cancelled, as a client asks for it.
func TestWaiting(t *testing.T) {
	t.Parallel()
	p := &sim.Printer{Spec: sim.Spec{Name: "ps", Server: true, Queues: []sim.Queue{{Name: "Old Corridor", Waiting: 2},
		{Name: "hall", Waiting: 1}}}}
	if err := p.Listen("127.0.0.1:0"); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = p.Close() })
	c := ippclient.New(nil)
	corridor, hall := "ipp://"+p.Addr()+"/printers/Old%20Corridor", "ipp://"+p.Addr()+"/printers/hall"
	states := func(queue string) map[int]string {
		t.Helper()
		list, err := c.ReadJobs(t.Context(), queue, nil, false, 100)
		if err != nil {
			t.Fatal(err)
		}
		out := map[int]string{}
		for _, j := range list {
			out[j.ID] = j.State
		}
		return out
	}
	act := func(queue string, id int, do, to string) error {
		return c.Act(t.Context(), queue, (*stock.Key)(nil), id, do, to)
	}
	for _, step := range []struct {
		id       int
		do, to   string
		corridor map[int]string
	}{
		{9000, server.Hold, "", map[int]string{9000: "pending-held", 9001: "pending"}},
		{9000, server.Release, "", map[int]string{9000: "pending", 9001: "pending"}},
		{9001, server.Cancel, "", map[int]string{9000: "pending"}},
		{9000, server.Move, hall, map[int]string{}},
	} {
		if err := act(corridor, step.id, step.do, step.to); err != nil {
			t.Fatal(step.do, err)
		}
		got := states(corridor)
		if len(got) != len(step.corridor) {
			t.Errorf("after %s: %v", step.do, got)
		}
		for id, want := range step.corridor {
			if got[id] != want {
				t.Errorf("after %s: %d is %q, not %q", step.do, id, got[id], want)
			}
		}
	}
	if got := states(hall); got[9000] != "pending" || got[9002] != "pending" || len(got) != 2 {
		t.Error(got)
	}
	for do, to := range map[string]string{server.Hold: "", server.Move: corridor + "x"} {
		id := map[string]int{server.Hold: 9001, server.Move: 9002}[do]
		if err := act(hall, id, do, to); err == nil {
			t.Errorf("%s of what is not there", do)
		}
	}
}

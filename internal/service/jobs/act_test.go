package jobs

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/core/server"
	"cirque/core/stock"
	"cirque/internal/testkit/rooms"
)

func (f *floor) ReadJobs(context.Context, string, *stock.Key, bool, int) ([]stock.Job, error) {
	return []stock.Job{{ID: 3, Owner: "ida", Name: "list"}, {ID: 4, Owner: "stranger"}}, nil
}

func (f *floor) Act(_ context.Context, queue string, _ *stock.Key, id int, do, to string) error {
	f.acted = append(f.acted, fmt.Sprintf("%s %d in %s to %s", do, id, queue, to))
	return f.refuses
}

func (f *floor) Heard(context.Context, string) (bool, error) { return f.heard, nil }

func (f *floor) Do(_ context.Context, called string, t server.Task, author string) error {
	f.acted = append(f.acted, fmt.Sprintf("%s by the agent on %s: %s %d", author, called, t.Do, t.Job))
	return f.refuses
}

func (f *floor) TellPerson(_ context.Context, person, subject, says string) error {
	f.told = append(f.told, person+": "+subject+": "+says)
	return nil
}

// TestAct: a job is looked after by the agent that keeps its server, or by what the stored sign-in may; its owner is told,
// unless they did it themselves; and what cannot be done is said.
func TestAct(t *testing.T) {
	t.Parallel()
	r, f := furnish(t)
	f.w.StockKept = []stock.Kept{{Kind: stock.KindServer, Name: "ps-1", Check: stock.Check{OK: true},
		Server: &stock.Server{Queues: []stock.Queue{{Name: "hall", URI: "ipp://ps-1.example/printers/hall"}, {Name: "mail",
			URI: "ipp://ps-1.example/printers/mail"}}}}}
	f.w.Refresh(t)
	desk := rooms.Who(access.HelpDesk)
	do := func(p *access.Principal, queue string, job int, what, to string) (Acted, error) {
		return r.Act(t.Context(), p, Act{Server: "ps-1", Task: server.Task{Queue: queue, Job: job, Do: what, To: to},
			Reason: "no paper"})
	}
	got, err := do(desk, "hall", 3, server.Move, "mail")
	if err != nil || got.Job.Owner != "ida" || got.Says != "job 3 of ida in hall was moved to mail" ||
		got.Told != "ida was told by mail" || f.read != 1 {
		t.Errorf("%+v %v", got, err)
	}
	if want := []string{"move 3 in ipp://ps-1.example/printers/hall to ipp://ps-1.example/printers/mail"}; !slices.Equal(
		f.acted, want) {
		t.Errorf("asked for %q", f.acted)
	}
	if len(f.told) != 1 || !strings.Contains(f.told[0], `Your job "list" in hall on ps-1 was moved`) ||
		!strings.Contains(f.told[0], "no paper") {
		t.Errorf("told %q", f.told)
	}
	if len(f.events) != 1 || !strings.Contains(f.events[0].Says, "no paper") {
		t.Errorf("events %+v", f.events)
	}
	f.heard, f.acted = true, nil
	if got, err := do(desk, "hall", 4, server.Cancel, ""); err != nil || !strings.Contains(got.Told,
		"nobody here is called stranger") || len(f.acted) != 1 || !strings.Contains(f.acted[0], "by the agent on ps-1: cancel 4") {
		t.Errorf("%+v %v %q", got, err, f.acted)
	}
	f.heard, f.refuses = false, fault.New(fault.Denied, "sign-in", "", "ps-1.example wants a sign-in")
	for says, c := range map[string]func() (Acted, error){
		"wants a sign-in":    func() (Acted, error) { return do(desk, "hall", 3, server.Hold, "") },
		"no job 9 waits":     func() (Acted, error) { return do(desk, "hall", 9, server.Hold, "") },
		"has no queue":       func() (Acted, error) { return do(desk, "x", 3, server.Hold, "") },
		"has no other queue": func() (Acted, error) { return do(desk, "hall", 3, server.Move, "hall") },
		"cannot be done":     func() (Acted, error) { return do(desk, "hall", 3, "print", "") },
		"may not":            func() (Acted, error) { return do(rooms.Who(access.Person), "hall", 3, server.Hold, "") },
	} {
		if _, err := c(); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", says, err)
		}
	}
}

package conform

import (
	"slices"
	"testing"

	"cirque/core/endpoint"
	"cirque/internal/agent"
)

// A Spooler under test, with what a person at the machine does behind the agent's back.
type Spooler struct {
	agent.Spooler
	// Foreign installs a queue that is not the agent's own, for everybody.
	Foreign func(t *testing.T, queue string)
	// Spoils has somebody alter a queue of the agent's own, for everybody, so that it no longer is what was wanted.
	Spoils func(t *testing.T, queue string)
}

// ExactDriver is the one driver that a spooler under test can be given.
const ExactDriver = "Skerrymark  Mono 40/PCL6"

// TestSpooler is the conformance suite of spoolers: each check says what it wants. fresh gives an empty one.
func TestSpooler(t *testing.T, fresh func(t *testing.T) Spooler) {
	t.Parallel()
	all := endpoint.Want{Queue: "hall-mono", Title: "Booking hall", Place: "Booking hall, Quay House",
		URI: "ipp://10.40.8.31/ipp/print", Driver: "driverless", Options: map[string]any{"sides": "two-sided-long-edge"}}
	own := endpoint.Want{Queue: "mail-room", User: "mira.solvang", URI: "ipp://10.40.8.32/ipp/print", Driver: "m",
		Exact: ExactDriver}
	list := func(t *testing.T, s Spooler) ([]endpoint.Installed, map[string]string) {
		t.Helper()
		got, defaults, err := s.List(t.Context(), nil)
		if err != nil {
			t.Fatal("List fails:", err)
		}
		return got, defaults
	}
	add := func(t *testing.T, s Spooler, wants ...endpoint.Want) {
		t.Helper()
		for _, w := range wants {
			if err := s.Add(t.Context(), w); err != nil {
				t.Fatalf("Add(%s) fails: %v", w.Queue, err)
			}
		}
	}
	t.Run("empty", func(t *testing.T) {
		if got, defaults := list(t, fresh(t)); len(got)+len(defaults) != 0 {
			t.Errorf("a fresh spooler holds %v, %v", got, defaults)
		}
	})
	t.Run("what is added is found as it was wanted, and as the agent's own", func(t *testing.T) {
		s := fresh(t)
		add(t, s, all, own)
		got, _ := list(t, s)
		if len(got) != 2 {
			t.Fatalf("two were added, found %v", got)
		}
		for _, i := range got {
			want := all
			if i.User != "" {
				want = own
			}
			if what, _, found := endpoint.Differs(want, i.Want); what != "" || !i.Own || i.Key() != want.Key() {
				t.Errorf("%s: %s is %q, own %v", i.Queue, what, found, i.Own)
			}
		}
	})
	t.Run("adding again what is its own is no error and makes no second", func(t *testing.T) {
		s := fresh(t)
		add(t, s, all, all)
		if got, _ := list(t, s); len(got) != 1 {
			t.Errorf("found %v", got)
		}
	})
	t.Run("one queue for two people is two", func(t *testing.T) {
		s := fresh(t)
		other := own
		other.User = "Jonas Berg/x"
		add(t, s, own, other)
		if got, _ := list(t, s); len(got) != 2 || got[0].Key() == got[1].Key() {
			t.Errorf("found %v", got)
		}
	})
	t.Run("a change takes hold", func(t *testing.T) {
		s := fresh(t)
		add(t, s, all)
		changed := all
		changed.URI, changed.Options = "ipp://10.40.8.99/ipp/print", nil
		if err := s.Change(t.Context(), changed); err != nil {
			t.Fatal(err)
		}
		got, _ := list(t, s)
		if what, _, found := endpoint.Differs(changed, got[0].Want); what != "" || len(got) != 1 {
			t.Errorf("%s is %q", what, found)
		}
	})
	t.Run("what is dropped from the options is gone, and other kinds of values come back as they were",
		func(t *testing.T) {
			s := fresh(t)
			w := all
			w.Options = map[string]any{"sides": "two-sided-short-edge", "print-quality": 5, "copies": 2,
				"media": "iso_a5_148x210mm"}
			add(t, s, w)
			got, _ := list(t, s)
			if what, want, found := endpoint.Differs(w, got[0].Want); what != "" {
				t.Errorf("%s is %q, not %q", what, found, want)
			}
			w.Options = map[string]any{"sides": "one-sided"}
			if err := s.Change(t.Context(), w); err != nil {
				t.Fatal(err)
			}
			got, _ = list(t, s)
			if what, want, found := endpoint.Differs(w, got[0].Want); what != "" {
				t.Errorf("%s is %q, not %q", what, found, want)
			}
		})
	t.Run("with a driver that knows nothing of an option, the option is as it was wanted all the same",
		func(t *testing.T) {
			s := fresh(t)
			w := own
			w.Options = map[string]any{"sides": "two-sided-long-edge", "media": "iso_a5_148x210mm"}
			add(t, s, w)
			for _, sides := range []string{"two-sided-long-edge", "one-sided"} {
				w.Options["sides"] = sides
				if err := s.Change(t.Context(), w); err != nil {
					t.Fatal(err)
				}
				got, _ := list(t, s)
				if what, want, found := endpoint.Differs(w, got[0].Want); what != "" {
					t.Errorf("%s is %q, not %q", what, found, want)
				}
			}
		})
	t.Run("closed, it stays and says why, and is opened again", func(t *testing.T) {
		s := fresh(t)
		if _, closes := s.Spooler.(interface{ ClosesQueues() }); !closes {
			t.Skip("it cannot close queues")
		}
		w := own
		w.Closed = "the queue mail-room is closed at this hour; it takes jobs again from Mon 30 November 06:00"
		for range 2 {
			add(t, s, w)
			got, defaults := list(t, s)
			if len(got) != 1 || got[0].Closed != w.Closed || got[0].Halted {
				t.Fatalf("closed: %+v", got)
			}
			if steps, _ := endpoint.Steps(endpoint.Plan{Wants: []endpoint.Want{w}}, got, defaults, endpoint.Memory{}); len(steps) != 0 {
				t.Errorf("closed, and still %+v", steps)
			}
			open := own
			steps, _ := endpoint.Steps(endpoint.Plan{Wants: []endpoint.Want{open}}, got, defaults, endpoint.Memory{})
			if len(steps) != 1 || steps[0].Do != "change" || s.Change(t.Context(), open) != nil {
				t.Fatalf("to open it: %+v", steps)
			}
			if got, _ := list(t, s); len(got) != 1 || got[0].Closed != "" || got[0].Halted {
				t.Errorf("opened: %+v", got)
			}
		}
	})
	t.Run("what somebody alters is seen, and set right", func(t *testing.T) {
		s := fresh(t)
		add(t, s, all)
		s.Spoils(t, all.Queue)
		steps := func() []endpoint.Step {
			got, defaults := list(t, s)
			steps, _ := endpoint.Steps(endpoint.Plan{Wants: []endpoint.Want{all}}, got, defaults, endpoint.Memory{})
			return steps
		}
		found := steps()
		if len(found) != 1 || found[0].Do != "change" {
			t.Fatalf("found %v", found)
		}
		if err := s.Change(t.Context(), all); err != nil {
			t.Fatal(err)
		}
		if left := steps(); len(left) != 0 {
			t.Errorf("still %v", left)
		}
	})
	t.Run("defaults, of everybody and of one", func(t *testing.T) {
		s := fresh(t)
		add(t, s, all, own)
		for _, d := range []struct{ queue, user string }{{"hall-mono", ""}, {"mail-room", "Mira.Solvang"}} {
			if err := s.SetDefault(t.Context(), d.queue, d.user); err != nil {
				t.Fatal(err)
			}
		}
		if _, defaults := list(t, s); defaults[""] != "hall-mono" || defaults["mira.solvang"] != "mail-room" {
			t.Errorf("defaults are %v", defaults)
		}
		if err := s.SetDefault(t.Context(), "not-there", ""); err == nil {
			t.Error("a queue that is not there became the default")
		}
	})
	t.Run("removed is gone, with its default, and removing again is no error", func(t *testing.T) {
		s := fresh(t)
		add(t, s, all)
		if err := s.SetDefault(t.Context(), all.Queue, ""); err != nil {
			t.Fatal(err)
		}
		for range 2 {
			if err := s.Remove(t.Context(), all.Queue, ""); err != nil {
				t.Fatal(err)
			}
		}
		if got, defaults := list(t, s); len(got) != 0 || defaults[""] != "" {
			t.Errorf("found %v, %v", got, defaults)
		}
	})
	t.Run("what is not the agent's own is listed so, and never touched", func(t *testing.T) {
		s := fresh(t)
		s.Foreign(t, "hall-mono")
		if err := s.Add(t.Context(), all); err == nil {
			t.Error("a queue of somebody else's was replaced")
		}
		if err := s.Remove(t.Context(), "hall-mono", ""); err == nil {
			t.Error("a queue of somebody else's was removed")
		}
		got, _ := list(t, s)
		if !slices.ContainsFunc(got, func(i endpoint.Installed) bool { return i.Queue == "hall-mono" && !i.Own }) {
			t.Errorf("found %v", got)
		}
	})
}

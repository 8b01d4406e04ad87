package conform

import (
	"fmt"
	"reflect"
	"slices"
	"strings"
	"testing"

	"cirque/core/estate"
	"cirque/core/server"
	"cirque/internal/agent"
)

// A ServerSpooler under test, with what a person at the server does behind the agent's back.
type ServerSpooler struct {
	agent.ServerSpooler
	// Foreign makes a queue that is not the agent's own.
	Foreign func(t *testing.T, queue string)
	// Spoils has somebody alter a queue of the agent's own.
	Spoils func(t *testing.T, queue string)
	// Print sends a job for somebody, to a queue whose printer does not answer; nil where the spooler prints nothing.
	Print func(t *testing.T, queue, owner string) error
	// Waiting counts the jobs that wait, by owner.
	Waiting func(t *testing.T) map[string]int
}

// Devices of the suite, where nobody answers.
const (
	silentDevice  = "ipp://127.0.0.1:9/ipp/print"
	anotherSilent = "ipp://127.0.0.1:9/ipp/print/2"
	thirdSilent   = "ipp://127.0.0.1:9/ipp/print/3"
)

// TestServerSpooler is the conformance suite of spoolers that share queues: each check says what it wants. fresh gives
// an empty one; it is given ExactDriver.
func TestServerSpooler(t *testing.T, fresh func(t *testing.T) ServerSpooler) {
	t.Parallel()
	want := func(called string, more ...func(*server.Now)) server.Now {
		w := server.Now{Want: server.Want{Name: called, Queue: "hall-mono", Comment: "Booking hall", Place: "Quay House",
			Devices: []string{silentDevice}, Driver: estate.Driverless, Options: map[string]any{"sides": "two-sided-long-edge"},
			People: server.People{Everyone: true}}}
		for _, m := range more {
			m(&w)
		}
		return w
	}
	withDriver := func(w *server.Now) { w.Driver, w.Exact, w.Package = "mono", ExactDriver, strings.Repeat("ab", 32) }
	pool := func(w *server.Now) { w.Devices = []string{silentDevice, anotherSilent} }
	s := &serverSuite{fresh: fresh}
	t.Run("empty", func(t *testing.T) {
		if got := s.list(t, fresh(t)); len(got) != 0 {
			t.Errorf("a fresh spooler holds %v", got)
		}
	})
	t.Run("what is brought is as it was wanted, and the agent's own, a second time too", func(t *testing.T) {
		yes := true
		for says, w := range map[string]server.Now{
			"driverless":      want("hall"),
			"passed on as is": want("hall", func(w *server.Now) { w.Driver = "" }),
			"with a driver":   want("hall", withDriver),
			"fitted": want("hall", withDriver, func(w *server.Now) {
				w.Units = &estate.Units{TwoSided: &yes, Trays: []string{"tray-1"}}
			}),
			"for some": want("hall", func(w *server.Now) { w.People = server.People{Names: []string{"ida.berg", "mira.solvang"}} }),
			"for all but some": want("hall", func(w *server.Now) {
				w.People = server.People{Everyone: true, Names: []string{"temp"}}
			}),
			"for nobody": want("hall", func(w *server.Now) {
				w.People, w.Closed = server.People{}, "nobody may print to the queue hall"
			}),
			"closed":          want("hall", func(w *server.Now) { w.Closed = "the queue hall is paused" }),
			"run otherwise":   want("hall", func(w *server.Now) { w.Order, w.Mismatch, w.Finished = "shortest", "print", 3600e9 }),
			"to several":      want("hall", pool),
			"several, driven": want("hall", pool, withDriver),
			"several, for some": want("hall", pool, func(w *server.Now) {
				w.People = server.People{Names: []string{"mira.solvang"}}
			}),
			"with a long comment": want("hall", func(w *server.Now) { w.Comment = "By the window, Büro 2 – “quiet”" }),
		} {
			t.Run(says, func(t *testing.T) {
				sp := fresh(t)
				for range 2 {
					s.bring(t, sp, w, false)
					s.isAsWanted(t, sp, w)
				}
			})
		}
	})
	t.Run("each change takes hold, back and forth", func(t *testing.T) {
		sp := fresh(t)
		for i, w := range []server.Now{want("hall"), want("hall", withDriver), want("hall", pool, withDriver),
			want("hall", pool, func(w *server.Now) { w.Options = map[string]any{"copies": 2} }),
			want("hall", func(w *server.Now) { w.Devices = []string{anotherSilent, thirdSilent} }),
			want("hall", func(w *server.Now) { w.Devices = []string{thirdSilent}; w.Options = nil }),
			want("hall", func(w *server.Now) { w.People = server.People{Names: []string{"ida"}} }), want("hall"),
			want("hall", func(w *server.Now) { w.People = server.People{Everyone: true, Names: []string{"ida"}} }),
			want("hall", func(w *server.Now) { w.Closed = "shut" }), want("hall", pool), want("hall")} {
			s.bring(t, sp, w, false)
			s.isAsWanted(t, sp, w)
			if t.Failed() {
				t.Fatalf("at the change %d", i)
			}
		}
	})
	t.Run("what somebody alters is seen, and set right", func(t *testing.T) {
		sp := fresh(t)
		w := want("hall")
		s.bring(t, sp, w, false)
		sp.Spoils(t, "hall")
		steps := server.Steps([]server.Now{w}, s.list(t, sp), nil)
		if len(steps) != 1 || steps[0].Do != server.Change {
			t.Fatalf("found %+v", steps)
		}
		s.bring(t, sp, w, false)
		s.isAsWanted(t, sp, w)
	})
	t.Run("what somebody else made is listed so, and not touched unless it is to be taken", func(t *testing.T) {
		sp := fresh(t)
		sp.Foreign(t, "hall")
		before := s.list(t, sp)
		if len(before) != 1 || before[0].Own {
			t.Fatalf("found %+v", before)
		}
		if err := sp.Bring(t.Context(), want("hall"), false); err == nil || !strings.Contains(err.Error(), "hall") {
			t.Error("it was replaced:", err)
		}
		if err := sp.Drop(t.Context(), "hall"); err == nil {
			t.Error("it was taken away")
		}
		if got := s.list(t, sp); !reflect.DeepEqual(got, before) {
			t.Errorf("it was\n%+v and is\n%+v", before, got)
		}
		s.bring(t, sp, want("hall"), true)
		s.isAsWanted(t, sp, want("hall"))
	})
	t.Run("dropped is gone, one queue and several, and again is no error", func(t *testing.T) {
		sp := fresh(t)
		s.bring(t, sp, want("hall"), false)
		s.bring(t, sp, want("pool", pool), false)
		for range 2 {
			for _, called := range []string{"hall", "pool"} {
				if err := sp.Drop(t.Context(), called); err != nil {
					t.Fatal(err)
				}
			}
		}
		if got := s.list(t, sp); len(got) != 0 {
			t.Errorf("left are %+v", got)
		}
	})
	t.Run("a driver that is not to be had fails, in words that name it", func(t *testing.T) {
		sp := fresh(t)
		w := want("hall", func(w *server.Now) { w.Driver, w.Exact = "x", "No Such 9" })
		if err := sp.Bring(t.Context(), w, false); err == nil || !strings.Contains(err.Error(), "No Such 9") {
			t.Errorf("it answers %v", err)
		}
	})
	if fresh(t).Print != nil {
		s.printing(t, want, pool)
	}
}

type serverSuite struct {
	fresh func(t *testing.T) ServerSpooler
}

func (s *serverSuite) list(t *testing.T, sp ServerSpooler) []server.Found {
	t.Helper()
	got, err := sp.Shared(t.Context())
	if err != nil {
		t.Fatal("Shared fails:", err)
	}
	return got
}

func (s *serverSuite) bring(t *testing.T, sp ServerSpooler, w server.Now, take bool) {
	t.Helper()
	if err := sp.Bring(t.Context(), w, take); err != nil {
		t.Fatalf("Bring(%s) fails: %v", w.Name, err)
	}
}

// isAsWanted wants one queue, as it was brought.
func (s *serverSuite) isAsWanted(t *testing.T, sp ServerSpooler, w server.Now) {
	t.Helper()
	got := s.list(t, sp)
	if len(got) != 1 || !got[0].Own {
		t.Fatalf("one queue was brought, found %+v", got)
	}
	if what, wanted, found := server.Differs(w, got[0]); what != "" {
		t.Errorf("%s is %q, not %q", what, found, wanted)
	}
}

// printing holds a spooler that prints to who may, when, and to keeping jobs.
func (s *serverSuite) printing(t *testing.T, want func(string, ...func(*server.Now)) server.Now, pool func(*server.Now)) {
	t.Run("only those print who may", func(t *testing.T) {
		for i, p := range []server.People{{Names: []string{"mira.solvang"}}, {Everyone: true, Names: []string{"temp"}}} {
			for _, several := range []bool{false, true} {
				sp := s.fresh(t)
				w := want("hall", func(w *server.Now) {
					if w.People = p; several {
						pool(w)
					}
				})
				s.bring(t, sp, w, false)
				for owner, may := range map[string]bool{"mira.solvang": true, "Mira.Solvang@SKERRY.EXAMPLE": true, "temp": false,
					"ida": i == 1} {
					if err := sp.Print(t, "hall", owner); (err == nil) != may {
						t.Errorf("%s, several %v: %s printing gives %v", p, several, owner, err)
					}
				}
			}
		}
	})
	t.Run("closed it takes no job, and opened it does", func(t *testing.T) {
		sp := s.fresh(t)
		for _, closed := range []string{"", "the queue hall is closed at this hour", ""} {
			s.bring(t, sp, want("hall", func(w *server.Now) { w.Closed = closed }), false)
			if err := sp.Print(t, "hall", "ida"); (err == nil) != (closed == "") {
				t.Errorf("closed %q: %v", closed, err)
			}
		}
	})
	t.Run("jobs that wait outlive every change, and hold up a queue's end", func(t *testing.T) {
		sp := s.fresh(t)
		s.bring(t, sp, want("hall"), false)
		jobs := map[string]int{}
		for i, w := range []server.Now{want("hall", pool), want("hall"), want("hall", func(w *server.Now) {
			w.Devices = []string{anotherSilent, thirdSilent}
		}), want("hall", pool), want("hall", func(w *server.Now) { w.Closed = "shut" })} {
			owner := fmt.Sprintf("person-%d", i)
			if err := sp.Print(t, "hall", owner); err != nil {
				t.Fatal(err)
			}
			jobs[owner]++
			s.bring(t, sp, w, false)
			if got := sp.Waiting(t); !reflect.DeepEqual(got, jobs) {
				t.Fatalf("after the change %d there wait %v, and %v were sent", i, got, jobs)
			}
		}
		err := sp.Drop(t.Context(), "hall")
		if err == nil || !strings.Contains(err.Error(), "5 jobs") || !reflect.DeepEqual(sp.Waiting(t), jobs) {
			t.Errorf("taken away with jobs: %v, %v", err, sp.Waiting(t))
		}
		if err := sp.Print(t, "hall", "late"); err == nil {
			t.Error("it is to go, and took one more")
		}
		if got := s.list(t, sp); !slices.ContainsFunc(got, func(f server.Found) bool { return f.Name == "hall" && f.Own }) {
			t.Errorf("it went with jobs in it: %+v", got)
		}
	})
}

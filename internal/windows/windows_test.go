package windows_test

import (
	"errors"
	"slices"
	"strings"
	"testing"

	"cirque/core/endpoint"
	"cirque/internal/testkit/conform"
	"cirque/internal/testkit/windowsparts"
	"cirque/internal/windows"
)

// machine is a spooler in memory on which two people are signed in.
func machine(t *testing.T) (*windowsparts.System, *windows.Spooler) {
	t.Helper()
	system := windowsparts.New([]string{driverless}, []string{"msolvang", "jberg"})
	return system, started(system)
}

// started is the adapter as an agent has it that has just started.
func started(system *windowsparts.System) *windows.Spooler {
	s := windows.New(system.Parts(), "windows/x64")
	s.PackagesFrom(packages)
	s.SignedIn([]endpoint.Login{{System: "MSolvang", User: "mira.solvang"}, {System: "jberg", User: "jonas.berg"}})
	return s
}

var hall = endpoint.Want{Queue: "hall-mono", Title: "Booking hall", Place: "Quay House", URI: "ipp://10.40.8.31/ipp/print",
	Driver: "driverless", Options: map[string]any{"sides": "two-sided-long-edge"}}

func add(t *testing.T, s *windows.Spooler, wants ...endpoint.Want) {
	t.Helper()
	for _, w := range wants {
		if err := s.Add(t.Context(), w); err != nil {
			t.Fatalf("%s for %q: %v", w.Queue, w.User, err)
		}
	}
}

func list(t *testing.T, s *windows.Spooler) []endpoint.Installed {
	t.Helper()
	got, _, err := s.List(t.Context(), nil)
	if err != nil {
		t.Fatal(err)
	}
	return got
}

// steps are what an agent would do.
func steps(t *testing.T, s *windows.Spooler, wants ...endpoint.Want) []endpoint.Step {
	t.Helper()
	got, defaults, err := s.List(t.Context(), nil)
	if err != nil {
		t.Fatal(err)
	}
	out, _ := endpoint.Steps(endpoint.Plan{Wants: wants}, got, defaults, endpoint.Memory{})
	return out
}

func called(t *testing.T, system *windowsparts.System) (names []string) {
	t.Helper()
	all, err := system.Parts().Queues.Printers()
	if err != nil {
		t.Fatal(err)
	}
	for _, p := range all {
		names = append(names, p.Name)
	}
	slices.Sort(names)
	return names
}

// TestRenamed: what somebody renames stays the agent's own, is seen, and gets its name back with its jobs and mark.
func TestRenamed(t *testing.T) {
	t.Parallel()
	system, s := machine(t)
	add(t, s, hall)
	q := system.Parts().Queues
	all, _ := q.Printers()
	if err := q.Rename("Booking hall", "My printer", all[0]); err != nil {
		t.Fatal(err)
	}
	got := list(t, s)
	if len(got) != 1 || !got[0].Own || got[0].Queue != "hall-mono" || got[0].Title != "My printer" {
		t.Fatalf("%+v", got)
	}
	if todo := steps(t, s, hall); len(todo) != 1 || todo[0].Do != "change" {
		t.Fatalf("%+v", todo)
	}
	if err := s.Change(t.Context(), hall); err != nil {
		t.Fatal(err)
	}
	if names := called(t, system); !slices.Equal(names, []string{"Booking hall"}) || len(steps(t, s, hall)) != 0 {
		t.Errorf("%v", names)
	}
}

// TestNames: a queue is called as people know it; where that is taken, its own name or the person's stands behind it.
func TestNames(t *testing.T) {
	t.Parallel()
	system, s := machine(t)
	byHand(t, system.Parts(), "booking HALL")
	other := hall
	other.Queue, other.Title = "hall-2", `Hall, "left" \ right!`
	hers, his := hall, hall
	hers.User, his.User = "mira.solvang", "jonas.berg"
	plain := hall
	plain.Queue, plain.Title = "store", ""
	add(t, s, hall, other, hers, his, plain)
	want := []string{"Booking hall (MSolvang)", "Booking hall (hall-mono)", "Booking hall (jberg)", "Hall left right",
		"booking HALL", "store"}
	if names := called(t, system); !slices.Equal(names, want) {
		t.Errorf("%q", names)
	}
	if todo := steps(t, s, hall, other, hers, his, plain); len(todo) != 0 {
		t.Errorf("%+v", todo)
	}
}

// TestRights: a person's queue is that person's alone; what somebody opens is seen, and closed again. Nobody prints to a
// closed queue, and its comment says why.
func TestRights(t *testing.T) {
	t.Parallel()
	system, s := machine(t)
	hers := hall
	hers.User = "mira.solvang"
	add(t, s, hers)
	rights := system.Parts().Rights
	sddl, _ := rights.Rights("Booking hall")
	if !strings.Contains(sddl, "(A;;SWRC;;;S-1-5-21-1-2-3-1001)") || strings.Contains(sddl, "WD)") {
		t.Error(sddl)
	}
	if err := rights.Secure("Booking hall", sddl+"(A;;SWRC;;;WD)"); err != nil {
		t.Fatal(err)
	}
	if todo := steps(t, s, hers); len(todo) != 1 || s.Change(t.Context(), hers) != nil {
		t.Fatalf("%+v", todo)
	}
	if again, _ := rights.Rights("Booking hall"); again != sddl || len(steps(t, s, hers)) != 0 {
		t.Error(again)
	}
	hers.Closed = "the queue is paused"
	if err := s.Change(t.Context(), hers); err != nil {
		t.Fatal(err)
	}
	if _, _, err := s.TestPage(t.Context(), "hall-mono", "mira.solvang", []string{"x"}, false); err == nil {
		t.Error("printed to a closed queue")
	}
	all, _ := system.Parts().Queues.Printers()
	if all[0].Comment != "the queue is paused" || len(steps(t, s, hers)) != 0 {
		t.Errorf("%+v", all[0])
	}
	stranger := hall
	stranger.User = "nobody.here"
	if err := s.Add(t.Context(), stranger); err == nil || !strings.Contains(err.Error(), "nobody.here") ||
		len(called(t, system)) != 1 {
		t.Errorf("a queue for somebody whom the machine does not know: %v", err)
	}
}

// TestNoRights: on a system that keeps no rights a queue for everybody is made, and none that would be open to others
// than it says.
func TestNoRights(t *testing.T) {
	t.Parallel()
	system, s := machine(t)
	system.Broken["Secure"] = windows.ErrNoRights
	add(t, s, hall)
	hers, closed := hall, hall
	hers.User, hers.Queue = "mira.solvang", "hers"
	closed.Closed, closed.Queue = "paused", "closed"
	for _, w := range []endpoint.Want{hers, closed} {
		if err := s.Add(t.Context(), w); !errors.Is(err, windows.ErrNoRights) {
			t.Error(err)
		}
	}
	if names := called(t, system); len(names) != 1 {
		t.Errorf("left behind: %v", names)
	}
}

// TestBrokenOff: whichever call is the last that a machine makes before it stops, the queue is the agent's own or not
// there when it starts again, and becomes what was wanted; nobody else's queue is ever touched.
func TestBrokenOff(t *testing.T) {
	t.Parallel()
	for _, call := range []string{"Make", "Add", "SetMode", "Secure", "Rights", "SetMark", "Save", "Mode"} {
		for _, change := range []bool{false, true} {
			system, s := machine(t)
			byHand(t, system.Parts(), "Front desk")
			was := hall
			was.URI, was.Options = "socket://10.40.8.30", map[string]any{"copies": 2}
			was.Driver, was.Exact = "mono", conform.ExactDriver
			if change {
				add(t, s, was)
			}
			system.Broken[call] = errors.New("the power went off")
			_ = s.Add(t.Context(), hall)
			delete(system.Broken, call)
			other := hall
			other.Queue, other.Title = "other", "Other"
			add(t, s, other)
			s = started(system)
			for _, i := range list(t, s) {
				if !i.Own && i.Queue != "Front desk" {
					t.Errorf("%s, change %v: %+v is nobody's", call, change, i)
				}
			}
			if err := s.Change(t.Context(), hall); err != nil {
				t.Errorf("%s, change %v: %v", call, change, err)
			}
			if todo := steps(t, s, hall, other); len(todo) != 0 || len(list(t, s)) != 3 {
				t.Errorf("%s, change %v: %+v, %+v", call, change, todo, list(t, s))
			}
		}
	}
}

// TestNeverMade: a queue that could not be made leaves nothing by which somebody else's of that name would count as the
// agent's own; nor does one over whose making the machine stopped, where somebody's leads elsewhere.
func TestNeverMade(t *testing.T) {
	t.Parallel()
	for _, stopped := range []bool{false, true} {
		system, s := machine(t)
		parts := system.Parts()
		system.Broken["Add"] = errors.New("access is denied")
		if stopped {
			if err := parts.Memory.Save(`{"making":{"by":"cirque","queue":"hall-mono","called":"Booking hall","port":"p","as":"` +
				driverless + `"}}`); err != nil {
				t.Fatal(err)
			}
		} else if err := s.Add(t.Context(), hall); err == nil {
			t.Fatal("it was made")
		}
		delete(system.Broken, "Add")
		byHand(t, parts, "Booking hall")
		s = started(system)
		if got := list(t, s); len(got) != 1 || got[0].Own {
			t.Errorf("stopped %v: %+v", stopped, got)
		}
		add(t, s, hall)
		if names := called(t, system); !slices.Equal(names, []string{"Booking hall", "Booking hall (hall-mono)"}) {
			t.Errorf("stopped %v: %q", stopped, names)
		}
	}
}

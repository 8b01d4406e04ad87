package windows_test

import (
	"context"
	"errors"
	"slices"
	"strings"
	"testing"
	"time"

	"cirque/core/endpoint"
	"cirque/internal/testkit/conform"
	"cirque/internal/testkit/windowsparts"
	"cirque/internal/windows"
	"cirque/internal/winspool"
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

// TestPorts: a port is made for each place, and goes when nothing leads there any more.
func TestPorts(t *testing.T) {
	t.Parallel()
	system, s := machine(t)
	label := endpoint.Want{Queue: "labels", URI: "socket://10.40.8.40:9101", Driver: "m", Exact: conform.ExactDriver}
	add(t, s, hall, label)
	leads, _ := system.Parts().Ports.Leads(nil)
	if leads["http://10.40.8.31:631/ipp/print"] == "" || leads["cirque-10.40.8.40-9101"] == "" || len(leads) != 2 {
		t.Errorf("%v", leads)
	}
	label.URI = "lpd://10.40.8.40/raw"
	if err := s.Change(t.Context(), label); err != nil {
		t.Fatal(err)
	}
	if leads, _ = system.Parts().Ports.Leads(nil); leads["cirque-10.40.8.40-515-raw"] == "" || len(leads) != 2 {
		t.Errorf("%v", leads)
	}
	for _, q := range []string{"labels", "hall-mono"} {
		if err := s.Remove(t.Context(), q, ""); err != nil {
			t.Fatal(err)
		}
	}
	if leads, _ = system.Parts().Ports.Leads(nil); len(leads) != 0 {
		t.Errorf("left behind: %v", leads)
	}
	usb := endpoint.Want{Queue: "slips", URI: "usb://Skerrymark/Slip%203", Driver: "driverless"}
	if err := s.Add(t.Context(), usb); err == nil {
		t.Error("a port for what is plugged in")
	}
	label.Exact, label.Driver = "", "driverless"
	if err := s.Add(t.Context(), label); !isNoDriver(err) {
		t.Errorf("without a driver over LPR: %v", err)
	}
}

func isNoDriver(err error) bool { _, is := errors.AsType[endpoint.NoDriver](err); return is }

// TestDrivers: a driver is installed once, out of its package, and told with what it came from; one that the package did
// not bring after all is an error for want of a driver.
func TestDrivers(t *testing.T) {
	t.Parallel()
	system, s := machine(t)
	w := endpoint.Want{Queue: "labels", URI: "socket://10.40.8.40", Driver: "m", Exact: conform.ExactDriver}
	add(t, s, w, w)
	n := 0
	for _, c := range system.Calls {
		if strings.HasPrefix(c, "Install") {
			n++
		}
	}
	got, err := s.InstalledDrivers(t.Context())
	want := []endpoint.InstalledDriver{{Exact: driverless}, {Exact: conform.ExactDriver, Package: "d1", Signed: "signed by Skerrymark Test"}}
	if n != 1 || err != nil || !slices.Equal(got, want) {
		t.Errorf("installed %d times: %+v %v", n, got, err)
	}
	system.Broken["Install"] = errors.New("the signature is not valid")
	s.PackagesFrom(func(_ context.Context, exact string) (windows.Package, error) {
		return windows.Package{Exact: exact}, nil
	})
	w.Queue, w.Exact = "other", "Another"
	if err := s.Add(t.Context(), w); !isNoDriver(err) || !strings.Contains(err.Error(), "signature") {
		t.Error(err)
	}
}

// TestConnections: what another Windows machine shares is a connection of the person's, made in their session; those
// that they have themselves are seen and left.
func TestConnections(t *testing.T) {
	t.Parallel()
	system, s := machine(t)
	hers := endpoint.Want{Queue: "plans", User: "mira.solvang", Title: "Plans", Driver: "driverless",
		URI: "ipp://ps-1.skerry.example/printers/plans/.printer"}
	const to, own = "http://ps-1.skerry.example:631/printers/plans/.printer", `\\ps-9\attic`
	if err := system.Parts().Connections.Connect("msolvang", own); err != nil {
		t.Fatal(err)
	}
	add(t, s, hers, hers)
	if err := s.SetDefault(t.Context(), "plans", "mira.solvang"); err != nil {
		t.Fatal(err)
	}
	got, defaults, err := s.List(t.Context(), nil)
	if err != nil || len(got) != 2 || !got[1].Own && !got[0].Own || defaults["mira.solvang"] != "plans" {
		t.Fatalf("%+v %v %v", got, defaults, err)
	}
	if todo := steps(t, s, hers); len(todo) != 0 {
		t.Errorf("%+v", todo)
	}
	hers.URI = "ipp://ps-2.skerry.example/printers/plans/.printer"
	if err := s.Change(t.Context(), hers); err != nil {
		t.Fatal(err)
	}
	if c, _ := system.Parts().People.Connections("msolvang"); slices.Contains(c, to) || len(c) != 2 {
		t.Errorf("%v", c)
	}
	for range 2 {
		if err := s.Remove(t.Context(), "plans", "mira.solvang"); err != nil {
			t.Fatal(err)
		}
	}
	if c, _ := system.Parts().People.Connections("msolvang"); !slices.Equal(c, []string{own}) {
		t.Errorf("%v", c)
	}
}

// TestEverybodysDefault: it is given to each person once, who may choose another one after that.
func TestEverybodysDefault(t *testing.T) {
	t.Parallel()
	system, s := machine(t)
	mine := hall
	mine.Queue, mine.Title, mine.User = "mine", "Mine", "jonas.berg"
	add(t, s, hall, mine)
	if err := s.SetDefault(t.Context(), "mine", "jonas.berg"); err != nil {
		t.Fatal(err)
	}
	if err := s.SetDefault(t.Context(), "hall-mono", ""); err != nil {
		t.Fatal(err)
	}
	people := system.Parts().People
	of := func(login string) string { d, _ := people.Default(login); return d }
	if of("msolvang") != "Booking hall" || of("jberg") != "Mine" {
		t.Errorf("%q %q", of("msolvang"), of("jberg"))
	}
	if err := people.SetDefault("msolvang", "Mine"); err != nil { // her own choice
		t.Fatal(err)
	}
	started(system)
	if of("msolvang") != "Mine" {
		t.Errorf("her choice is gone: %q", of("msolvang"))
	}
	if err := s.SetDefault(t.Context(), "attic", ""); err == nil {
		t.Error("a default that is not there")
	}
}

// TestTestPage follows a job to its end, and says how it is where that does not come.
func TestTestPage(t *testing.T) {
	t.Parallel()
	system, s := machine(t)
	add(t, s, hall)
	for status, want := range map[uint32]string{winspool.JobPrinted: "was sent", 0: "was sent", winspool.JobDeleted: "was deleted"} {
		var says string
		var done bool
		var err error
		ended := make(chan struct{})
		go func() {
			defer close(ended)
			says, done, err = s.TestPage(t.Context(), "hall-mono", "", []string{"Row 7"}, false)
		}()
		for jobs, _ := system.Parts().Jobs.List("Booking hall"); len(jobs) == 0; jobs, _ = system.Parts().Jobs.List("Booking hall") {
			time.Sleep(time.Millisecond)
		}
		if list, err := s.Waiting(t.Context(), "hall-mono", ""); err != nil || len(list) != 1 || list[0].State != "processing" ||
			list[0].Message != "is being sent" {
			t.Errorf("%+v %v", list, err)
		}
		system.Ends("Booking hall", status)
		<-ended
		if err != nil || !strings.Contains(says, want) || done == (status == winspool.JobDeleted) {
			t.Errorf("%d: %q %v %v", status, says, done, err)
		}
		system.Ends("Booking hall", 0)
	}
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Millisecond)
	defer cancel()
	if says, done, err := s.TestPage(ctx, "hall-mono", "", []string{"Row 7"}, false); done || err != nil || !strings.Contains(says, "is being sent") {
		t.Error(says, done, err)
	}
}

// TestBuiltIn: what comes with the system is nobody's to adopt, and what people set up is.
func TestBuiltIn(t *testing.T) {
	t.Parallel()
	_, s := machine(t)
	for i, want := range map[*endpoint.Installed]bool{
		{Want: endpoint.Want{URI: "PORTPROMPT:", Exact: "Microsoft Print To PDF"}}:          true,
		{Want: endpoint.Want{URI: "SHRFAX:", Exact: "Microsoft Shared Fax Driver"}}:         true,
		{Want: endpoint.Want{URI: "ipp://10.1.1.1/ipp/print", Exact: driverless}}:           false,
		{Want: endpoint.Want{URI: "USB001", Exact: "Tarnhelm Slip 3"}}:                      false,
		{Want: endpoint.Want{URI: "nul:", Exact: "Send To Notes"}}:                          true,
		{Want: endpoint.Want{URI: "socket://10.1.1.1:9100", Exact: "Microsoft enhanced X"}}: false,
	} {
		if got := s.BuiltIn(*i); got != want {
			t.Errorf("%s with %s: %v", i.URI, i.Exact, got)
		}
	}
}

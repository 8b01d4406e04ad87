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
	"cirque/internal/windows"
	"cirque/internal/winspool"
)

// What belongs to queues: where they lead, drivers, connections, defaults, pages.

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
	if err := system.Parts().People.SetDefault("msolvang", own); err != nil { // her own choice
		t.Fatal(err)
	}
	if _, defaults, err := s.List(t.Context(), nil); err != nil || defaults["mira.solvang"] != own {
		t.Errorf("%v %v", defaults, err)
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

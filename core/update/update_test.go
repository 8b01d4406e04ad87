package update

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"cirque/core/fault"
)

func TestNamed(t *testing.T) {
	t.Parallel()
	for file, want := range map[string]string{
		"cirque-agent_0.2.0_amd64.deb":              "0.2.0 linux/x64 deb",
		"cirque-agent_0.2.0_arm64.deb":              "0.2.0 linux/arm64 deb",
		"cirque-agent-0.2.0-1.x86_64.rpm":           "0.2.0 linux/x64 rpm",
		"cirque-agent-10.2.30-x64.msi":              "10.2.30 windows/x64 msi",
		"cirque-agent-0.2.0-macos-arm64.tar.gz":     "0.2.0 macos/arm64 archive",
		"cirque_0.2.0_amd64.deb":                    "",
		"cirque-agent_0.2.0_amd64.deb.sig":          "",
		"../cirque-agent_0.2.0_amd64.deb":           "",
		"cirque-agent_0.2.0-dev_amd64.deb":          "",
		"cirque-agent-0.2.0-macos-riscv.tar.gz":     "",
		"x cirque-agent-0.2.0-macos-arm64.tar.gz":   "",
		"cirque-agent-0.2.0-macos-arm64.tar.gz\nrm": "",
	} {
		p, err := Named(file)
		got := strings.TrimSpace(p.Version + " " + p.Platform + " " + p.Kind)
		if got != want || (err == nil) != (want != "") {
			t.Errorf("%q: %q %v, want %q", file, got, err, want)
		}
	}
}

func TestHolds(t *testing.T) {
	t.Parallel()
	p, _ := Named("cirque-agent_0.2.0_amd64.deb")
	if err := p.Holds([]byte("!<arch>\ndebian-binary")); err != nil {
		t.Error(err)
	}
	for _, data := range []string{"", "!<arch>", "\x1f\x8b archive of another kind"} {
		if err := p.Holds([]byte(data)); !fault.Is(err, fault.Invalid) {
			t.Errorf("%q: %v", data, err)
		}
	}
	if err := p.Holds(append([]byte("!<arch>\n"), make([]byte, MaxBytes)...)); !fault.Is(err, fault.Invalid) {
		t.Error("too large:", err)
	}
}

func TestCompare(t *testing.T) {
	t.Parallel()
	order := []string{"", "0.1.0-dev", "test", "0.0.9", "0.1.0", "0.1.10", "0.2.0", "1.0.0", "10.0.0"}
	for i, a := range order {
		for j, b := range order {
			if got := Compare(a, b); (got < 0) != (i < j) || (got == 0) != (i == j) {
				t.Errorf("%q and %q: %d", a, b, got)
			}
		}
	}
	for _, v := range []string{"1.2", "1.2.3.4", "01.2.3", "1.-2.3", "1.2.3 ", "9999999.0.0"} {
		if _, ok := Numbers(v); ok {
			t.Errorf("%q is a version", v)
		}
	}
}

var start = time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC)

func anOrder() Order {
	return Order{ID: 1, Version: "0.2.0", Shares: []int{5, 25, 100}, Each: 3600, Faults: 1, State: Running, StageAt: start}
}

// TestReaches: a stage reaches about its share, the next one those of the former and more, the last all; which machines
// come first is another matter for each version.
func TestReaches(t *testing.T) {
	t.Parallel()
	o, later := anOrder(), anOrder()
	later.Version = "0.3.0"
	var n [3]int
	both := 0
	for i := range 10000 {
		m := fmt.Sprintf("desk-%d", i)
		for s := range n {
			if o.Reaches(s, m) {
				n[s]++
				if s+1 < len(n) && !o.Reaches(s+1, m) {
					t.Fatalf("%s is reached by stage %d and not by the next", m, s)
				}
			}
		}
		if o.Reaches(0, m) != o.Reaches(0, strings.ToUpper(m)) {
			t.Fatal("the case of a name counts")
		}
		if o.Reaches(0, m) && later.Reaches(0, m) {
			both++
		}
	}
	if n[0] < 400 || n[0] > 600 || n[1] < 2300 || n[1] > 2700 || n[2] != 10000 || both > 60 {
		t.Errorf("%v of 10000, %d first twice", n, both)
	}
	if o.Reaches(3, "desk-1") {
		t.Error("there is no fourth stage")
	}
}

func TestTells(t *testing.T) {
	t.Parallel()
	last := anOrder()
	last.Stage = 2
	old := Machine{Name: "desk-1", Site: "ardholm", Version: "0.1.0", Platform: "linux/x64", Updates: Deb}
	for what, c := range map[string]struct {
		change func(o *Order, m *Machine)
		want   bool
	}{
		"an older one":            {func(*Order, *Machine) {}, true},
		"one that has it":         {func(_ *Order, m *Machine) { m.Version = "0.2.0" }, false},
		"one that has a later":    {func(_ *Order, m *Machine) { m.Version = "0.10.0" }, false},
		"one built by hand":       {func(_ *Order, m *Machine) { m.Version = "0.1.0-dev" }, false},
		"one that is left":        {func(_ *Order, m *Machine) { m.Updates = Left }, false},
		"one that does not say":   {func(_ *Order, m *Machine) { m.Updates = "" }, false},
		"its site":                {func(o *Order, _ *Machine) { o.Site = "ardholm" }, true},
		"another site":            {func(o *Order, _ *Machine) { o.Site = "brannoy" }, false},
		"paused":                  {func(o *Order, _ *Machine) { o.State = Paused }, false},
		"ended":                   {func(o *Order, m *Machine) { o.State, m.Version = Ended, "0.2.0" }, false},
		"back, one that has it":   {func(o *Order, m *Machine) { o.State, m.Version = Back, "0.2.0" }, true},
		"back, one that has not":  {func(o *Order, _ *Machine) { o.State = Back }, false},
		"back, one that is later": {func(o *Order, m *Machine) { o.State, m.Version = Back, "0.3.0" }, false},
	} {
		o, m := last, old
		if c.change(&o, &m); o.Tells(m) != c.want {
			t.Errorf("%s: %v", what, !c.want)
		}
	}
}

func TestNext(t *testing.T) {
	t.Parallel()
	hour := start.Add(time.Hour)
	for what, c := range map[string]struct {
		o     Order
		c     Counts
		now   time.Time
		state string
		stage int
	}{
		"too early":              {anOrder(), Counts{Came: 3}, hour.Add(-1), Running, 0},
		"in time":                {anOrder(), Counts{Came: 3}, hour, Running, 1},
		"somebody is under way":  {anOrder(), Counts{Came: 3, Begun: 1}, hour, Running, 0},
		"nobody was reached":     {anOrder(), Counts{}, hour, Running, 1},
		"as many as may fail":    {anOrder(), Counts{Came: 3, Failed: 1}, hour, Running, 1},
		"one more":               {anOrder(), Counts{Came: 3, Failed: 1, Silent: 1}, start, Paused, 0},
		"only one, and it fails": {anOrder(), Counts{Silent: 1}, hour, Running, 0},
		"the last stage stays": {Order{Shares: []int{100}, State: Running, StageAt: start}, Counts{Came: 1}, hour,
			Running, 0},
		"paused stays": {Order{Shares: []int{100}, State: Paused}, Counts{Failed: 9}, hour, Paused, 0},
		"back stays":   {Order{Shares: []int{100}, State: Back}, Counts{Failed: 9}, hour, Back, 0},
	} {
		got, changed := c.o.Next(c.c, []string{"desk-1", "desk-2"}, c.now)
		if got.State != c.state || got.Stage != c.stage || changed != (got.State != c.o.State || got.Stage != c.o.Stage) {
			t.Errorf("%s: %+v %v", what, got, changed)
		}
		if got.State == Paused && c.o.State == Running && !strings.Contains(got.Why, "desk-1") {
			t.Errorf("%s: %q", what, got.Why)
		}
	}
	paused, _ := anOrder().Next(Counts{Failed: 2}, nil, hour)
	on, err := paused.Resume(hour)
	if err != nil || on.State != Running || on.Why != "" || !on.StageAt.Equal(hour) {
		t.Errorf("%+v %v", on, err)
	}
	if _, err := on.Resume(hour); !fault.Is(err, fault.Conflict) {
		t.Error(err)
	}
}

func TestCheckOrder(t *testing.T) {
	t.Parallel()
	there := func(s string) bool { return s == "ardholm" }
	if err := anOrder().Check(there); err != nil {
		t.Error(err)
	}
	for what, change := range map[string]func(*Order){
		"no version": func(o *Order) { o.Version = "latest" }, "no stages": func(o *Order) { o.Shares = nil },
		"not to the end": func(o *Order) { o.Shares = []int{5, 50} }, "down": func(o *Order) { o.Shares = []int{50, 5, 100} },
		"twice": func(o *Order) { o.Shares = []int{5, 5, 100} }, "none": func(o *Order) { o.Shares = []int{0, 100} },
		"too short": func(o *Order) { o.Each = 5 }, "no number": func(o *Order) { o.Faults = -1 },
		"no site": func(o *Order) { o.Site = "west" },
	} {
		o := anOrder()
		if change(&o); !fault.Is(o.Check(there), fault.Invalid) {
			t.Errorf("%s is taken", what)
		}
	}
}

func TestFit(t *testing.T) {
	t.Parallel()
	list := []AgentPackage{{Version: "0.2.0", Platform: "linux/x64", Kind: Deb}, {Version: "0.1.0",
		Platform: "linux/x64", Kind: Deb}}
	for _, c := range []struct {
		s    Suit
		why  string
		back bool
	}{
		{Suit{Version: "0.1.0", Platform: "linux/x64", Updates: Deb}, "", true},
		{Suit{Version: "0.0.9", Platform: "linux/x64", Updates: Deb}, "", false},
		{Suit{Version: "0.2.0", Platform: "linux/x64", Updates: Deb}, "have it", false},
		{Suit{Version: "0.3.0", Platform: "linux/x64", Updates: Deb}, "later", false},
		{Suit{Version: "0.1.0", Platform: "linux/x64", Updates: RPM}, "add the .rpm of 0.2.0 for linux/x64", false},
		{Suit{Version: "0.1.0", Platform: "linux/arm64", Updates: Deb}, "add the .deb", false},
		{Suit{Version: "0.1.0", Platform: "linux/x64", Updates: Left}, "device management", false},
		{Suit{Version: "0.1.0", Platform: "linux/x64"}, "cannot", false},
		{Suit{Version: "test", Platform: "linux/x64", Updates: Deb}, "by hand", false},
	} {
		got := Fit("0.2.0", list, c.s)
		if got.Suits != (c.why == "") || !strings.Contains(got.Why, c.why) || got.WayBack != c.back {
			t.Errorf("%+v: %+v", c.s, got)
		}
	}
}

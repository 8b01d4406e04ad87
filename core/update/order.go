package update

import (
	"fmt"
	"hash/fnv"
	"slices"
	"time"

	"cirque/core/fault"
	"cirque/core/name"
	"cirque/core/words"
)

// An Order brings endpoints to a version, stage by stage.
type Order struct {
	ID      int64     `json:"id"`
	Version string    `json:"version"`
	Site    string    `json:"site,omitempty" doc:"The only site whose machines it is for; all when absent."`
	Shares  []int     `json:"shares" doc:"The stages: which share of the machines each reaches, in percent, ascending to 100."`
	Each    int       `json:"each" doc:"How long each stage is watched before the next, at least, in seconds."`
	Faults  int       `json:"faults" doc:"How many machines may fail before nobody more is brought there."`
	State   string    `json:"state" enum:"running,paused,back,ended"`
	Stage   int       `json:"stage" doc:"The present one, from 0."`
	StageAt time.Time `json:"stage_at" doc:"When it began, or went on."`
	OnAt    time.Time `json:"on_at,omitzero" doc:"When it went on after a pause: what failed before counts no more."`
	Why     string    `json:"why,omitempty" doc:"Why it paused."`
	Author  string    `json:"author"`
	At      time.Time `json:"at"`
}

// States of an Order.
const (
	Running = "running"
	Paused  = "paused" // nobody more is brought there
	Back    = "back"   // those that came by it go back to what they had
	Ended   = "ended"
)

// Defaults and limits of an Order.
const (
	DefaultEach   = 4 * time.Hour
	DefaultFaults = 0
	MostStages    = 10
	// SilentAfter is how long a machine that began has to say what came of it.
	SilentAfter = 30 * time.Minute
)

// DefaultShares are the stages where none are named.
func DefaultShares() []int { return []int{5, 25, 100} }

// Check checks an order; site says which sites there are.
func (o Order) Check(site func(string) bool) error {
	if _, ok := Numbers(o.Version); !ok {
		return fault.New(fault.Invalid, "update-version", "write it as its packages do, such as 0.2.0", "%q is no version",
			o.Version)
	}
	if n := len(o.Shares); n == 0 || n > MostStages || o.Shares[n-1] != 100 || o.Shares[0] < 1 ||
		!slices.IsSorted(o.Shares) || len(slices.Compact(slices.Clone(o.Shares))) != n {
		return fault.New(fault.Invalid, "update-shares", "write ascending percents that end with 100, such as 5,25,100",
			"%v are no stages", o.Shares)
	}
	if o.Each < 60 || o.Each > 30*24*3600 {
		return fault.New(fault.Invalid, "update-each", "write a span from 1m to 30d, such as 4h", "a stage is watched for a "+
			"minute to 30 days")
	}
	if o.Faults < 0 || o.Faults > 100000 {
		return fault.New(fault.Invalid, "update-faults", "write 0 to 100000", "%d is no number of machines", o.Faults)
	}
	if o.Site != "" && !site(o.Site) {
		return fault.New(fault.Invalid, "site-unknown", "see the sites: cirque estate export, under locations",
			"the estate has no site %q", o.Site)
	}
	return nil
}

// place is where a machine stands among all, from 0 to below 10000: always the same for a version, another for the
// next, so that it is not always the same people who try what is new.
func place(version, machine string) int {
	h := fnv.New32a()
	_, _ = h.Write([]byte(version + "\x00" + name.Fold(machine))) // never fails
	return int(h.Sum32() % 10000)
}

// Reaches says whether a stage reaches a machine.
func (o Order) Reaches(stage int, machine string) bool {
	return stage < len(o.Shares) && place(o.Version, machine) < o.Shares[stage]*100
}

// A Machine is an endpoint as it reports.
type Machine struct {
	Name     string
	Site     string
	Version  string
	Platform string
	Updates  string // the kind of its package, Left, or "" where it cannot be brought to another version
}

// Able says whether a machine can be brought to another version by the service.
func (m Machine) Able() bool { return m.Updates != "" && m.Updates != Left }

// Tells says whether a machine is to be told now: to come to the order's version, or to go back from it. A machine that
// has a later version, or one that was built by hand, is left.
func (o Order) Tells(m Machine) bool {
	if !m.Able() || o.Site != "" && o.Site != m.Site {
		return false
	}
	switch o.State {
	case Running:
		_, known := Numbers(m.Version)
		return known && Compare(m.Version, o.Version) < 0 && o.Reaches(o.Stage, m.Name)
	case Back:
		return m.Version == o.Version
	}
	return false
}

// Counts are how the machines stand that began by an order.
type Counts struct {
	Begun  int `json:"begun" doc:"Are installing it, and have time still to say what came of it."`
	Came   int `json:"came" doc:"Run the version."`
	Failed int `json:"failed" doc:"Could not install it, or went back by themselves."`
	Silent int `json:"silent" doc:"Began, and have said nothing for half an hour."`
	Back   int `json:"back" doc:"Went back, as they were told."`
}

// Next gives an order as it stands after a look at its machines: paused where too many fail, in the next stage where
// the present one was watched for long enough and somebody came through it. changed says whether that is otherwise.
// faulty names machines that fail.
func (o Order) Next(c Counts, faulty []string, now time.Time) (next Order, changed bool) {
	if o.State != Running {
		return o, false
	}
	if n := c.Failed + c.Silent; n > o.Faults {
		o.State = Paused
		o.Why = fmt.Sprintf("%s did not come through: %s", words.Count(n, "machine"), words.Few(faulty, 3))
		return o, true
	}
	if o.Stage == len(o.Shares)-1 || now.Before(o.StageAt.Add(time.Duration(o.Each)*time.Second)) || c.Begun > 0 ||
		c.Came == 0 && c.Failed+c.Silent > 0 {
		return o, false
	}
	o.Stage++
	o.StageAt = now
	return o, true
}

// Resume gives a paused order as it goes on: what failed until now counts no more.
func (o Order) Resume(now time.Time) (Order, error) {
	if o.State != Paused {
		return o, fault.New(fault.Conflict, "update-not-paused", "see cirque endpoint update show", "the update to %s is "+
			"%s, and not paused", o.Version, o.State)
	}
	o.State, o.Why, o.StageAt, o.OnAt = Running, "", now, now
	return o, nil
}

// Since says from when on faults count.
func (o Order) Since() time.Time { return o.OnAt }

// A Record is what came of a machine that began to install a version.
type Record struct {
	Machine string    `json:"machine"`
	Former  string    `json:"former" doc:"The version that it had."`
	State   string    `json:"state" enum:"begun,came,failed,silent,back"`
	BegunAt time.Time `json:"begun_at"`
	At      time.Time `json:"at" doc:"When it began, or said what came of it."`
	Says    string    `json:"says,omitempty"`
}

// What comes of a machine.
const (
	Begun    = "begun"
	Came     = "came"
	Failed   = "failed"
	Silent   = "silent"
	WentBack = "back"
)

// A Suit counts machines of one kind by whether they can be brought to a version.
type Suit struct {
	Version  string `json:"version"`
	Platform string `json:"platform"`
	Updates  string `json:"updates,omitempty"`
	Machines int    `json:"machines"`
	Suits    bool   `json:"suits"`
	Why      string `json:"why,omitempty" doc:"Why they cannot, or need not."`
	WayBack  bool   `json:"way_back" doc:"The package of the version that they have is kept, too."`
}

// Fit says how machines of one kind stand to a version, with the packages that are kept.
func Fit(version string, list []AgentPackage, s Suit) Suit {
	kept := func(v string) bool {
		return slices.ContainsFunc(list, func(p AgentPackage) bool {
			return p.Version == v && p.Platform == s.Platform && p.Kind == s.Updates
		})
	}
	_, known := Numbers(s.Version)
	switch {
	case s.Version == version:
		s.Why = "have it"
	case s.Updates == Left:
		s.Why = "are left to device management"
	case s.Updates == "":
		s.Why = "cannot: no package brought the agent there, or it is too old"
	case !known:
		s.Why = "were built by hand"
	case Compare(s.Version, version) > 0:
		s.Why = "have a later version"
	case !kept(version):
		s.Why = fmt.Sprintf("have no package: add the .%s of %s for %s", s.Updates, version, s.Platform)
	default:
		s.Suits, s.WayBack = true, kept(s.Version)
	}
	return s
}

// A Standing is how an order stands, and what there would be to do.
type Standing struct {
	Order    *Order    `json:"order,omitempty" doc:"The latest; absent where there was none."`
	Counts   Counts    `json:"counts" doc:"Faults since it was begun or went on."`
	Machines []Suit    `json:"machines" doc:"Machines by version, platform and how they are brought to another."`
	Version  string    `json:"version,omitempty" doc:"To which version they are held: the order's, or that which is asked about."`
	At       time.Time `json:"at"`
}

// What can be done with an order.
const (
	Pause  = "pause"
	GoOn   = "go-on"
	GoBack = "back"
	End    = "end"
)

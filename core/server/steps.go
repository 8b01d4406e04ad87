package server

import (
	"cmp"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"time"

	"cirque/core/name"
)

// A Found is one queue that was found on a server.
type Found struct {
	Now
	Own     bool   `json:"own" yaml:"own" doc:"Made by the agent; what is not, is never touched."`
	Halted  bool   `json:"halted,omitempty" yaml:"halted,omitempty" doc:"It prints nothing, or takes no jobs, though it should."`
	Private bool   `json:"private,omitempty" yaml:"private,omitempty" doc:"It is not shared."`
	Model   string `json:"model,omitempty" yaml:"model,omitempty" doc:"As its driver names it."`
	Waiting int    `json:"waiting,omitempty" yaml:"-" doc:"Jobs that wait."`
}

// SameQueues says whether two looks at a server found the same queues, whatever waits in them.
func SameQueues(a, b []Found) bool {
	known := make(map[string]Found, len(a))
	for _, f := range a {
		f.Waiting = 0
		known[f.Name] = f
	}
	return len(a) == len(b) && !slices.ContainsFunc(b, func(f Found) bool {
		f.Waiting = 0
		return !reflect.DeepEqual(known[f.Name], f)
	})
}

// What a step does.
const (
	GetDriver = "driver" // fetch a driver
	Add       = "add"
	Take      = "take" // make a queue that somebody else made the agent's own, as it is wanted
	Change    = "change"
	Remove    = "remove"
)

// A Step is one thing to do on a server.
type Step struct {
	Do   string
	Want Now    // of remove only Name counts, of driver Exact
	What string // of a change: in what it differs, with what is wanted and what is found
}

// Key names what a step is about.
func (s Step) Key() string {
	if s.Do == GetDriver {
		return "driver " + s.Want.Exact
	}
	return "queue " + s.Want.Name
}

// Steps gives what leads from what was found to what is wanted: each driver before the queues that need it, what is new
// before what goes. Queues that are not the agent's own are never touched, but for those that it is to take; one of a
// wanted name is in the way, and adding it fails in the spooler's own words.
func Steps(wants []Now, found []Found, take []string) []Step {
	byName := make(map[string]*Found, len(found))
	for i := range found {
		byName[name.Fold(found[i].Name)] = &found[i]
	}
	var drivers, steps, gone []Step
	wanted, fetched := make(map[string]bool, len(wants)), map[string]bool{}
	for _, w := range wants {
		wanted[name.Fold(w.Name)] = true
		f := byName[name.Fold(w.Name)]
		s := Step{Do: Add, Want: w}
		switch {
		case f == nil:
		case !f.Own && slices.Contains(take, f.Name):
			s.Do = Take
		case f.Own:
			what, want, have := Differs(w, *f)
			if what == "" {
				continue
			}
			s.Do, s.What = Change, fmt.Sprintf("%s: %s, not %s", what, orNothing(want), orNothing(have))
		}
		if w.Exact != "" && !fetched[w.Exact] {
			fetched[w.Exact] = true
			drivers = append(drivers, Step{Do: GetDriver, Want: Now{Want: Want{Exact: w.Exact}}})
		}
		steps = append(steps, s)
	}
	for _, f := range found {
		if f.Own && !wanted[name.Fold(f.Name)] {
			gone = append(gone, Step{Do: Remove, Want: Now{Want: Want{Name: f.Name, Queue: f.Queue}}})
		}
	}
	slices.SortFunc(drivers, func(a, b Step) int { return cmp.Compare(a.Want.Exact, b.Want.Exact) })
	slices.SortFunc(gone, func(a, b Step) int { return cmp.Compare(a.Want.Name, b.Want.Name) })
	return slices.Concat(drivers, steps, gone)
}

func orNothing(s string) string {
	if s == "" {
		return "nothing"
	}
	return s
}

// Differs says in which respect a queue is not as wanted; what is empty where it is.
func Differs(w Now, f Found) (what, wanted, found string) {
	drv := func(x Want) string { return cmp.Or(x.Exact, x.Driver) }
	for _, c := range []struct{ what, wanted, found string }{
		{"queue", w.Queue, f.Queue},
		{"devices", strings.Join(w.Devices, ", "), strings.Join(f.Devices, ", ")},
		{"driver", drv(w.Want), drv(f.Want)},
		{"comment", w.Comment, f.Comment},
		{"place", w.Place, f.Place},
		{"closed", w.Closed, f.Closed},
		{"people", w.People.String(), f.People.String()},
		{"order", w.Order, f.Order},
		{"mismatch", w.Mismatch, f.Mismatch},
		{"finished", w.Finished.String(), f.Finished.String()},
		{"colour profile", w.ColourProfile, f.ColourProfile},
	} {
		if c.wanted != c.found {
			return c.what, c.wanted, c.found
		}
	}
	switch {
	case w.Package != "" && w.Package != f.Package:
		return "driver package", short(w.Package), short(f.Package)
	case !w.People.Equal(f.People):
		return "people", fmt.Sprintf("%d names", len(w.People.Names)), fmt.Sprintf("%d others", len(f.People.Names))
	case !reflect.DeepEqual(w.Units, f.Units):
		return "units", w.Units.InWords(), f.Units.InWords()
	case f.Private:
		return "shared", "yes", "no"
	case f.Halted:
		return "state", "printing", "halted"
	case len(w.Options) != len(f.Options):
		return "options", fmt.Sprint(w.Options), fmt.Sprint(f.Options)
	}
	for k, v := range w.Options {
		if has := f.Options[k]; fmt.Sprint(v) != fmt.Sprint(has) {
			return k, fmt.Sprint(v), fmt.Sprint(has)
		}
	}
	return "", "", ""
}

func short(digest string) string { return digest[:min(len(digest), 12)] }

// A Failure is a step that did not succeed.
type Failure struct {
	Name  string    `json:"name,omitempty" doc:"The queue's, on the server; empty of a driver."`
	Exact string    `json:"exact,omitempty" doc:"The driver's."`
	Step  string    `json:"step" enum:"driver,add,take,change,remove"`
	Says  string    `json:"says" doc:"The spooler's own words."`
	Since time.Time `json:"since"`
}

// A Difference is one way in which a server is not as it should be.
type Difference struct {
	Name   string `json:"name" doc:"The queue's, on the server."`
	Queue  string `json:"queue,omitempty" doc:"The estate's."`
	Kind   string `json:"kind" enum:"missing,extra,differs,in-the-way,other"`
	What   string `json:"what,omitempty" doc:"In what it differs."`
	Wanted string `json:"wanted,omitempty"`
	Found  string `json:"found,omitempty"`
}

// Drift lists how what was found differs from what is wanted, by name. Queues that Cirque did not make are among it
// where they are to be reported, or stand in the way.
func Drift(wants []Now, found []Found, reportOthers bool) []Difference {
	out := []Difference{}
	byName := make(map[string]*Found, len(found))
	for i := range found {
		byName[name.Fold(found[i].Name)] = &found[i]
	}
	wanted := make(map[string]bool, len(wants))
	for _, w := range wants {
		wanted[name.Fold(w.Name)] = true
		f := byName[name.Fold(w.Name)]
		switch {
		case f == nil:
			out = append(out, Difference{Name: w.Name, Queue: w.Queue, Kind: "missing"})
		case !f.Own:
			out = append(out, Difference{Name: w.Name, Queue: w.Queue, Kind: "in-the-way"})
		default:
			if what, want, have := Differs(w, *f); what != "" {
				out = append(out, Difference{w.Name, w.Queue, "differs", what, want, have})
			}
		}
	}
	for _, f := range found {
		switch {
		case wanted[name.Fold(f.Name)]:
		case f.Own:
			out = append(out, Difference{Name: f.Name, Queue: f.Queue, Kind: "extra"})
		case reportOthers:
			out = append(out, Difference{Name: f.Name, Kind: "other"})
		}
	}
	slices.SortStableFunc(out, func(a, b Difference) int { return cmp.Compare(a.Name, b.Name) })
	return out
}

// Package server works out what a print server that Cirque keeps is to have, what leads there from what it has, and
// why. The agent on the server and the service both work from it, so that they cannot disagree.
package server

import (
	"cmp"
	"slices"
	"time"

	"cirque/core/estate"
	"cirque/core/hours"
	"cirque/core/span"
)

// MostPeople is how many names a server is given at most of those who may print, or may not.
const MostPeople = 2000

// A Want is one shared queue that a server is to have.
type Want struct {
	Name    string         `json:"name" yaml:"name" doc:"On the server."`
	Queue   string         `json:"queue" yaml:"queue" doc:"The estate's queue."`
	Comment string         `json:"comment,omitempty" yaml:"comment,omitempty"`
	Place   string         `json:"place,omitempty" yaml:"place,omitempty" doc:"Where it is, in words."`
	Devices []string       `json:"devices" yaml:"devices" doc:"The URIs to which it leads; several are a class of member queues."`
	Driver  string         `json:"driver" yaml:"driver" doc:"A driver's name, or driverless; empty where what is taken is passed on as it is."`
	Exact   string         `json:"exact,omitempty" yaml:"exact,omitempty" doc:"The driver's exact name."`
	Package string         `json:"package,omitempty" yaml:"package,omitempty" doc:"The digest of the driver package that has it now."`
	Options map[string]any `json:"options,omitempty" yaml:"options,omitempty" doc:"The queue's defaults, by their IPP names."`
	Units   *estate.Units  `json:"units,omitempty" yaml:"units,omitempty"`
	People  People         `json:"people" yaml:"people"`
	Running `yaml:",inline"`
	Times   `yaml:",inline"`
}

// Running is how a server runs a queue besides.
type Running struct {
	Finished      span.Span `json:"finished,omitempty" yaml:"finished,omitempty"`
	Mismatch      string    `json:"mismatch,omitempty" yaml:"mismatch,omitempty"`
	Order         string    `json:"order,omitempty" yaml:"order,omitempty"`
	ColourProfile string    `json:"colour_profile,omitempty" yaml:"colour_profile,omitempty"`
}

// Times are when a queue takes jobs, and until when it is there, so that a server keeps to them by itself.
type Times struct {
	Paused bool            `json:"paused,omitempty" yaml:"paused,omitempty"`
	Open   []estate.Window `json:"open,omitempty" yaml:"open,omitempty"`
	Until  string          `json:"until,omitempty" yaml:"until,omitempty"`
	Zone   string          `json:"zone,omitempty" yaml:"zone,omitempty" doc:"By whose clock, an IANA name; UTC when absent."`
}

// A Zone gives a time zone by its IANA name, nil for one that is not known.
type Zone func(name string) *time.Location

// zone is the clock of a want; UTC where its own is not known.
func (t Times) zone(of Zone) *time.Location {
	if t.Zone != "" && of != nil {
		if z := of(t.Zone); z != nil {
			return z
		}
	}
	return time.UTC
}

func (t Times) week() hours.Week {
	var out hours.Week
	for _, w := range t.Open {
		if x, err := hours.Parse(w.Days, w.From, w.To); err == nil { // Parse has refused any other
			out = append(out, x)
		}
	}
	return out
}

// Over says whether a queue's end has come.
func (t Times) Over(at time.Time, of Zone) bool {
	end, _ := hours.ParseEnd(t.Until) // Parse has refused any other
	return end.Over(hours.At(at, t.zone(of)))
}

// Refuses says why a queue takes no jobs at a time, in a sentence; "" where it takes them.
func (w Want) Refuses(at time.Time, of Zone) string {
	if w.People.Nobody() {
		return "nobody may print to the queue " + w.Queue
	}
	return hours.RefusalOf(w.Queue, w.Paused, hours.Schedule{Week: w.week()}, at, w.zone(of)).Says
}

// A Now is a want at one moment: whether it takes jobs is decided.
type Now struct {
	Want   `yaml:",inline"`
	Closed string `json:"closed,omitempty" yaml:"closed,omitempty" doc:"Why it takes no jobs, in a sentence; empty where it takes them."`
}

// At gives what is to be there at a moment, in the order of wants, and when that next changes by itself; the zero time
// where it does not within hours.Horizon.
func At(wants []Want, at time.Time, of Zone) (out []Now, next time.Time) {
	out = make([]Now, 0, len(wants))
	for _, w := range wants {
		if w.Over(at, of) {
			continue
		}
		out = append(out, Now{w, w.Refuses(at, of)})
		if w.Until == "" && w.Open == nil {
			continue
		}
		end, _ := hours.ParseEnd(w.Until)
		s := hours.Schedule{Week: w.week(), End: end}
		if edge, ok := s.NextEdge(at, w.zone(of)); ok && (next.IsZero() || edge.Before(next)) {
			next = edge
		}
		if gone, ok := end.In(w.zone(of)); ok && gone.After(at) && (next.IsZero() || gone.Before(next)) {
			next = gone
		}
	}
	return out, next
}

// A Point is something of the estate that a server cannot be given, or not as it stands.
type Point struct {
	Kind  string `json:"kind" enum:"people,unknown-people,members,name,no-device,plugged-in,driver,keeper,colour-profile,mismatch,order,finished,units,render"`
	Queue string `json:"queue,omitempty" doc:"The estate's queue; empty where it is about the whole server."`
	Name  string `json:"name,omitempty" doc:"The queue's name on the server."`
	More  bool   `json:"more,omitempty" doc:"The server lets more people print than the estate."`
	Says  string `json:"says"`
	Fix   string `json:"fix"`
}

// SortPoints puts points in the order of their names, those of the whole server first.
func SortPoints(list []Point) {
	slices.SortStableFunc(list, func(a, b Point) int {
		return cmp.Or(cmp.Compare(a.Name, b.Name), cmp.Compare(a.Kind, b.Kind))
	})
}

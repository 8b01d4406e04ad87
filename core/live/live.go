// Package live holds live state: what is on duty just now. It is a plain value; who keeps it is the caller's business.
package live

import (
	"maps"
	"slices"
	"time"
)

// A Duty says whether a server or device may be relied on.
type Duty string

// The duties; what is not mentioned in a State is Serving.
const (
	Serving Duty = "serving"
	Drained Duty = "drained" // taken out on purpose
	Down    Duty = "down"    // found not to answer
)

// Valid says whether d is one of the duties.
func (d Duty) Valid() bool { return d == Serving || d == Drained || d == Down }

// A State holds the duties that differ from Serving, by name, and what people have picked. The zero State has
// everything serving and nothing picked.
type State struct {
	Servers map[string]Duty
	Devices map[string]Duty
	Shares  map[string]float64  // of servers that are returning: the part of their people that they take back already
	Picks   map[string][]string // queues, by folded user name
	Lists   map[string]*List    // what servers have, of those that told lately; any other may have anything
}

// Equal says whether two states are the same.
func (s State) Equal(o State) bool {
	return maps.Equal(s.Servers, o.Servers) && maps.Equal(s.Devices, o.Devices) && maps.Equal(s.Shares, o.Shares) &&
		maps.EqualFunc(s.Picks, o.Picks, slices.Equal[[]string]) && maps.EqualFunc(s.Lists, o.Lists, (*List).Same)
}

// Server gives a server's duty.
func (s State) Server(name string) Duty { return orServing(s.Servers[name]) }

// Device gives a device's duty.
func (s State) Device(name string) Duty { return orServing(s.Devices[name]) }

// Share gives the part of its people that a server takes: 1 but while it is returning.
func (s State) Share(name string) float64 {
	if share, ok := s.Shares[name]; ok {
		return share
	}
	return 1
}

func orServing(d Duty) Duty {
	if d == "" {
		return Serving
	}
	return d
}

// A Note is a duty with who set it, when and why.
type Note struct {
	Kind   string     `json:"kind" enum:"server,device"`
	Name   string     `json:"name"`
	Duty   Duty       `json:"duty" enum:"serving,drained,down"`
	Reason string     `json:"reason"`
	Author string     `json:"author"`
	Since  time.Time  `json:"since"`
	Share  float64    `json:"share" doc:"The part of its people that it takes: below 1 only while it is returning."`
	Begun  *time.Time `json:"begun" doc:"When its return began."`
	Until  *time.Time `json:"until" doc:"When a drain ends by itself, or a return is complete; null where nobody said."`
	Moving int        `json:"moving" doc:"How many endpoints led to it when it went out of duty."`
}

// shareSteps is in how many steps a returning server takes its people back.
const shareSteps = 20

// Grown gives the share of a returning server at a time; it grows evenly, in steps, and is 1 at the end.
func (n Note) Grown(now time.Time) float64 {
	if n.Duty != Serving || n.Begun == nil || n.Until == nil || !now.Before(*n.Until) {
		return 1
	}
	part := float64(now.Sub(*n.Begun)) / float64(n.Until.Sub(*n.Begun))
	return min(1, max(1, float64(int(part*shareSteps)))/shareSteps)
}

// Ends says whether a drain's time is over.
func (n Note) Ends(now time.Time) bool {
	return n.Duty == Drained && n.Until != nil && !now.Before(*n.Until)
}

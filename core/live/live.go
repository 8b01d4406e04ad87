// Package live holds live state: what is on duty just now. It is a plain value; who keeps it is the caller's business.
package live

import "time"

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

// A State holds the duties that differ from Serving, by name, and what people have picked. The zero State has everything
// serving and nothing picked.
type State struct {
	Servers map[string]Duty
	Devices map[string]Duty
	Picks   map[string][]string // queues, by folded user name
}

// Server gives a server's duty.
func (s State) Server(name string) Duty { return orServing(s.Servers[name]) }

// Device gives a device's duty.
func (s State) Device(name string) Duty { return orServing(s.Devices[name]) }

func orServing(d Duty) Duty {
	if d == "" {
		return Serving
	}
	return d
}

// A Note is a duty with who set it, when and why.
type Note struct {
	Kind   string    `json:"kind" enum:"server,device"`
	Name   string    `json:"name"`
	Duty   Duty      `json:"duty" enum:"serving,drained,down"`
	Reason string    `json:"reason"`
	Author string    `json:"author"`
	Since  time.Time `json:"since"`
}

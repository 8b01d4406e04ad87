package server

import (
	"slices"
	"time"

	"cirque/core/fault"
	"cirque/core/name"
)

// Limits on a report.
const (
	MaxFound    = 20000
	MaxFailures = 4096
)

// An Ask is what an agent asks with, that is to keep its machine's spooler as a print server's.
type Ask struct {
	Machine string `json:"machine" maxLength:"256"`
}

// A Serving is what such an agent is told.
type Serving struct {
	Server   string   `json:"server" doc:"The server that this machine keeps; empty where the estate has none."`
	Platform string   `json:"platform" doc:"For which its drivers are."`
	Others   string   `json:"others,omitempty" enum:"leave,report"`
	Revision int      `json:"revision"`
	Wants    []Want   `json:"wants"`
	Onward   []Onward `json:"onward,omitempty" doc:"Where jobs go on to that wait here, while this server is out of duty."`
	Tasks    []Task   `json:"tasks,omitempty"`
	Take     []string `json:"take,omitempty" doc:"Queues on it, by their names there, that somebody else made and that are to become Cirque's own."`
}

// A Report is what an agent says of the server that it keeps.
type Report struct {
	Machine  string    `json:"machine" maxLength:"256"`
	Version  string    `json:"version" maxLength:"64"`
	Platform string    `json:"platform" maxLength:"32"`
	Spooler  string    `json:"spooler" maxLength:"64"`
	Server   string    `json:"server" maxLength:"63" doc:"That it keeps; empty where the estate has none for its machine."`
	Revision int       `json:"revision" doc:"Of the estate from which what it keeps came."`
	Found    []Found   `json:"found" maxItems:"20000"`
	Failures []Failure `json:"failures" maxItems:"4096"`
	Points   []Point   `json:"points,omitempty" maxItems:"4096" doc:"What its spooler cannot do of what is wanted."`
	Done     []Done    `json:"done,omitempty" maxItems:"1000" doc:"What came of tasks; told until the service has heard."`
	Passed   []Passed  `json:"passed,omitempty" maxItems:"20000" doc:"What became of the jobs that waited, while it is out of duty."`
	Ended    []Ended   `json:"ended,omitempty" maxItems:"1000" doc:"Jobs that have ended since the service last heard of some."`
	Unread   string    `json:"unread,omitempty" maxLength:"1024" doc:"Why its spooler could not be read; then what was found is as it was before."`
}

// Check holds the report to its limits.
func (r Report) Check() error {
	if !name.Valid(r.Machine) || len(r.Found) > MaxFound || len(r.Failures) > MaxFailures {
		return fault.New(fault.Invalid, "report-invalid", "update the agent", "the report names no machine, or is too long")
	}
	return nil
}

// A Record is a keeper as the service knows it.
type Record struct {
	FirstSeen time.Time `json:"first_seen"`
	LastSeen  time.Time `json:"last_seen"`
	Report    Report    `json:"report"`
}

// Versioned is a record with the version of it that was read.
type Versioned struct {
	Record
	Version string
}

// Troubled says whether a step failed, or the agent has not been heard of for longer than it should: it is to report so
// often.
func (r Record) Troubled(now time.Time, every time.Duration) bool {
	return now.Sub(r.LastSeen) > SilentAfter*every || len(r.Report.Failures) > 0 || r.Report.Unread != ""
}

// A State is how a kept server stands.
type State string

// The states.
const (
	AsWanted State = "as-wanted" // it has what it should
	Behind   State = "behind"    // it differs, and has not said that a step failed
	Failing  State = "failing"   // a step failed, or its spooler cannot be read
	Silent   State = "silent"    // its agent has not been heard of for longer than it should
	Waiting  State = "waiting"   // its agent has never been heard of
)

// SilentAfter is how many intervals of reporting may be missed before a server counts as silent.
const SilentAfter = 3

// StateOf judges a kept server whose agent is to report so often; nil is one that never did.
func StateOf(r *Record, drift []Difference, now time.Time, every time.Duration) State {
	switch {
	case r == nil:
		return Waiting
	case now.Sub(r.LastSeen) > SilentAfter*every:
		return Silent
	case r.Troubled(now, every):
		return Failing
	case slices.ContainsFunc(drift, func(d Difference) bool { return d.Kind != "other" }):
		return Behind
	}
	return AsWanted
}

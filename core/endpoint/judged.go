package endpoint

import (
	"time"

	"cirque/core/lineup"
)

// Judged is a record with what follows from it now.
type Judged struct {
	Record
	State State        `json:"state" enum:"converged,behind,failing,silent"`
	Drift []Difference `json:"drift"`
	Says  []string     `json:"says" doc:"How its people are known, where that does not work out."`
	Away  []string     `json:"away,omitempty" doc:"Queues that it has for where it is, and would lose on another network; told of one endpoint alone."`

	Attached []AttachedAs `json:"attached,omitzero" required:"false" doc:"What is plugged into it, beside the estate's devices; absent where its agent does not tell. Told of one endpoint alone."`
}

// An Overview counts what there is and how it fares.
type Overview struct {
	Revision  int              `json:"revision"`
	Author    string           `json:"author"`
	Reason    string           `json:"reason"`
	At        *time.Time       `json:"at"`
	Estate    map[string]int   `json:"estate" doc:"Objects by list."`
	Directory map[string]int   `json:"directory"`
	Endpoints map[State]int    `json:"endpoints" doc:"By state."`
	Behind    bool             `json:"behind" doc:"Some endpoints have yet to be judged against the latest change: their states are those before it."`
	Findings  []lineup.Finding `json:"findings" doc:"The first hundred."`
	Remarks   int              `json:"remarks" doc:"How many findings there are."`
}

// Before is how an endpoint stood before a report.
type Before struct {
	Known   bool // it had reported
	Failing bool // a step had failed
}

package event

import "time"

// A Place is where an event stands among all, in an order in which none comes later before one that was read.
type Place struct {
	Transaction string // a number; "" is before all
	ID          int64
}

// A Forwarding is how far the audit has been sent to somebody who takes it.
type Forwarding struct {
	Target  string     `json:"target,omitempty" doc:"As settings.audit says; absent where it is sent nowhere."`
	At      *time.Time `json:"at,omitempty" doc:"When something of it arrived last."`
	Waiting int        `json:"waiting" doc:"How many entries have not surely arrived; 1000 for as many or more."`
	Code    string     `json:"code,omitempty" doc:"Why it cannot be sent just now; absent while it can."`
	Says    string     `json:"says,omitempty"`
	Fix     string     `json:"fix,omitempty"`
	Since   time.Time  `json:"since,omitzero" doc:"Since when it can, or cannot."`
	Place   Place      `json:"-"` // of the last entry that surely arrived
}

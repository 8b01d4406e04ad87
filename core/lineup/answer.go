package lineup

import "cirque/core/path"

// A Lineup is the answer to a context: the ordered queues that it receives, and those that were considered and left
// out.
type Lineup struct {
	Context  Echo      `json:"context"`
	Revision int       `json:"revision" doc:"The estate's revision that was asked."`
	Entries  []Entry   `json:"entries"`
	LeftOut  []LeftOut `json:"left_out"`
}

// Effects of an entry.
const (
	Placed  = "placed"
	Picked  = "picked"
	Offered = "offered"
)

// An Entry is one queue of a lineup.
type Entry struct {
	Queue        string         `json:"queue"`
	Title        *string        `json:"title"`
	Effect       string         `json:"effect" enum:"placed,picked,offered"`
	Scope        string         `json:"scope" enum:"machine,user"`
	Default      bool           `json:"default"`
	Insist       bool           `json:"insist"`
	IfRemoved    string         `json:"if_removed" enum:"restore,leave"`
	Stranded     bool           `json:"stranded" doc:"Granted, but no path is usable just now."`
	NotAccepting *string        `json:"not_accepting" enum:"paused,hours"`
	Distance     *int           `json:"distance" doc:"Steps in the tree of locations; null where there is none."`
	Path         Taken          `json:"path"`
	Driver       string         `json:"driver" doc:"A driver's name, or driverless."`
	Exact        *string        `json:"exact" doc:"The driver's exact name; null when driverless."`
	Options      map[string]any `json:"options"`
	Grants       []string       `json:"grants"`

	wire *wire // what never changes of it, as JSON
}

// Taken is the path that an entry takes.
type Taken struct {
	Through path.Through `json:"through" enum:"device,server,set,gateway"`
	Device  *string      `json:"device"`
	Server  *string      `json:"server"`
	Set     *string      `json:"set"`
	URI     string       `json:"uri"`
}

// A Reason says why a considered queue is not in the lineup.
type Reason string

// The reasons, in the order in which they are looked at.
const (
	Withheld     Reason = "withheld"
	Retired      Reason = "retired"
	NotPermitted Reason = "not-permitted"
	NoPath       Reason = "no-path"
	NoDriver     Reason = "no-driver"
	NotNearest   Reason = "not-nearest"
	NoDistance   Reason = "no-distance"
)

// A LeftOut is a queue that was considered and is not in the lineup.
type LeftOut struct {
	Queue  string   `json:"queue"`
	Reason Reason   `json:"reason" enum:"withheld,retired,not-permitted,no-path,no-driver,not-nearest,no-distance"`
	Grants []string `json:"grants"`
}

// What an entry's NotAccepting says.
const (
	ByPause = "paused" // it is paused
	ByHours = "hours"  // its hours are not open
)

package decommission

import (
	"time"
)

// A Leaving is what still leads to a server, and who uses it.
type Leaving struct {
	Dependents
	Grants []string   `json:"grants" doc:"Those that select the queues."`
	People int        `json:"people" doc:"Who would lose a queue, or find it stranded, were it gone just now."`
	Unused bool       `json:"unused" doc:"Nothing depends on it: it may be switched off."`
	Says   string     `json:"says"`
	Lately []LateUse  `json:"lately" doc:"Who printed through it, from the server's own list of ended jobs."`
	Since  *time.Time `json:"since" doc:"The oldest job that it remembers."`
	Kept   *time.Time `json:"kept" doc:"Since when it is kept without a gap who printed through it; null where that is not known."`
	Told   string     `json:"told" doc:"What is known of late use: that it was read, or why it was not."`
}

// A LateUse is one person's use of one queue.
type LateUse struct {
	Queue string     `json:"queue"`
	Owner string     `json:"owner"`
	From  string     `json:"from,omitempty"`
	Jobs  int        `json:"jobs"`
	Last  *time.Time `json:"last"`
}

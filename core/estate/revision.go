package estate

import "time"

// A Revision is one published state of the estate. Revisions are numbered from 1 and never altered.
type Revision struct {
	Number int       `json:"number"`
	Author string    `json:"author"`
	Reason string    `json:"reason"`
	At     time.Time `json:"at"`
}

package estate

import "time"

// A Revision is one published state of the estate. Revisions are numbered from 1 and never altered.
type Revision struct {
	Number int        `json:"number"`
	Author string     `json:"author"`
	Reason string     `json:"reason"`
	At     *time.Time `json:"at" doc:"Null where there is none yet."`
}

// Same says whether two are one revision: the time counts too, since a database that was put back from a copy may
// number anew.
func (r Revision) Same(o Revision) bool {
	return r.Number == o.Number && (r.At == o.At || r.At != nil && o.At != nil && r.At.Equal(*o.At))
}

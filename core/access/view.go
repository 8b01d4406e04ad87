package access

import "time"

// A KeptView is a list of the console as somebody keeps it: what narrows and orders it, under a name of theirs.
type KeptView struct {
	Page   string    `json:"page" doc:"The list, such as queues."`
	Name   string    `json:"name"`
	Search string    `json:"search" doc:"What narrows and orders the list, as it stands in the page's address after the question mark."`
	At     time.Time `json:"at" doc:"When it was kept."`
	Shared bool      `json:"shared" doc:"All accounts see it; its owner alone keeps and forgets it."`
	Owner  string    `json:"owner,omitempty" doc:"Whose it is, where it is somebody else's that is shared."`
}

// ViewsMost is how many views one account keeps at most.
const ViewsMost = 200

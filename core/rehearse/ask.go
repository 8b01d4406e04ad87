package rehearse

import (
	"time"

	"cirque/core/document"
	"cirque/core/lineup"
)

// An Ask says what is to be rehearsed; at least one of its parts is given, else one's own draft is meant.
type Ask struct {
	Draft    string          // the name of one's own draft
	Revision int             // a former revision, were it current again
	Files    []document.File // these, were they published
	Merge    bool            // the files add and replace only what they name
	Without  []string        // what goes down: server:N, set:N, device:N, site:N, location:P, subnet:CIDR
	Moves    []string        // who moves where in the directory: user:N=unit:P, user:N=+group:G, user:N=-group:G
	All      bool            // look at everybody, even where the change cannot touch them
}

// An EffectSheet is all that changes in one context.
type EffectSheet struct {
	Kind     string       `json:"kind" enum:"user,machine"`
	Name     string       `json:"name"`
	Context  lineup.Query `json:"context"`
	Location string       `json:"location"`
	Seen     bool         `json:"seen" doc:"An endpoint reported the context; else nothing is known but who it is."`
	Items    []Item       `json:"items"`
}

// A RollSheet is who has a queue, at a moment or throughout a time.
type RollSheet struct {
	Queue     string    `json:"queue"`
	From      time.Time `json:"from"`
	Until     time.Time `json:"until"`
	Revisions []int     `json:"revisions" doc:"The revisions that were current in that time."`
	Looked    Count     `json:"looked" doc:"Everybody; who is not among the holders has it not."`
	Permitted Count     `json:"permitted" doc:"Who may print to it by its access rules, whatever grants say."`
	Have      Count     `json:"have" doc:"Who has it, on all pages."`
	Holders   []Holder  `json:"holders" doc:"People first, by name; a part of all."`
	Total     int       `json:"total" doc:"How many there are on all pages."`
	Next      string    `json:"next" doc:"What to give as after to have the next page; empty on the last one."`
}

// Key names a subject, or whoever holds something.
func Key(kind, called string) string { return kind + " " + called }

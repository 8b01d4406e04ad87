package api

import (
	"time"

	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/rehearse"
)

// A Draft is one's own draft with what it comes to.
type Draft struct {
	estate.Draft
	Current   int               `json:"current" doc:"The newest revision; where it is not the base, publishing merges."`
	Total     int               `json:"total" doc:"How many objects it changes."`
	Changes   []estate.Diff     `json:"changes" doc:"Object by object; at most the first thousand."`
	Conflicts []estate.Conflict `json:"conflicts" doc:"What clashes with what has been published since."`
	Objects   map[string]int    `json:"objects" doc:"By list, with the changes made."`
}

// Apply puts files into a draft.
type Apply struct {
	Merge bool            `json:"merge,omitempty" doc:"Add and replace only the objects named; else the draft then equals the files."`
	Files []document.File `json:"files" minItems:"1" maxItems:"1000"`
}

// Edits change objects of a draft, all or none.
type Edits struct {
	Version *int64        `json:"version,omitempty" doc:"Of the draft that they were made on; where it has moved on, they are refused."`
	Edits   []estate.Edit `json:"edits" minItems:"1" maxItems:"10000"`
}

// PublishDraft publishes one's own draft.
type PublishDraft struct {
	Reason        string `json:"reason" maxLength:"1000" doc:"Why, in a few words."`
	Version       *int64 `json:"version,omitempty" doc:"Of the draft that was looked at; where it has moved on, nothing is published."`
	BreakPromises bool   `json:"break_promises,omitempty" doc:"Publish although promises that are kept now would be broken."`
}

// PublishAt has one's own draft wait for the moment at which it is published.
type PublishAt struct {
	PublishDraft
	At time.Time `json:"at" doc:"A moment of the coming year."`
}

// Comment is said of a draft.
type Comment struct {
	Says   string `json:"says" minLength:"1" maxLength:"4000"`
	List   string `json:"list,omitempty" maxLength:"32" doc:"With object, what it is about where it is about one object that the draft changes."`
	Object string `json:"object,omitempty" maxLength:"256"`
}

// Reason says why.
type Reason struct {
	Reason string `json:"reason" maxLength:"1000" doc:"Why, in a few words."`
}

// Revert says why a former revision is to be current again.
type Revert struct {
	Reason        string `json:"reason" maxLength:"1000" doc:"Why, in a few words."`
	BreakPromises bool   `json:"break_promises,omitempty" doc:"Publish although promises that are kept now would be broken."`
}

// Diffs are the differences between two revisions.
type Diffs struct {
	From  int           `json:"from"`
	To    int           `json:"to"`
	Total int           `json:"total"`
	Diffs []estate.Diff `json:"diffs" doc:"At most the first thousand."`
}

// Rehearse says what is to be rehearsed; where nothing is given, one's own draft is.
type Rehearse struct {
	Draft    string          `json:"draft,omitempty" maxLength:"63" doc:"The name of one's own draft."`
	Revision int             `json:"revision,omitempty" minimum:"0" doc:"A former revision, were it current again."`
	Files    []document.File `json:"files,omitempty" maxItems:"1000" doc:"An estate, were it published."`
	Merge    bool            `json:"merge,omitempty" doc:"The files add and replace only the objects that they name."`
	Without  []string        `json:"without,omitempty" maxItems:"1000" doc:"What goes down: server:N, set:N, device:N, site:N, location:P or subnet:CIDR."`
	Moves    []string        `json:"moves,omitempty" maxItems:"1000" doc:"Who moves where in the directory: user:N=unit:P, user:N=+group:G or user:N=-group:G; machine: likewise."`
	All      bool            `json:"all,omitempty" doc:"Look at everybody, even where the change cannot touch them; the result is the same."`
}

// A RehearsalLine is one line of a rehearsal under way; exactly one part is there.
type RehearsalLine struct {
	Progress  *Progress  `json:"progress,omitempty"`
	Rehearsal *Rehearsal `json:"rehearsal,omitempty" doc:"The last line, when it succeeded."`
	Problem   *Problem   `json:"problem,omitempty" doc:"The last line, when it did not."`
}

// Progress says how far long work is.
type Progress struct {
	Done  int `json:"done"`
	Total int `json:"total"`
}

// A Rehearsal is what came of one.
type Rehearsal struct {
	ID   string   `json:"id" doc:"By which the contexts behind its figures are found, for a while."`
	Down []string `json:"down" doc:"What was taken to be down."`
	rehearse.Report
}

// Changed says whether something was altered, or was so already.
type Changed struct {
	Changed bool   `json:"changed"`
	Says    string `json:"says"`
}

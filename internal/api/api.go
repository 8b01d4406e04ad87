// Package api holds the messages of the HTTP API as Go types; the OpenAPI document is made from them.
package api

import (
	"time"

	"cirque/core/access"
	"cirque/core/document"
	"cirque/core/driver"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/job"
	"cirque/core/lineup"
	"cirque/core/readiness"
)

// A Problem is an error (RFC 9457) with a stable code, the fix, and the single places.
type Problem struct {
	Type      string         `json:"type" doc:"about:blank: the code says which it is."`
	Title     string         `json:"title"`
	Status    int            `json:"status"`
	Detail    string         `json:"detail"`
	Code      string         `json:"code" doc:"Stable, for programs."`
	Kind      fault.Kind     `json:"kind" doc:"The sort of failure."`
	Fix       string         `json:"fix,omitempty" doc:"What to do about it."`
	Places    []fault.Detail `json:"places,omitempty" doc:"What is wrong where."`
	RequestID string         `json:"request_id,omitempty" doc:"Stands in the service's log."`
}

// Error makes a Problem an error.
func (p *Problem) Error() string { return p.Detail }

// Fault turns a problem back into the fault that it was made of.
func (p *Problem) Fault() *fault.Error {
	return &fault.Error{Kind: p.Kind, Code: p.Code, What: p.Detail, Fix: p.Fix, Details: p.Places}
}

// WriteNote writes a note.
type WriteNote struct {
	Note string `json:"note" maxLength:"8000" doc:"Empty for none; it may have several lines."`
}

// OnceHeader is by what whoever sends a change again says that it is the same one (IETF
// draft-ietf-httpapi-idempotency-key-header).
const OnceHeader = "Idempotency-Key"

// Health says how the service does.
type Health struct {
	Status  string `json:"status" enum:"ok,not-ready"`
	Says    string `json:"says,omitempty"`
	Version string `json:"version"`
}

// Readiness says how the service does, and what stands in the way of more.
type Readiness struct {
	Health
	readiness.Report
}

// Files are documents by name.
type Files struct {
	Files []document.File `json:"files" minItems:"1" maxItems:"1000"`
}

// Publish makes files the next revision.
type Publish struct {
	Reason        string          `json:"reason" maxLength:"1000" doc:"Why, in a few words."`
	Files         []document.File `json:"files" minItems:"1" maxItems:"1000"`
	BreakPromises bool            `json:"break_promises,omitempty" doc:"Publish although promises that are kept now would be broken."`
}

// Published says which revision is current now.
type Published struct {
	Revision  estate.Revision `json:"revision"`
	Unchanged bool            `json:"unchanged" doc:"The estate was already so; nothing was published."`
}

// CheckEstate says what is to be looked at: files, else a revision, else one's own draft.
type CheckEstate struct {
	Files    []document.File `json:"files,omitempty" maxItems:"1000"`
	Merge    bool            `json:"merge,omitempty" doc:"The files add and replace only the objects that they name."`
	Revision int             `json:"revision,omitempty" minimum:"0" doc:"A former revision, as it would be were it current again."`
	Draft    string          `json:"draft,omitempty" maxLength:"63" doc:"The name of one's own draft; main when absent."`
	Brief    bool            `json:"brief,omitempty" doc:"Only what would change: nothing is remarked on."`
}

// Checked is a document that may be published.
type Checked struct {
	Objects  map[string]int   `json:"objects" doc:"By list."`
	Findings []lineup.Finding `json:"findings"`
	New      []lineup.Finding `json:"new" doc:"Those of the findings that are not so of what is current."`
	Total    int              `json:"total" doc:"How many objects it would change of what is current."`
	Changes  []estate.Diff    `json:"changes" doc:"Object by object; at most the first thousand."`
	Takes    []estate.Taking  `json:"takes" doc:"Lists of which it would take out all, or most."`
}

// Estate is a revision with its document.
type Estate struct {
	Revision estate.Revision  `json:"revision"`
	Document *estate.Document `json:"document" nullable:"false"`
}

// DrainServer takes a server out of duty.
type DrainServer struct {
	Reason string     `json:"reason" maxLength:"1000" doc:"Why, in a few words."`
	Until  *time.Time `json:"until,omitempty" doc:"It returns by itself then."`
}

// Why asks about one queue.
type Why struct {
	Context lineup.Query `json:"context"`
	Queue   string       `json:"queue" minLength:"1" maxLength:"256"`
}

// SendTestPage asks for a test page.
type SendTestPage struct {
	Why
	Anyway bool `json:"anyway,omitempty" doc:"Also to a queue that takes no jobs at present: it is paused, or closed by its hours."`
}

// NewRequest asks for a queue.
type NewRequest struct {
	Queue  string `json:"queue" minLength:"1" maxLength:"256"`
	Reason string `json:"reason" minLength:"1" maxLength:"1024"`
}

// AnswerRequest grants a request or declines it.
type AnswerRequest struct {
	Grant bool   `json:"grant"`
	Says  string `json:"says,omitempty" maxLength:"1024" doc:"What the person reads; needed to decline."`
}

// AnsweredRequest is a request that was answered.
type AnsweredRequest struct {
	Request access.Request `json:"request"`
	Changes int            `json:"changes" doc:"How many objects the answerer's draft changes now; 0 for one that was declined, or given already."`
	Remarks []string       `json:"remarks" doc:"What keeps the queue from the person all the same, such as its access."`
}

// Called is an endpoint that was asked to report.
type Called struct {
	Endpoint  endpoint.Judged `json:"endpoint"`
	Otherwise string          `json:"otherwise" doc:"How long it would take without being called."`
}

// NewFailoverTest begins one.
type NewFailoverTest struct {
	Reason  string `json:"reason" maxLength:"400"`
	Minutes int    `json:"minutes" minimum:"1" maximum:"720" doc:"How long the server is out of duty."`
}

// NewSnapshot takes one.
type NewSnapshot struct {
	Name string `json:"name" maxLength:"63"`
	Note string `json:"note,omitempty" maxLength:"400"`
}

// TellPrintResult says what came out of a device.
type TellPrintResult struct {
	Result string `json:"result" enum:"good,garbled,nothing"`
	Note   string `json:"note,omitempty" maxLength:"1000"`
}

// Alternatives are drivers to try for a model.
type Alternatives struct {
	Model        string               `json:"model" doc:"Of the device behind the queue; empty where it is not known."`
	Alternatives []driver.Alternative `json:"alternatives"`
}

// TestPage says where a test page went.
type TestPage struct {
	Queue   string       `json:"queue"`
	Context lineup.Echo  `json:"context" doc:"Who, at which machine, from which address: the subject of the test."`
	Path    lineup.Taken `json:"path"`
	SentTo  string       `json:"sent_to"`
	Driver  string       `json:"driver"`
	Person  string       `json:"person,omitempty"`
	At      time.Time    `json:"at"`
	// Recorded says that it is in the audit.
	Recorded bool `json:"recorded" doc:"It is in the audit; false where that could not be written."`
	job.Outcome
}

// A Signal tells a watching client what to read again.
type Signal struct {
	What    string `json:"what" enum:"estate,directory,sources,live,access,enrolment,draft,endpoint,event,stock,drivers,driver-places,kept-servers,lost"`
	Subject string `json:"subject"`
}

// KeepView is a list of the console as somebody keeps it.
type KeepView struct {
	Search string `json:"search" maxLength:"2048" doc:"What narrows and orders the list, as it stands in the page's address after the question mark."`
	Shared bool   `json:"shared,omitempty" doc:"All accounts are to see it."`
}

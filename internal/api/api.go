// Package api holds the messages of the HTTP API as Go types; the OpenAPI document is made from them.
package api

import (
	"cmp"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/document"
	"cirque/core/driver"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/job"
	"cirque/core/lineup"
	"cirque/core/rehearse"
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

// Health says how the service does.
type Health struct {
	Status  string `json:"status" enum:"ok,not-ready"`
	Says    string `json:"says,omitempty"`
	Version string `json:"version"`
}

// SignIn is a name and password.
type SignIn struct {
	Name     string `json:"name" minLength:"1" maxLength:"256"`
	Password string `json:"password" minLength:"1" maxLength:"1024"`
}

// SetUp makes the first account.
type SetUp struct {
	Code     string `json:"code" minLength:"1" maxLength:"128" doc:"From the file setup-code in the data directory."`
	Name     string `json:"name" minLength:"1" maxLength:"256"`
	Password string `json:"password" minLength:"1" maxLength:"1024" doc:"At least 12 characters."`
}

// Me is who is signed in.
type Me struct {
	SignedIn   bool        `json:"signed_in"`
	NeedsSetUp bool        `json:"needs_set_up" doc:"The first account is still to be made."`
	Name       string      `json:"name,omitempty"`
	Role       access.Role `json:"role,omitempty" doc:"The mightiest of what is held."`
	Machine    string      `json:"machine,omitempty"`
	Version    string      `json:"version"`

	User  string           `json:"user,omitempty" doc:"The person that this is in lineups."`
	Holds []access.Holding `json:"holds,omitempty"`
	May   []access.Action  `json:"may,omitempty" doc:"What may be done, somewhere at least."`
}

// Files are documents by name.
type Files struct {
	Files []document.File `json:"files" minItems:"1" maxItems:"1000"`
}

// Publish makes files the next revision.
type Publish struct {
	Reason string          `json:"reason" maxLength:"1000" doc:"Why, in a few words."`
	Files  []document.File `json:"files" minItems:"1" maxItems:"1000"`
}

// Published says which revision is current now.
type Published struct {
	Revision  estate.Revision `json:"revision"`
	Unchanged bool            `json:"unchanged" doc:"The estate was already so; nothing was published."`
}

// Checked is a document that may be published.
type Checked struct {
	Objects  map[string]int   `json:"objects" doc:"By list."`
	Findings []lineup.Finding `json:"findings"`
}

// Estate is a revision with its document.
type Estate struct {
	Revision estate.Revision  `json:"revision"`
	Document *estate.Document `json:"document" nullable:"false"`
}

// Import takes in a directory.
type Import struct {
	Source string          `json:"source,omitempty" doc:"Which source this is; file when absent. It will hold exactly what the files say." default:"file"`
	Format string          `json:"format,omitempty" enum:"file,ldif,csv" default:"file"`
	Files  []document.File `json:"files" minItems:"1" maxItems:"100"`
	Dry    bool            `json:"dry,omitempty" doc:"Only say what would be."`
	Accept bool            `json:"accept,omitempty" doc:"Apply it, whatever disappears."`
}

// NewLink says that two accounts are one person, or are two.
type NewLink struct {
	A        string `json:"a" minLength:"1" maxLength:"512" doc:"SOURCE/NAME, or NAME; the one that stands for the person."`
	B        string `json:"b" minLength:"1" maxLength:"512" doc:"SOURCE/NAME, or NAME; also a name that no directory has."`
	Unlinked bool   `json:"unlinked,omitempty" doc:"They are two people, whatever the rules say."`
	Apart    bool   `json:"apart,omitempty" deprecated:"true" doc:"The former name of unlinked."`
	Reason   string `json:"reason,omitempty" maxLength:"1024"`
}

// Primary names the source whose account stands for a person who has several.
type Primary struct {
	Source string `json:"source" maxLength:"63" doc:"Empty leaves it to the first by name."`
}

// LinkRule turns a rule on or off.
type LinkRule struct {
	On  bool `json:"on"`
	Dry bool `json:"dry,omitempty" doc:"Only say what would come of it."`
}

// NewSource is a directory to be read over LDAP; it is tried at once.
type NewSource struct {
	URL          string        `json:"url" minLength:"1" maxLength:"1024" doc:"ldaps://HOST, or ldap://HOST with start_tls."`
	StartTLS     bool          `json:"start_tls,omitempty"`
	ListUnder    string        `json:"list_under,omitempty" maxLength:"1024" doc:"The DN below which queues that are listed are written as printer entries (RFC 7612)."`
	SignIn       bool          `json:"sign_in,omitempty" doc:"Its people may sign in here with their password there; an owner's to say."`
	CA           string        `json:"ca,omitempty" maxLength:"65536" doc:"PEM; the system's authorities when absent."`
	Bind         string        `json:"bind,omitempty" maxLength:"1024" doc:"The account that reads; anonymous when absent."`
	Password     *string       `json:"password,omitempty" maxLength:"1024" doc:"Never given back. The one that is kept, when absent."`
	Base         string        `json:"base" minLength:"1" maxLength:"1024" doc:"The DN below which everything is read."`
	Preset       string        `json:"preset,omitempty" enum:"standard,posix,domain" default:"standard"`
	Map          directory.Map `json:"map,omitempty" doc:"What differs from the preset."`
	RemovalLimit int           `json:"removal_limit,omitempty" minimum:"0" maximum:"100" doc:"The share, in percent, of what a source held that may disappear in one pass; 20 when absent."`
	Brake        int           `json:"brake,omitempty" minimum:"0" maximum:"100" deprecated:"true" doc:"The former name of removal_limit."`
	Every        int           `json:"every,omitempty" minimum:"0" doc:"Seconds between passes for changes; 300 when absent."`
	Whole        int           `json:"whole,omitempty" minimum:"0" doc:"Seconds between whole passes; a day when absent."`
	Try          bool          `json:"try,omitempty" doc:"Only try it; nothing is kept."`
}

// Source gives it as the core has it.
func (n NewSource) Source(name string) directory.Source {
	return directory.Source{Name: name, URL: n.URL, StartTLS: n.StartTLS, SignIn: n.SignIn, ListUnder: n.ListUnder,
		CA: n.CA, Bind: n.Bind, Base: n.Base, Preset: n.Preset, Map: n.Map, RemovalLimit: cmp.Or(n.RemovalLimit, n.Brake),
		Every: n.Every, Whole: n.Whole}
}

// TriedSource is a source with a few of what was found in it.
type TriedSource struct {
	Source directory.Source  `json:"source"`
	Sample []directory.Found `json:"sample"`
	Kept   bool              `json:"kept"`
}

// NewRun asks for a pass over a source.
type NewRun struct {
	Kind   string `json:"kind,omitempty" enum:"whole,changes,dry" default:"whole"`
	Accept bool   `json:"accept,omitempty" doc:"Apply it, whatever disappears."`
}

// Pausing pauses or resumes.
type Pausing struct {
	Paused bool `json:"paused"`
}

// RenameIDs name renames.
type RenameIDs struct {
	Draft string  `json:"draft,omitempty" maxLength:"63"`
	IDs   []int64 `json:"ids,omitempty" maxItems:"10000" doc:"All when absent."`
}

// TakenRenames says what came of it.
type TakenRenames struct {
	Objects int   `json:"objects" doc:"Objects of the draft that name the new names now."`
	Version int64 `json:"version" doc:"The draft's."`
}

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
	Reason  string `json:"reason" maxLength:"1000" doc:"Why, in a few words."`
	Version *int64 `json:"version,omitempty" doc:"Of the draft that was looked at; where it has moved on, nothing is published."`
}

// Reason says why.
type Reason struct {
	Reason string `json:"reason" maxLength:"1000" doc:"Why, in a few words."`
}

// DrainServer takes a server out of duty.
type DrainServer struct {
	Reason string     `json:"reason" maxLength:"1000" doc:"Why, in a few words."`
	Until  *time.Time `json:"until,omitempty" doc:"It returns by itself then."`
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
	Draft   string   `json:"draft,omitempty" maxLength:"63" doc:"The name of one's own draft."`
	Without []string `json:"without,omitempty" maxItems:"1000" doc:"What goes down: server:N, set:N, device:N, site:N, location:P or subnet:CIDR."`
	Moves   []string `json:"moves,omitempty" maxItems:"1000" doc:"Who moves where in the directory: user:N=unit:P, user:N=+group:G or user:N=-group:G; machine: likewise."`
	All     bool     `json:"all,omitempty" doc:"Look at everybody, even where the change cannot touch them; the result is the same."`
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

// Bare are those who have no queue at all.
type Bare struct {
	People   []string `json:"people"`
	Machines []string `json:"machines"`
}

// Why asks about one queue.
type Why struct {
	Context lineup.Query `json:"context"`
	Queue   string       `json:"queue" minLength:"1" maxLength:"256"`
}

// NewToken asks for a token.
type NewToken struct {
	Name    string      `json:"name" minLength:"1" maxLength:"256"`
	Role    access.Role `json:"role" enum:"owner,administrator,site-administrator,help-desk,auditor,agent"`
	Sites   []string    `json:"sites,omitempty" maxItems:"1000" doc:"Where what it does must lie; everywhere when absent."`
	Machine string      `json:"machine,omitempty" maxLength:"256" doc:"Of an agent: the one machine that it is for."`
	Expires *time.Time  `json:"expires,omitempty" doc:"When it ends by itself; never when absent."`
}

// NewOwnToken asks for a token of one's own.
type NewOwnToken struct {
	Name    string     `json:"name" minLength:"1" maxLength:"256"`
	Expires *time.Time `json:"expires,omitempty" doc:"When it ends by itself; never when absent."`
}

// NewEnrolToken asks for an enrolment token.
type NewEnrolToken struct {
	Name    string     `json:"name" minLength:"1" maxLength:"256"`
	Site    string     `json:"site,omitempty" maxLength:"63" doc:"Where the machines stand; any site when absent."`
	Uses    int        `json:"uses,omitempty" minimum:"0" maximum:"100000" doc:"How many machines may enrol; 1 when absent."`
	Expires *time.Time `json:"expires,omitempty" doc:"A week from now when absent."`
}

// MadeEnrolToken gives an enrolment token, once.
type MadeEnrolToken struct {
	Token  access.EnrolToken `json:"token"`
	Secret string            `json:"secret" doc:"Shown this once; it also says by which authority the service is known."`
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
	Changes int            `json:"changes" doc:"How many objects the answerer's draft changes now; 0 for one that was declined."`
}

// NewAccount asks for a local account.
type NewAccount struct {
	Name     string      `json:"name" minLength:"1" maxLength:"256"`
	Password string      `json:"password" maxLength:"1024"`
	Role     access.Role `json:"role" enum:"owner,administrator,site-administrator,help-desk,auditor,person"`
	Sites    []string    `json:"sites,omitempty" maxItems:"1000"`
}

// NewRole gives an account another role.
type NewRole struct {
	Role  access.Role `json:"role" enum:"owner,administrator,site-administrator,help-desk,auditor,person"`
	Sites []string    `json:"sites,omitempty" maxItems:"1000"`
}

// NewRule lets people of a directory sign in with a role.
type NewRule struct {
	Who   string      `json:"who" minLength:"1" maxLength:"512" doc:"everyone, user:N, group:N or unit:P."`
	Role  access.Role `json:"role" enum:"owner,administrator,site-administrator,help-desk,auditor,person"`
	Sites []string    `json:"sites,omitempty" maxItems:"1000"`
}

// NewPassword changes one's own password.
type NewPassword struct {
	Old string `json:"old" maxLength:"1024"`
	New string `json:"new" maxLength:"1024"`
}

// MadeToken gives a token's secret, once.
type MadeToken struct {
	Token  access.Token `json:"token"`
	Secret string       `json:"secret" doc:"Shown this once."`
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
	job.Outcome
}

// A Notice tells a watching client what to read again.
type Notice struct {
	What    string `json:"what" enum:"estate,directory,sources,live,access,enrolment,draft,endpoint,event,stock,drivers,lost"`
	Subject string `json:"subject"`
}

// KeepView is a list of the console as somebody keeps it.
type KeepView struct {
	Search string `json:"search" maxLength:"2048" doc:"What narrows and orders the list, as it stands in the page's address after the question mark."`
}

// Package event is what happened, in words.
package event

import (
	"encoding/json"
	"slices"
	"time"
)

// An Event is one thing that happened; events are kept.
type Event struct {
	ID      int64     `json:"id"`
	At      time.Time `json:"at"`
	Kind    string    `json:"kind" doc:"Such as estate.published or endpoint.failing."`
	Subject string    `json:"subject" doc:"What it concerns, such as an endpoint's name."`
	Author  string    `json:"author" doc:"Who did it."`
	Says    string    `json:"says" doc:"One sentence."`

	Remote string          `json:"remote,omitempty" doc:"The address from which it was done."`
	Before json.RawMessage `json:"before,omitempty" doc:"What was, of a change that replaces something."`
	After  json.RawMessage `json:"after,omitempty" doc:"What is, after a change."`

	Sentence *Sentence `json:"sentence,omitempty" doc:"What it says, as values; absent of what older versions wrote."`
}

// With says what a change made of what; nil stands for nothing.
func (e Event) With(before, after any) Event {
	text := func(v any) json.RawMessage {
		if v == nil {
			return nil
		}
		b, _ := json.Marshal(v) // plain values
		return b
	}
	e.Before, e.After = text(before), text(after)
	return e
}

// observed are kinds that nobody did: they are seen, and so no part of the audit.
var observed = []string{Joined, Failing, Recovered, Answers, Fails, Found, SourceBad, SourceGood, SourceHeld,
	ListingBad, ListingGood, KeyRefused, KeyEnds, KeyWorks, WentDown, CameUp, HeldDown, NoticeBad, NoticeGood,
	FailoverEnds, KeeperJoined, KeeperFails, KeeperWorks}

// Routine are the kinds of what happens every day and asks nothing of anybody: the first page leaves them out.
func Routine() []string {
	return []string{SignedIn, SignedOut, SessionEnded, Renewed, SaidWho, Forgotten, Picked, Unpicked}
}

// Observed are the kinds of event that are no change and no sign-in.
func Observed() []string { return slices.Clone(observed) }

// A Filter narrows the audit. Zero values do not.
type Filter struct {
	Since, Until *time.Time
	Author       string // exactly, but for case
	Subject      string // exactly, but for case
	Kind         string // a kind, or what stands before its dot
	Word         string // part of any of its texts
}

// OriginKey is the key under which a context carries the address from which something is asked for, a string.
type OriginKey struct{}

// RouteKey is the key under which a context carries what asks for something: a route such as "GET /api/v1/overview", or
// a worker such as "worker judgements"; a string.
type RouteKey struct{}

// ForKey is the key under which a context carries on whose behalf the store is asked, a For; people where it has none.
type ForKey struct{}

// A For is one kind of asker. Each has connections of its own, so that none waits for what another has begun.
type For string

// Those who ask.
const (
	ForReadiness For = "readiness"
	ForPresent   For = "present" // what a process keeps in memory
	ForAgents    For = "agents"
	ForPeople    For = "people"
	ForWorkers   For = "workers"
)

// Kinds of event.
const (
	Published    = "estate.published"
	Imported     = "directory.imported"
	Renamed      = "directory.renamed"
	SourceKept   = "directory.source-kept"
	SourceGone   = "directory.source-removed"
	SourceBad    = "directory.source-fails"
	SourceGood   = "directory.source-answers"
	SourceHeld   = "directory.source-held"
	EnrolToken   = "enrol.token-made"
	EnrolGone    = "enrol.token-revoked"
	EnrolRefused = "enrol.refused"
	Enrolled     = "enrol.enrolled"
	Renewed      = "enrol.renewed"
	EnrolRevoked = "enrol.revoked"
	Paired       = "enrol.paired"
	UpdateBegun  = "update.begun"
	UpdateStage  = "update.stage"
	UpdatePaused = "update.paused"
	UpdateActed  = "update.acted"
	UpdateFailed = "update.failed"
	AgentPackage = "update.package-added"

	AgentPackageGone = "update.package-removed"

	SaidWho       = "endpoint.person-said"
	Listed        = "directory.listed"
	EntryGone     = "directory.entry-removed"
	ListingBad    = "directory.listing-fails"
	ListingGood   = "directory.listing-works"
	Requested     = "request.made"
	Answered      = "request.answered"
	Erased        = "person.erased"
	Forgotten     = "person.history-forgotten"
	Linked        = "person.linked"
	LinkRemoved   = "person.link-removed"
	LinkRule      = "person.rule"
	PassStopped   = "directory.pass-stopped"
	RenamesGone   = "directory.renames-dropped"
	Joined        = "endpoint.joined"
	Failing       = "endpoint.failing"
	Recovered     = "endpoint.recovered"
	TokenMade     = "token.made"
	TokenEnded    = "token.revoked"
	TokenRenewed  = "token.renewed"
	SetUp         = "account.made"
	SignedIn      = "account.signed-in"
	PasswordSet   = "account.password-set"
	SessionEnded  = "account.session-ended"
	SignedOut     = "account.signed-out"
	AccountKept   = "account.kept"
	AccountGone   = "account.removed"
	RuleAdded     = "account.rule-added"
	RuleGone      = "account.rule-removed"
	SignInBad     = "account.sign-in-failed"
	FactorAdded   = "account.factor-added"
	FactorGone    = "account.factor-removed"
	FactorsForgot = "account.factors-forgotten"
	RecoverySet   = "account.recovery-codes"
	RecoveryUsed  = "account.recovery-used"

	SecretKeys       = "secret-key.changed"
	AuthorityChanged = "authority.changed"
	BackedUp         = "backup.made"
	Restored         = "backup.restored"

	EmergencySealed = "account.emergency-sealed"
	EmergencyOpened = "account.emergency-opened"

	TestPage      = "queue.test-page"
	Called        = "endpoint.called"
	Drained       = "server.drained"
	Returned      = "server.returned"
	WentDown      = "live.down"
	CameUp        = "live.up"
	HeldDown      = "live.held"
	NoticeBad     = "notice.fails"
	NoticeGood    = "notice.arrives"
	NoticeTried   = "notice.tried"
	FailoverBegan = "server.failover-test"
	FailoverEnds  = "server.failover-test-ended"
	KeeperJoined  = "server.keeper-joined"
	KeeperFails   = "server.keeper-fails"
	KeeperWorks   = "server.keeper-works"
	QueueTaken    = "server.queue-taken"
	QueueLeft     = "server.queue-left"
	JobDone       = "server.job"
	SnapshotTaken = "fleet.snapshot-taken"
	SnapshotGone  = "fleet.snapshot-removed"
	Picked        = "queue.picked"
	Unpicked      = "queue.unpicked"

	DraftProposed = "draft.proposed"
	DraftTaken    = "draft.taken"
	DraftDeclined = "draft.declined"
	DraftTimed    = "draft.timed"
	DraftUntimed  = "draft.untimed"
	DraftFailed   = "draft.failed"
	DraftTalked   = "draft.commented"

	NoteWritten = "note.written"

	Registered   = "stock.registered"
	Unregistered = "stock.removed"
	Answers      = "stock.answers"
	Fails        = "stock.fails"
	Found        = "stock.changed"
	Scanned      = "stock.scanned"
	ScanStopped  = "stock.scan-stopped"
	FoundForgot  = "stock.found-forgotten"
	Captured     = "stock.captured"
	Reserved     = "stock.reservations"
	KeyStored    = "credential.stored"
	KeyRemoved   = "credential.removed"
	KeyRefused   = "credential.refused"
	KeyEnds      = "credential.ends"
	KeyWorks     = "credential.works"
	PackageAdded = "driver.added"
	PackageGone  = "driver.removed"
	PlaceKept    = "driver.place-kept"
	PlaceGone    = "driver.place-removed"
	PlaceBad     = "driver.place-fails"
	PlaceGood    = "driver.place-answers"
	PlaceOffers  = "driver.place-offers"
	FetchBegan   = "driver.fetch"
	FetchStopped = "driver.fetch-stopped"
)

// BackupSubject is the subject of what concerns backups.
const BackupSubject = "backup"

// BesideTheData is the author of what is done in the data directory, without the service.
const BesideTheData = "local"

// Incomplete is the kind of a line that says that what should follow could not be read; it is never kept.
const Incomplete = "audit.incomplete"

// A Signal tells every process of the service that something changed; it names what to read again.
type Signal struct {
	What    string // one of the constants below
	Subject string
	Own     bool // this process wrote it
	// ID is its place in what this process has told, by which whoever was cut off goes on from there.
	ID string
}

// Followed says whether processes keep in memory what a Signal of that name says to read again, so that a lost one
// would leave them with what was.
func Followed(what string) bool {
	switch what {
	case Endpoint, Call, Draft, Places, Kept, Happened, Lost:
		return false
	}
	return true
}

// What a Signal can name.
const (
	Estate    = "estate"
	Directory = "directory"
	Sources   = "sources" // sources of the directory, and their runs
	Listing   = "listing" // where queues are to be listed
	Live      = "live"
	Access    = "access"
	Enrolment = "enrolment" // certificates of a machine, which the subject names
	Draft     = "draft"
	Endpoint  = "endpoint"
	Call      = "call"  // an endpoint's agent is to report
	Stock     = "stock" // readings, registrations, scans; the subject says which
	Drivers   = "drivers"
	Updates   = "agent-updates" // packages of the agent, and orders to install them
	Places    = "driver-places" // where drivers are fetched from, and what is being fetched
	Kept      = "kept-servers"  // what agents said of the servers that they keep; the subject is the machine
	Happened  = "event"
	Lost      = "lost" // notices may have been missed: read everything again
)

// OnceKey is the key under which a context carries that something is to be done once, an Attempt.
type OnceKey struct{}

// An Attempt is one try to do something that is to be done once, however often it is sent.
type Attempt struct {
	Author string // who asks
	Key    string // by which they know it again
	ID     string // of this try
	Print  []byte // of what is asked for: another one under the same key is a mistake
}

// A Deed is what is known of an earlier Attempt that was kept.
type Deed struct {
	ID     string
	Print  []byte
	At     time.Time
	Status int // of what was answered; 0 where that is not known
	Media  string
	Answer []byte // nil where it was not kept
}

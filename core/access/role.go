package access

import "slices"

// A Role bundles permissions.
type Role string

// The roles.
const (
	Owner         Role = "owner"              // everything, and who may do what
	Administrator Role = "administrator"      // everything but accounts, and erasing people's data
	SiteAdmin     Role = "site-administrator" // edits what lies at its sites
	HelpDesk      Role = "help-desk"          // reads, explains, refreshes, tests
	Auditor       Role = "auditor"            // reads all, history and audit
	Person        Role = "person"             // one's own lineup
	Agent         Role = "agent"              // one machine's agent: asks as that machine, reports for it
)

// Roles are those that an account can have, the mightiest first.
func Roles() []Role { return []Role{Owner, Administrator, SiteAdmin, HelpDesk, Auditor, Person} }

// An Action is something that a permission is for.
type Action string

// The actions.
const (
	ReadEstate    Action = "read the estate"
	ReadDirectory Action = "read the directory"
	ReadFleet     Action = "read endpoints and events"
	ReadStock     Action = "see servers, devices and drivers"
	ReadAccess    Action = "see accounts, sessions and tokens"
	ReadAudit     Action = "read the audit"
	AskAny        Action = "ask for any lineup"
	Rehearse      Action = "rehearse a change"

	EditDraft       Action = "edit a draft"
	Publish         Action = "publish the estate"
	Drain           Action = "take servers out of duty"
	PickFor         Action = "pick queues for people"
	RefreshEndpoint Action = "have an endpoint report"
	SendTestPage    Action = "send a test page"
	KeepJobs        Action = "hold, release, move and cancel jobs"
	Enrol           Action = "enrol endpoints"
	AnswerRequests  Action = "answer people's requests"
	WriteNotes      Action = "write notes about people and machines"

	Import         Action = "import a directory"
	KeepSources    Action = "keep the directory's sources"
	KeepStock      Action = "keep stock of servers, devices and drivers"
	ManageTokens   Action = "manage tokens"
	EndSessions    Action = "end other people's sessions"
	ManageAccounts Action = "manage accounts and their roles"
	UpdateAgents   Action = "bring agents to another version"
	LinkPeople     Action = "say which names are one person"
	ExportPerson   Action = "hand out what is kept of a person"
	ErasePerson    Action = "erase what is kept of a person"
	Profile        Action = "profile the service"

	AskOwn     Action = "ask for its own lineups"
	Report     Action = "report for an endpoint"
	Capture    Action = "hand in what a reference machine has"
	Print      Action = "print through the gateway"
	PickOwn    Action = "pick queues for oneself"
	RequestOwn Action = "ask for a queue"
	OwnToken   Action = "make tokens for oneself"
	OwnViews   Action = "keep views of lists for oneself"
	OwnFactors Action = "keep second factors for oneself"
)

var (
	// reads change nothing, and are not narrowed by a scope of sites: a lineup depends on all of them.
	reads = []Action{ReadEstate, ReadDirectory, ReadFleet, ReadStock, ReadAccess, ReadAudit, AskAny, Rehearse}
	// atSites are done to something that lies at a site, which a scope must hold.
	atSites = []Action{EditDraft, Publish, Drain, PickFor, RefreshEndpoint, SendTestPage, KeepJobs, Enrol,
		AnswerRequests, WriteNotes}
	// everywhere concern all sites at once: a scope excludes them.
	everywhere = []Action{Import, KeepSources, KeepStock, ManageTokens, EndSessions, ManageAccounts, UpdateAgents,
		LinkPeople,
		ExportPerson, ErasePerson, Profile, Capture}
	// own are done to what is one's own.
	own = []Action{AskOwn, Print, PickOwn, RequestOwn, OwnToken, OwnViews, OwnFactors}
)

// table is the whole of who may do what.
var table = map[Role][]Action{
	Owner:         slices.Concat(reads, atSites, everywhere, own),
	Administrator: slices.Concat(reads, atSites, without(everywhere, ManageAccounts, ErasePerson, Profile), own),
	SiteAdmin:     slices.Concat(without(reads, ReadAccess, ReadAudit), atSites, own),
	HelpDesk: slices.Concat(without(reads, ReadAccess, ReadAudit), []Action{RefreshEndpoint, SendTestPage,
		KeepJobs, WriteNotes}, own),
	Auditor: slices.Concat(reads, own),
	Person:  own,
	Agent:   {AskOwn, Report, Print, Capture},
}

func without(list []Action, out ...Action) []Action {
	return slices.DeleteFunc(slices.Clone(list), func(a Action) bool { return slices.Contains(out, a) })
}

// A Holding is a role with the sites for which it holds; no sites stand for all.
type Holding struct {
	Role  Role     `json:"role" enum:"owner,administrator,site-administrator,help-desk,auditor,person,agent"`
	Sites []string `json:"sites,omitempty" doc:"Where what it does must lie; everywhere when absent. What it reads is not narrowed."`
}

// may says whether the holding allows an action, somewhere at least.
func (h Holding) may(a Action) bool {
	return slices.Contains(table[h.Role], a) && (len(h.Sites) == 0 || !slices.Contains(everywhere, a))
}

// at says whether the holding's scope holds a site; "" is what lies nowhere.
func (h Holding) at(site string) bool { return len(h.Sites) == 0 || slices.Contains(h.Sites, site) }

// covers says whether whoever holds h may hand out want: nobody gives what they do not have.
func (h Holding) covers(want Holding) bool {
	for _, a := range table[want.Role] {
		if !slices.Contains(table[h.Role], a) {
			return false
		}
	}
	if len(h.Sites) == 0 {
		return true
	}
	return len(want.Sites) > 0 && !slices.ContainsFunc(want.Sites, func(s string) bool { return !h.at(s) })
}

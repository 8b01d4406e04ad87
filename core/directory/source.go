package directory

import (
	"cmp"
	"net/url"
	"slices"
	"strings"
	"time"

	"cirque/core/fault"
	"cirque/core/name"
)

// Presets of the attributes that a source is read by.
const (
	PresetStandard = "standard" // RFC 4519 and inetOrgPerson (RFC 2798)
	PresetPOSIX    = "posix"    // RFC 2307
	PresetDomain   = "domain"   // as the common commercial domain controller has them
)

// A Source is a directory that is read over LDAP (RFC 4511).
type Source struct {
	Name         string `json:"name"`
	URL          string `json:"url" doc:"ldaps://HOST, or ldap://HOST with start_tls."`
	StartTLS     bool   `json:"start_tls,omitempty"`
	CA           string `json:"ca,omitempty" doc:"PEM; the system's authorities when absent."`
	Bind         string `json:"bind,omitempty" doc:"The account that reads, as a DN or as the server wants it; anonymous when absent."`
	Base         string `json:"base" doc:"The DN below which everything is read."`
	Preset       string `json:"preset" enum:"standard,posix,domain"`
	Map          Map    `json:"map,omitempty" doc:"What differs from the preset."`
	RemovalLimit int    `json:"removal_limit,omitempty" doc:"The share, in percent, of what a source held that may disappear in one pass; 20 when absent."`
	Every        int    `json:"every,omitempty" doc:"Seconds between passes for changes; 300 when absent."`
	Whole        int    `json:"whole,omitempty" doc:"Seconds between whole passes; a day when absent."`
	Paused       bool   `json:"paused,omitempty"`
	// ListUnder is where queues that are listed are written.
	ListUnder string `json:"list_under,omitempty" doc:"The DN below which queues that are listed are written as printer entries (RFC 7612); none are when absent. The account needs the right to."`
	SignIn    bool   `json:"sign_in,omitempty" doc:"Its people may sign in here with their password there."`

	Author string    `json:"author"`
	At     time.Time `json:"at"`
}

// A Map says which attributes tell what.
type Map struct {
	UserFilter    string `json:"user_filter,omitempty"`
	GroupFilter   string `json:"group_filter,omitempty"`
	MachineFilter string `json:"machine_filter,omitempty"`
	UserName      string `json:"user_name,omitempty"`
	DisplayName   string `json:"display_name,omitempty"`
	Email         string `json:"email,omitempty"`
	Employee      string `json:"employee,omitempty"`
	GroupName     string `json:"group_name,omitempty"`
	MachineName   string `json:"machine_name,omitempty"`
	Members       string `json:"members,omitempty" doc:"Attributes with the DNs of members, divided by blanks."`
	MemberNames   string `json:"member_names,omitempty" doc:"Attributes with the names of users."`
	ID            string `json:"id,omitempty" doc:"The attribute that stays through renames and moves."`
	Changed       string `json:"changed,omitempty" doc:"The attribute with the time of the last change."`
}

var presets = map[string]Map{
	PresetStandard: {UserFilter: "(objectClass=inetOrgPerson)",
		GroupFilter: "(|(objectClass=groupOfNames)(objectClass=groupOfUniqueNames))", MachineFilter: "(objectClass=device)",
		UserName: "uid", DisplayName: "displayName cn",
		Email: "mail", Employee: "employeeNumber", GroupName: "cn", MachineName: "cn", Members: "member uniqueMember",
		ID: "entryUUID", Changed: "modifyTimestamp"},
	PresetPOSIX: {UserFilter: "(objectClass=posixAccount)", GroupFilter: "(objectClass=posixGroup)",
		MachineFilter: "(|(objectClass=ipHost)(objectClass=device))", UserName: "uid", DisplayName: "displayName gecos cn",
		Email: "mail", Employee: "employeeNumber", GroupName: "cn", MachineName: "cn", Members: "member",
		MemberNames: "memberUid", ID: "entryUUID", Changed: "modifyTimestamp"},
	PresetDomain: {UserFilter: "(&(objectCategory=person)(objectClass=user))", GroupFilter: "(objectClass=group)",
		MachineFilter: "(objectClass=computer)", UserName: "sAMAccountName", DisplayName: "displayName cn",
		Email: "mail", Employee: "employeeID employeeNumber", GroupName: "sAMAccountName cn",
		MachineName: "sAMAccountName cn", Members: "member", ID: "objectGUID", Changed: "whenChanged"},
}

// Defaults of a Source.
const (
	DefaultRemovalLimit = 20
	DefaultEvery        = 5 * time.Minute
	DefaultWhole        = 24 * time.Hour
)

// Attributes gives the preset's map with what the source says otherwise.
func (s Source) Attributes() Map {
	p, m := presets[s.Preset], s.Map
	return Map{
		UserFilter: cmp.Or(m.UserFilter, p.UserFilter), GroupFilter: cmp.Or(m.GroupFilter, p.GroupFilter),
		MachineFilter: cmp.Or(m.MachineFilter, p.MachineFilter),
		UserName:      cmp.Or(m.UserName, p.UserName), DisplayName: cmp.Or(m.DisplayName, p.DisplayName),
		Email: cmp.Or(m.Email,
			p.Email), Employee: cmp.Or(m.Employee, p.Employee),
		GroupName: cmp.Or(m.GroupName, p.GroupName), MachineName: cmp.Or(m.MachineName, p.MachineName),
		Members: cmp.Or(m.Members, p.Members), MemberNames: cmp.Or(m.MemberNames, p.MemberNames),
		ID: cmp.Or(m.ID, p.ID), Changed: cmp.Or(m.Changed, p.Changed),
	}
}

// Share gives the removal limit in percent.
func (s Source) Share() int { return cmp.Or(s.RemovalLimit, DefaultRemovalLimit) }

// Check brings a source into form, and says all that is wrong with it: an Invalid fault.
func (s *Source) Check() error {
	var bad []fault.Detail
	complain := func(place, what, fix string) {
		bad = append(bad, fault.Detail{Place: place, What: what, Fix: fix})
	}
	s.URL, s.Base, s.Bind = strings.TrimSpace(s.URL), strings.TrimSpace(s.Base), strings.TrimSpace(s.Bind)
	s.Preset = cmp.Or(s.Preset, PresetStandard)
	u, err := url.Parse(s.URL)
	switch {
	case err != nil || u.Hostname() == "" || u.Scheme != "ldap" && u.Scheme != "ldaps":
		complain("url", "it is no address of a directory", "write ldaps://HOST, or ldap://HOST with start_tls")
	case u.Scheme == "ldap" && !s.StartTLS && (s.Bind != "" || s.SignIn) && !name.Loopback(u.Hostname()):
		complain("url", "passwords would go over the network as they are", "write ldaps://HOST, or set start_tls")
	case u.Scheme == "ldaps" && s.StartTLS:
		complain("start_tls", "ldaps is TLS already", "leave start_tls out, or write ldap://")
	case u.User != nil || u.RawQuery != "" || strings.Trim(u.Path, "/") != "":
		complain("url", "it holds more than a host and a port", "write ldaps://HOST:PORT; base and account have places "+
			"of their own")
	}
	if s.Base == "" {
		complain("base", "there is no base", "give the DN below which people, groups and machines are, such as "+
			"dc=skerry,dc=example")
	}
	if presets[s.Preset].ID == "" {
		complain("preset", "there is no preset \""+s.Preset+"\"", "write standard, posix or domain")
	}
	for place, v := range map[string]int{"every": s.Every, "whole": s.Whole} {
		if v != 0 && v < 10 {
			complain(place, "passes every few seconds are too many", "write 10 or more seconds")
		}
	}
	if s.ListUnder = strings.TrimSpace(s.ListUnder); s.ListUnder != "" && s.Bind == "" {
		complain("list_under", "nobody writes there without an account", "name an account that may write")
	}
	if s.RemovalLimit < 0 || s.RemovalLimit > 100 {
		complain("removal_limit", "it is no share", "write 1 to 100 percent")
	}
	slices.SortFunc(bad, func(a, b fault.Detail) int { return strings.Compare(a.Place, b.Place) })
	if len(bad) > 0 {
		return fault.New(fault.Invalid, "source-invalid", bad[0].Fix, "%s: %s", bad[0].Place, bad[0].What).With(bad)
	}
	return nil
}

// Kinds of Run.
const (
	RunWhole   = "whole"
	RunChanges = "changes"
	RunDry     = "dry" // reads the whole source and applies nothing
)

// States of a Run.
const (
	Waiting = "waiting"
	Running = "running"
	Done    = "done"
	Failed  = "failed"
	Held    = "held"
	Stopped = "stopped"
)

// A Run is one pass over a source.
type Run struct {
	ID       int64      `json:"id"`
	Source   string     `json:"source"`
	Kind     string     `json:"kind" enum:"whole,changes,dry" doc:"dry: the whole source is read, and nothing is applied."`
	State    string     `json:"state" enum:"waiting,running,done,failed,held,stopped" doc:"held: the removal limit held it, and nothing was applied."`
	Accept   bool       `json:"accept,omitempty" doc:"Whoever asked for it wants it applied, whatever disappears."`
	Author   string     `json:"author"`
	At       time.Time  `json:"at"`
	Ended    *time.Time `json:"ended"`
	Read     int        `json:"read" doc:"Entries so far."`
	Users    int        `json:"users" doc:"As a whole pass, or one by content synchronisation, found them; 0 in others."`
	Groups   int        `json:"groups"`
	Machines int        `json:"machines"`
	Added    int        `json:"added"`
	Changed  int        `json:"changed"`
	Removed  int        `json:"removed"`
	Code     string     `json:"code,omitempty" doc:"What it failed with, such as sign-in-refused."`
	Says     string     `json:"says"`
	Fix      string     `json:"fix,omitempty"`
	Notes    []string   `json:"notes,omitempty"`
}

// Over says whether a run has ended.
func (r Run) Over() bool { return r.State != Waiting && r.State != Running }

// A SourceView is a source with how it stands.
type SourceView struct {
	Source
	HasPassword bool       `json:"has_password"`
	Last        *Run       `json:"last" doc:"The latest run."`
	Next        *time.Time `json:"next" doc:"When the next pass is due; absent while it is paused."`
	Users       int        `json:"users" doc:"What is held of it."`
	Groups      int        `json:"groups"`
	Machines    int        `json:"machines"`
}

// Pace gives the time between passes for changes.
func (s Source) Pace() time.Duration {
	return time.Duration(cmp.Or(s.Every, int(DefaultEvery/time.Second))) * time.Second
}

// NextRun says when a source's next pass is due, and whether a whole one: after failures later and later. latest are
// its runs, newest first.
func (s Source) NextRun(latest []Run) (at time.Time, whole bool) {
	every, wholeEvery := s.Pace(), time.Duration(cmp.Or(s.Whole, int(DefaultWhole/time.Second)))*time.Second
	failed, broken := 0, false
	var ended, lastWhole *time.Time
	for _, r := range latest {
		if r.Kind == RunDry || r.Ended == nil {
			continue
		}
		if ended == nil {
			ended = r.Ended
		}
		if r.State == Stopped {
			continue
		}
		broken = broken || r.State == Done
		if !broken {
			failed++
		}
		if r.State == Done && r.Kind == RunWhole && lastWhole == nil {
			lastWhole = r.Ended
		}
	}
	if ended == nil {
		return s.At, true
	}
	at = ended.Add(min(every<<min(failed, 6), max(every, time.Hour)))
	return at, failed > 0 || lastWhole == nil || !at.Before(lastWhole.Add(wholeEvery))
}

// A Proposal is a rename of what the estate names, which somebody is to look at.
type Proposal struct {
	ID     int64  `json:"id"`
	Source string `json:"source"`
	Rename
	At time.Time `json:"at"`
}

// LatestRuns is how far back the runs of a source are looked at to find when the next is due.
const LatestRuns = 400

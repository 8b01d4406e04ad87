package estate

import (
	"cmp"
	"encoding/json"
	"reflect"
	"slices"
	"strings"
	"time"

	"cirque/core/document"
	"cirque/core/span"
)

// The settings, each one object: it is changed, merged and undone as a whole.
const (
	AgentsSetting  = "agents"
	HistorySetting = "history"
	// ContinuitySetting is how servers and devices are watched, and how a server comes back.
	ContinuitySetting = "continuity"
	MailSetting       = "mail"
)

// Settings are what holds for the whole estate.
type Settings struct {
	Agents  *AgentSettings   `json:"agents,omitempty" yaml:"agents,omitempty"`
	History *HistorySettings `json:"history,omitempty" yaml:"history,omitempty"`

	Continuity *ContinuitySettings `json:"continuity,omitempty" yaml:"continuity,omitempty"`
	Mail       *MailSettings       `json:"mail,omitempty" yaml:"mail,omitempty"`
	Outgoing   *OutgoingSettings   `json:"outgoing,omitempty" yaml:"outgoing,omitempty"`
	SignIn     *SignInSettings     `json:"sign_in,omitempty" yaml:"sign_in,omitempty"`
	Audit      *AuditSettings      `json:"audit,omitempty" yaml:"audit,omitempty"`
	Jobs       *JobSettings        `json:"jobs,omitempty" yaml:"jobs,omitempty"`
}

// A UserFrom says how an agent knows who sits at its machine.
type UserFrom string

// The ways; SystemUnlessUnknown is the default.
const (
	FromSystem UserFrom = "system" // the sign-in name that the operating system gives
	FromAsking UserFrom = "ask"    // the person says, with their password
	// the system's name; where nobody here has it, the person is asked
	SystemUnlessUnknown UserFrom = "system-unless-unknown"
)

// AgentSettings are for the agents of all endpoints.
type AgentSettings struct {
	UserFrom UserFrom `json:"user_from,omitempty" yaml:"user_from,omitempty" enum:"system,ask,system-unless-unknown" doc:"How an agent knows its person; system-unless-unknown when absent."`
	Notice   string   `json:"notice,omitempty" yaml:"notice,omitempty" doc:"What a person reads who is asked who they are."`

	Wait       span.Span `json:"wait,omitempty" yaml:"wait,omitempty" doc:"How long a connected agent waits for a change before it asks anew: 5s to 5m; 55s when absent."`
	Report     span.Span `json:"report_every,omitempty" yaml:"report_every,omitempty" doc:"An agent reports at least so often: 1m to 1h; 5m when absent."`
	Gap        span.Span `json:"gap,omitempty" yaml:"gap,omitempty" doc:"After a broken connection an agent asks again within this, first soon and then less often: 5s to 1h; 90s when absent."`
	HurryUntil string    `json:"hurry_until,omitempty" yaml:"hurry_until,omitempty" doc:"RFC 3339: until then agents ask and report often, as for a roll-out: every 15 s, within 10 s of a broken connection, a report a minute."`

	AnswersPerSecond int    `json:"answers_per_second,omitempty" yaml:"answers_per_second,omitempty" minimum:"10" maximum:"100000" doc:"A change reaches connected agents spread out, at most about so many a second; 2500 when absent."`
	Note             string `json:"note,omitempty" yaml:"note,omitempty"`
}

// ContinuitySettings say how servers and devices are watched, and how a server comes back on duty.
type ContinuitySettings struct {
	Probe      span.Span  `json:"probe_every,omitempty" yaml:"probe_every,omitempty" doc:"How often servers, and devices that people reach directly, are probed: 2s to 1h; 10s when absent."`
	DownAfter  int        `json:"down_after,omitempty" yaml:"down_after,omitempty" minimum:"1" maximum:"100" doc:"Failed probes in a row after which one is down; 2 when absent."`
	UpAfter    int        `json:"up_after,omitempty" yaml:"up_after,omitempty" minimum:"1" maximum:"100" doc:"Answered probes in a row after which one is up again; 3 when absent."`
	FlapWithin span.Span  `json:"flap_within,omitempty" yaml:"flap_within,omitempty" doc:"What goes up and down too often within this time is held down: 1m to 1d; 10m when absent."`
	FlapMost   int        `json:"flap_most,omitempty" yaml:"flap_most,omitempty" minimum:"1" maximum:"100" doc:"So many changes within that time are not too often; 4 when absent."`
	Return     *span.Span `json:"return_over,omitempty" yaml:"return_over,omitempty" doc:"Over how long a member of a set takes its people back, at most 1d; 0s is at once, 5m when absent."`
	Note       string     `json:"note,omitempty" yaml:"note,omitempty"`
}

// Continuity gives the settings for continuity with their defaults; Return is not nil.
func (d *Document) Continuity() ContinuitySettings {
	var s ContinuitySettings
	if d.Settings != nil && d.Settings.Continuity != nil {
		s = *d.Settings.Continuity
	}
	s.Probe, s.DownAfter, s.UpAfter = cmp.Or(s.Probe, span.Span(10*time.Second)), cmp.Or(s.DownAfter, 2),
		cmp.Or(s.UpAfter, 3)
	s.FlapWithin, s.FlapMost = cmp.Or(s.FlapWithin, span.Span(10*time.Minute)), cmp.Or(s.FlapMost, 4)
	if s.Return == nil {
		five := span.Span(5 * time.Minute)
		s.Return = &five
	}
	return s
}

// HistorySettings say how long history is kept.
type HistorySettings struct {
	People span.Span `json:"people,omitempty" yaml:"people,omitempty" doc:"For how long it is kept what a person had: picks, sessions at endpoints, entries of the directory that have ended. 1d to 3650d; for ever when absent."`
	Events span.Span `json:"events,omitempty" yaml:"events,omitempty" doc:"For how long it is kept what was seen to happen: what failed, answered again, was found. 30d to 3650d; 400d when absent."`
	Audit  span.Span `json:"audit,omitempty" yaml:"audit,omitempty" doc:"For how long it is kept who did what. 30d to 36500d; for ever when absent."`
	Note   string    `json:"note,omitempty" yaml:"note,omitempty"`
}

// Agent gives the settings for agents with their defaults.
func (d *Document) Agent() AgentSettings {
	var s AgentSettings
	if d.Settings != nil && d.Settings.Agents != nil {
		s = *d.Settings.Agents
	}
	if s.UserFrom == "" {
		s.UserFrom = SystemUnlessUnknown
	}
	s.Wait, s.Report = cmp.Or(s.Wait, span.Span(55*time.Second)), cmp.Or(s.Report, span.Span(5*time.Minute))
	s.Gap, s.AnswersPerSecond = cmp.Or(s.Gap, span.Span(90*time.Second)), cmp.Or(s.AnswersPerSecond, 2500)
	return s
}

// Hurried gives the settings as they hold at a time: while a roll-out is on, agents ask and report often.
func (s AgentSettings) Hurried(now time.Time) AgentSettings {
	if until, err := time.Parse(time.RFC3339, s.HurryUntil); err == nil && now.Before(until) {
		s.Wait, s.Gap = min(s.Wait, span.Span(15*time.Second)), min(s.Gap, span.Span(10*time.Second))
		s.Report = span.Span(time.Minute)
	}
	return s
}

// eventsKept is for how long events are kept where the estate does not say.
const eventsKept = 400 * aDay

// EventsKept gives for how long it is kept what was seen to happen, and who did what; 0 for ever.
func (d *Document) EventsKept() (seen, done time.Duration) {
	if d.Settings == nil || d.Settings.History == nil {
		return eventsKept, 0
	}
	return d.Settings.History.Events.Or(eventsKept), d.Settings.History.Audit.D()
}

// PeopleKept gives for how long a person's history is kept; 0 for ever.
func (d *Document) PeopleKept() time.Duration {
	if d.Settings == nil || d.Settings.History == nil {
		return 0
	}
	return d.Settings.History.People.D()
}

// settingsTable treats the settings as a list of objects, by their keys.
type settingsTable struct{}

// SettingNames are the settings that there are.
func SettingNames() []string { return settingNames() }

func settingNames() []string {
	return []string{AgentsSetting, HistorySetting, ContinuitySetting, MailSetting, OutgoingSetting, SignInSetting,
		AuditSetting, JobsSetting}
}

func (settingsTable) list() string { return "settings" }
func (settingsTable) word() string { return "setting" }

func (t settingsTable) each(d *Document, f func(string, any)) {
	for _, n := range settingNames() {
		if v := t.find(d, n); v != nil {
			f(n, v)
		}
	}
}

func (settingsTable) find(d *Document, name string) any {
	switch {
	case d.Settings == nil:
	case name == AgentsSetting && d.Settings.Agents != nil:
		return d.Settings.Agents
	case name == HistorySetting && d.Settings.History != nil:
		return d.Settings.History
	case name == ContinuitySetting && d.Settings.Continuity != nil:
		return d.Settings.Continuity
	case name == MailSetting && d.Settings.Mail != nil:
		return d.Settings.Mail
	case name == OutgoingSetting && d.Settings.Outgoing != nil:
		return d.Settings.Outgoing
	case name == SignInSetting && d.Settings.SignIn != nil:
		return d.Settings.SignIn
	case name == AuditSetting && d.Settings.Audit != nil:
		return d.Settings.Audit
	case name == JobsSetting && d.Settings.Jobs != nil:
		return d.Settings.Jobs
	}
	return nil
}

func (t settingsTable) changes(a, b *Document) []Change {
	var out []Change
	for _, n := range settingNames() {
		before, after := t.find(a, n), t.find(b, n)
		if !(before == nil && after == nil) && !t.equal(before, after) {
			out = append(out, Change{Ref: Ref{t.list(), n}, Before: before, After: after})
		}
	}
	return out
}

func (t settingsTable) apply(d *Document, changes []Change) {
	changed := slices.ContainsFunc(changes, func(c Change) bool { return c.List == t.list() })
	if !changed {
		return
	}
	var next Settings
	if d.Settings != nil {
		next = *d.Settings
	}
	for _, c := range changes {
		if c.List != t.list() {
			continue
		}
		switch c.Name {
		case AgentsSetting:
			next.Agents, _ = c.After.(*AgentSettings)
		case HistorySetting:
			next.History, _ = c.After.(*HistorySettings)
		case ContinuitySetting:
			next.Continuity, _ = c.After.(*ContinuitySettings)
		case MailSetting:
			next.Mail, _ = c.After.(*MailSettings)
		case OutgoingSetting:
			next.Outgoing, _ = c.After.(*OutgoingSettings)
		case SignInSetting:
			next.SignIn, _ = c.After.(*SignInSettings)
		case AuditSetting:
			next.Audit, _ = c.After.(*AuditSettings)
		case JobsSetting:
			next.Jobs, _ = c.After.(*JobSettings)
		}
	}
	d.Settings = &next
	if next == (Settings{}) {
		d.Settings = nil
	}
}

func (settingsTable) sort(*Document)      {}
func (settingsTable) equal(a, b any) bool { return a != nil && b != nil && reflect.DeepEqual(a, b) }

func (settingsTable) decode(name string, raw json.RawMessage) (any, error) {
	switch name {
	case AgentsSetting:
		v := new(AgentSettings)
		return v, json.Unmarshal(raw, v)
	case ContinuitySetting:
		v := new(ContinuitySettings)
		return v, json.Unmarshal(raw, v)
	case MailSetting:
		v := new(MailSettings)
		return v, json.Unmarshal(raw, v)
	case OutgoingSetting:
		v := new(OutgoingSettings)
		return v, json.Unmarshal(raw, v)
	case SignInSetting:
		v := new(SignInSettings)
		return v, json.Unmarshal(raw, v)
	case AuditSetting:
		v := new(AuditSettings)
		return v, json.Unmarshal(raw, v)
	case JobsSetting:
		v := new(JobSettings)
		return v, json.Unmarshal(raw, v)
	}
	v := new(HistorySettings)
	return v, json.Unmarshal(raw, v)
}

func (p *parser) settings(o document.Object) {
	d := p.doc
	if d.Settings == nil {
		d.Settings = &Settings{}
	}
	if n, ok := o.Get(AgentsSetting); ok {
		if v, ok := n.Object([]string{"user_from", "notice", "wait", "report_every", "gap", "answers_per_second",
			"hurry_until", "note", "wait_seconds", "report_minutes", "gap_seconds"}); ok {
			p.setting(AgentsSetting, n)
			s := &AgentSettings{UserFrom: UserFrom(v.Text("user_from")), Notice: v.Text("notice"), Note: v.Text("note")}
			ways := []UserFrom{FromSystem, FromAsking, SystemUnlessUnknown}
			if f, wrote := v.Get("user_from"); wrote && !slices.Contains(ways, s.UserFrom) {
				f.Complain("write system, ask or system-unless-unknown", "%q is no way to know who sits at a machine", s.UserFrom)
			}
			if t, wrote := v.Get("notice"); wrote && (len(s.Notice) > 2000 || strings.TrimSpace(s.Notice) == "") {
				t.Complain("write 1 to 2000 characters, or leave it out", "the notice is empty or too long")
			}
			if n, wrote := v.Get("hurry_until"); wrote {
				s.HurryUntil = v.Text("hurry_until")
				if _, err := time.Parse(time.RFC3339, s.HurryUntil); err != nil {
					n.Complain("write a time with its offset, such as 2026-11-23T18:00:00+01:00", "%q is no time", s.HurryUntil)
				}
			}
			spanOf(v, "wait", 5*time.Second, 5*time.Minute, former{"wait_seconds", time.Second}, &s.Wait)
			spanOf(v, "report_every", time.Minute, time.Hour, former{"report_minutes", time.Minute}, &s.Report)
			spanOf(v, "gap", 5*time.Second, time.Hour, former{"gap_seconds", time.Second}, &s.Gap)
			number(v, "answers_per_second", 10, 100_000, &s.AnswersPerSecond)
			d.Settings.Agents = s
		}
	}
	if n, ok := o.Get(HistorySetting); ok {
		if v, ok := n.Object([]string{"people", "events", "audit", "note", "person_days", "event_days", "audit_days"}); ok {
			p.setting(HistorySetting, n)
			s := &HistorySettings{Note: v.Text("note")}
			spanOf(v, "people", aDay, 3650*aDay, former{"person_days", aDay}, &s.People)
			spanOf(v, "events", 30*aDay, 3650*aDay, former{"event_days", aDay}, &s.Events)
			spanOf(v, "audit", 30*aDay, 36500*aDay, former{"audit_days", aDay}, &s.Audit)
			d.Settings.History = s
		}
	}
	if n, ok := o.Get(ContinuitySetting); ok {
		if v, ok := n.Object([]string{"probe_every", "down_after", "up_after", "flap_within", "flap_most", "return_over",
			"note", "probe_seconds", "flap_minutes", "return_minutes"}); ok {
			p.setting(ContinuitySetting, n)
			s := &ContinuitySettings{Note: v.Text("note")}
			spanOf(v, "probe_every", 2*time.Second, time.Hour, former{"probe_seconds", time.Second}, &s.Probe)
			number(v, "down_after", 1, 100, &s.DownAfter)
			number(v, "up_after", 1, 100, &s.UpAfter)
			spanOf(v, "flap_within", time.Minute, aDay, former{"flap_minutes", time.Minute}, &s.FlapWithin)
			number(v, "flap_most", 1, 100, &s.FlapMost)
			over := span.Span(0)
			if spanOf(v, "return_over", 0, aDay, former{"return_minutes", time.Minute}, &over) {
				s.Return = &over
			}
			d.Settings.Continuity = s
		}
	}
	if n, ok := o.Get(MailSetting); ok {
		d.Settings.Mail = p.mailSetting(n)
	}
	if n, ok := o.Get(OutgoingSetting); ok {
		d.Settings.Outgoing = p.outgoingSetting(n)
	}
	if n, ok := o.Get(SignInSetting); ok {
		d.Settings.SignIn = p.signInSetting(n)
	}
	if n, ok := o.Get(AuditSetting); ok {
		d.Settings.Audit = p.auditSetting(n)
	}
	if n, ok := o.Get(JobsSetting); ok {
		d.Settings.Jobs = jobsSetting(p, n)
	}
	if *d.Settings == (Settings{}) {
		d.Settings = nil
	}
}

// number reads a whole number within bounds, where one is written.
func number(o document.Object, key string, least, most int, into *int) {
	if n, wrote := o.Get(key); wrote {
		*into, _ = n.Int(least, most)
	}
}

// setting complains where one of the files has said it already.
func (p *parser) setting(name string, at document.Node) { p.define("setting", name, at) }

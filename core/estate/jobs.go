package estate

import (
	"cmp"
	"slices"
	"strconv"
	"strings"
	"time"

	"cirque/core/document"
	"cirque/core/span"
)

// QueueJobs say what the gateway does with a queue's jobs. Nil is a queue that streams.
type QueueJobs struct {
	Take         string   `json:"take,omitempty" yaml:"take,omitempty" enum:"stream,keep,hold" doc:"stream (when absent): straight through, nothing is kept; keep: written down first, then sent; hold: waits for its owner."`
	ReleaseAt    []string `json:"release_at,omitempty" yaml:"release_at,flow,omitempty" doc:"With hold: devices, and within:LOCATION, where its owner may have it; the queue's own devices when absent."`
	Expires      Term     `json:"expires,omitempty" yaml:"expires,omitempty" doc:"With hold: deleted when it has waited so long for its owner, 1h to 30d; 24h when absent."`
	CopiesFor    Term     `json:"copies_for,omitempty" yaml:"copies_for,omitempty" doc:"With keep or hold: the finished document stays so long for another copy, 0 to 7d; 0 when absent."`
	OutsideHours string   `json:"outside_hours,omitempty" yaml:"outside_hours,omitempty" enum:"refuse,wait" doc:"What becomes of jobs outside its hours: refuse (when absent), or wait, which needs keep or hold."`
	SignIn       string   `json:"sign_in,omitempty" yaml:"sign_in,omitempty" doc:"How long a device key serves from its making with the password: always (for one job), or 1h to 365d; 30d when absent."`
	Charge       string   `json:"charge,omitempty" yaml:"charge,omitempty" enum:"none,optional,required" doc:"Whether a job is charged to something: none (when absent), optional or required."`
}

// How a queue takes jobs.
const (
	TakeStream = "stream"
	TakeKeep   = "keep"
	TakeHold   = "hold"
)

// Whether a queue's jobs are charged.
const (
	NoCharge       = "none"
	OptionalCharge = "optional"
	RequiredCharge = "required"
)

// SignInAlways has a device key serve for one job.
const SignInAlways = "always"

// JobsOf gives what is done with a queue's jobs, with the defaults filled in.
func (q *Queue) JobsOf() QueueJobs {
	var j QueueJobs
	if q.Jobs != nil {
		j = *q.Jobs
	}
	j.Take, j.OutsideHours = cmp.Or(j.Take, TakeStream), cmp.Or(j.OutsideHours, "refuse")
	j.SignIn, j.Charge = cmp.Or(j.SignIn, "30d"), cmp.Or(j.Charge, NoCharge)
	j.Expires = cmp.Or(j.Expires, Term(aDay))
	return j
}

// HasGateway says whether one of the queue's paths leads through the gateway.
func (q *Queue) HasGateway() bool {
	return slices.ContainsFunc(q.Paths, func(p Path) bool { return p.Gateway })
}

// WaitsOutsideHours says whether jobs wait that come outside the queue's hours.
func (q *Queue) WaitsOutsideHours() bool { return q.Jobs != nil && q.Jobs.OutsideHours == "wait" }

// A Term is a length of time as those of jobs are written: a number with m, h or d, or 0.
type Term time.Duration

// D gives it as a duration.
func (t Term) D() time.Duration { return time.Duration(t) }

// String writes it with the largest unit of which it is a whole number.
func (t Term) String() string {
	for _, u := range []struct {
		is   time.Duration
		name string
	}{{aDay, "d"}, {time.Hour, "h"}, {time.Minute, "m"}} {
		if t.D() != 0 && t.D()%u.is == 0 {
			return strconv.Itoa(int(t.D()/u.is)) + u.name
		}
	}
	return "0"
}

// MarshalText writes it.
func (t Term) MarshalText() ([]byte, error) { return []byte(t.String()), nil }

// UnmarshalText reads it.
func (t *Term) UnmarshalText(text []byte) error {
	d, err := span.Parse(string(text))
	*t = Term(d)
	return err
}

// A Charge is what a job can be charged to, and who may charge to it.
type Charge struct {
	Name  string   `json:"name" yaml:"name"`
	Title string   `json:"title,omitempty" yaml:"title,omitempty"`
	To    []string `json:"to,omitempty" yaml:"to,flow,omitempty" doc:"Who may charge a job to it; everybody when absent."`
	Note  string   `json:"note,omitempty" yaml:"note,omitempty"`
}

// Every is how long a window of an allowance is.
type Every string

// The windows.
const (
	EveryDay   Every = "day"
	EveryWeek  Every = "week" // from Monday
	EveryMonth Every = "month"
	EveryNever Every = "never" // it never begins anew
)

// Over says what becomes of jobs that an allowance has no room for.
type Over string

// The choices.
const (
	OverRefuse Over = "refuse"
	OverHold   Over = "hold" // until the next window, or somebody's leave
	OverTell   Over = "tell" // printed, and both are told
)

// An Allowance is how many pages each of some people may print in a window on some queues.
type Allowance struct {
	Name     string   `json:"name" yaml:"name"`
	Title    string   `json:"title,omitempty" yaml:"title,omitempty"`
	Formerly []string `json:"formerly,omitempty" yaml:"formerly,flow,omitempty" doc:"Old names; balances go on under the new one."`
	To       []string `json:"to,omitempty" yaml:"to,flow,omitempty" doc:"Whom it holds for; everybody when absent."`
	Queues   []string `json:"queues" yaml:"queues,flow" doc:"Names, label:a+b or within:LOCATION."`
	Pages    int      `json:"pages" yaml:"pages" minimum:"0" maximum:"10000000" doc:"Impressions for each person in each window."`
	Every    Every    `json:"every" yaml:"every" enum:"day,week,month,never"`
	Over     Over     `json:"over" yaml:"over" enum:"refuse,hold,tell"`
	Note     string   `json:"note,omitempty" yaml:"note,omitempty"`
}

// JobsSetting is what holds for all jobs.
const JobsSetting = "jobs"

// JobSettings hold for all jobs.
type JobSettings struct {
	KeepRecords Term   `json:"keep_records,omitempty" yaml:"keep_records,omitempty" doc:"For how long it is kept that a job was, 1d to 3650d; 90d when absent."`
	JobNames    string `json:"job_names,omitempty" yaml:"job_names,omitempty" enum:"owner,help-desk,all" doc:"Who reads what a job is called; its owner when absent."`
	MaxBytes    int64  `json:"max_bytes,omitempty" yaml:"max_bytes,omitempty" minimum:"1024" maximum:"1099511627776" doc:"The largest document; 2147483648 when absent."`
	MoveAfter   Term   `json:"move_after,omitempty" yaml:"move_after,omitempty" doc:"A job whose device has stopped goes to another after so long, where nothing of it has come out; 0 (never, when absent) to 24h."`
	Note        string `json:"note,omitempty" yaml:"note,omitempty"`
}

// Who reads what jobs are called.
const (
	NamesOwner    = "owner"
	NamesHelpDesk = "help-desk"
	NamesAll      = "all"
)

// JobSetting gives the setting with its defaults.
func (d *Document) JobSetting() JobSettings {
	var s JobSettings
	if d.Settings != nil && d.Settings.Jobs != nil {
		s = *d.Settings.Jobs
	}
	s.KeepRecords = cmp.Or(s.KeepRecords, Term(90*aDay))
	s.JobNames, s.MaxBytes = cmp.Or(s.JobNames, NamesOwner), cmp.Or(s.MaxBytes, 2<<30)
	return s
}

func jobsSetting(p *parser, n document.Node) *JobSettings {
	v, ok := n.Object([]string{"keep_records", "job_names", "max_bytes", "move_after", "note"})
	if !ok {
		return nil
	}
	p.setting(JobsSetting, n)
	s := &JobSettings{JobNames: p.oneOf(v, "job_names", NamesOwner, NamesHelpDesk, NamesAll), Note: v.Text("note")}
	jobSpan(v, "keep_records", aDay, 3650*aDay, &s.KeepRecords)
	most := 0
	number(v, "max_bytes", 1024, 1<<40, &most)
	s.MaxBytes = int64(most)
	jobSpan(v, "move_after", 0, aDay, &s.MoveAfter)
	return s
}

// jobSpan reads a length of time as those of jobs are written: a number with m, h or d, or 0.
func jobSpan(o document.Object, key string, least, most time.Duration, into *Term) {
	n, wrote := o.Get(key)
	if !wrote {
		return
	}
	v, ok := n.Value()
	text, is := v.(string)
	if number, bare := v.(float64); ok && bare && number == 0 {
		text, is = "0", true
	}
	digits := strings.TrimRight(text, "mhd")
	switch {
	case !is || text != "0" && (len(text) != len(digits)+1 || digits == "" || digits[0] == '0' ||
		strings.Trim(digits, "0123456789") != ""):
		n.Complain("write a number with m, h or d, such as 24h, or 0", "that is no length of time")
	default:
		var read span.Span
		bounded(n, text, least, most, &read)
		*into = Term(read)
	}
}

var queueJobsKeys = []string{"take", "release_at", "expires", "copies_for", "outside_hours", "sign_in", "charge"}

func queueJobs(p *parser, n document.Node, q *Queue, from string) *QueueJobs {
	o, ok := n.Object(queueJobsKeys)
	if !ok {
		return nil
	}
	j := &QueueJobs{Take: p.oneOf(o, "take", TakeStream, TakeKeep, TakeHold), OutsideHours: p.oneOf(o, "outside_hours",
		"refuse", "wait"), Charge: p.oneOf(o, "charge", NoCharge, OptionalCharge, RequiredCharge)}
	at := o.Texts("release_at")
	j.ReleaseAt = document.Values(at)
	for _, t := range at {
		if place, within := strings.CutPrefix(t.Value, "within:"); within {
			p.refer(t.Node, "location", place, from)
		} else {
			p.refer(t.Node, "device", t.Value, from)
		}
	}
	jobSpan(o, "expires", time.Hour, 30*aDay, &j.Expires)
	jobSpan(o, "copies_for", 0, 7*aDay, &j.CopiesFor)
	if s, wrote := o.Get("sign_in"); wrote {
		if j.SignIn, _ = s.Text(); j.SignIn != SignInAlways {
			var lasts Term
			jobSpan(o, "sign_in", time.Hour, 365*aDay, &lasts)
		}
	}
	take := cmp.Or(j.Take, TakeStream)
	for _, c := range []struct {
		key  string
		with []string
	}{{"release_at", []string{TakeHold}}, {"expires", []string{TakeHold}}, {"copies_for", []string{TakeKeep, TakeHold}}} {
		if k, wrote := o.Get(c.key); wrote && !slices.Contains(c.with, take) {
			k.Complain("write take: "+strings.Join(c.with, " or ")+", or leave it out", "%s says nothing where jobs are taken "+
				"as %s", c.key, take)
		}
	}
	if k, wrote := o.Get("outside_hours"); wrote && j.OutsideHours == "wait" && take == TakeStream {
		k.Complain("write take: keep or hold, or outside_hours: refuse", "jobs can wait only where they are kept")
	}
	if !q.HasGateway() {
		n.Complain("add {gateway: true} to its paths, or leave jobs out", "only the gateway does anything with jobs, and "+
			"the %s has no path through it", from)
	}
	return j
}

func charge(p *parser, o document.Object) {
	c := Charge{Name: p.name(o, "charge"), Title: o.Text("title"), Note: o.Text("note")}
	c.To = p.entries(o, "to", toKinds(), "charge "+c.Name)
	p.doc.Charges = append(p.doc.Charges, c)
}

func allowance(p *parser, o document.Object) {
	o.Need("queues", "pages", "every", "over")
	a := Allowance{Name: p.name(o, "allowance"), Title: o.Text("title"), Note: o.Text("note"),
		Every: Every(p.oneOf(o, "every", string(EveryDay), string(EveryWeek), string(EveryMonth), string(EveryNever))),
		Over:  Over(p.oneOf(o, "over", string(OverRefuse), string(OverHold), string(OverTell)))}
	from := "allowance " + a.Name
	a.Formerly = p.formerly(o, "allowance", from)
	a.To = p.entries(o, "to", toKinds(), from)
	a.Queues = selectors(p, o, from)
	if n, ok := o.Get("pages"); ok {
		a.Pages, _ = n.Int(0, 10_000_000)
	}
	p.doc.Allowances = append(p.doc.Allowances, a)
}

// selectors reads a list that selects queues.
func selectors(p *parser, o document.Object, from string) []string {
	texts := o.Texts("queues")
	for _, t := range texts {
		sel, err := ParseSelector(t.Value)
		switch {
		case err != nil:
			complain(t.Node, err)
		case sel.Queue != "":
			p.refer(t.Node, "queue", sel.Queue, from)
		case sel.Within != "":
			p.refer(t.Node, "location", sel.Within, from)
		}
	}
	return document.Values(texts)
}

func (a *Allowance) entries(f func(list *[]string)) { f(&a.To) }

func (c *Charge) entries(f func(list *[]string)) { f(&c.To) }

func sameJobs(a, b *QueueJobs) bool {
	return a == b || a != nil && b != nil && a.Take == b.Take && a.Expires == b.Expires && a.CopiesFor == b.CopiesFor &&
		a.OutsideHours == b.OutsideHours && a.SignIn == b.SignIn && a.Charge == b.Charge &&
		slices.Equal(a.ReleaseAt, b.ReleaseAt)
}

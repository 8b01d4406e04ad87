package estate

import (
	"net/netip"
	"slices"
	"strings"
	"time"

	"cirque/core/document"
)

// A Promise is a context with what it must and must not receive: a test that rehearsals and publishing are held
// against.
type Promise struct {
	Name     string          `json:"name" yaml:"name"`
	Title    string          `json:"title,omitempty" yaml:"title,omitempty"`
	Context  *PromiseContext `json:"context,omitempty" yaml:"context,flow,omitempty" doc:"Who, where, on what, how and when; the present where no time is given."`
	Receives []string        `json:"receives,omitempty" yaml:"receives,flow,omitempty" doc:"Queues that are in the lineup: placed, picked or offered."`
	Never    []string        `json:"never,omitempty" yaml:"never,flow,omitempty" doc:"Queues that are not."`
	Default  string          `json:"default,omitempty" yaml:"default,omitempty" doc:"The queue that is the default."`
	Until    string          `json:"until,omitempty" yaml:"until,omitempty" doc:"The last day (UTC) on which it is held, such as 2026-12-31, or a time with its offset."`
	Note     string          `json:"note,omitempty" yaml:"note,omitempty"`
}

// A PromiseContext is the context of a promise, as the API asks for lineups.
type PromiseContext struct {
	User      string   `json:"user,omitempty" yaml:"user,omitempty"`
	Machine   string   `json:"machine,omitempty" yaml:"machine,omitempty"`
	Host      string   `json:"host,omitempty" yaml:"host,omitempty" doc:"The session host; remote and virtual sessions only."`
	Addresses []string `json:"addresses,omitempty" yaml:"addresses,flow,omitempty"`
	Location  string   `json:"location,omitempty" yaml:"location,omitempty"`
	Session   string   `json:"session,omitempty" yaml:"session,omitempty" enum:"desktop,remote,virtual,mobile,browser"`
	Platform  string   `json:"platform,omitempty" yaml:"platform,omitempty" doc:"os/arch, such as windows/x64."`
	Time      string   `json:"time,omitempty" yaml:"time,omitempty" doc:"RFC 3339 with offset."`
}

// Queues are all that the promise names.
func (p Promise) Queues() []string {
	out := slices.Concat(p.Receives, p.Never)
	if p.Default != "" {
		out = append(out, p.Default)
	}
	return out
}

// place is the location of its context, where it names one.
func (p Promise) place() string {
	if p.Context == nil {
		return ""
	}
	return p.Context.Location
}

func (p *parser) promise(o document.Object) {
	v := Promise{Name: p.name(o, "promise"), Title: o.Text("title"), Note: o.Text("note")}
	from := "promise " + v.Name
	v.Receives, v.Never = p.names(o, "receives", "queue", from), p.names(o, "never", "queue", from)
	if n, ok := o.Get("default"); ok {
		if v.Default, ok = n.Text(); ok {
			p.refer(n, "queue", v.Default, from)
		}
	}
	if n, ok := o.Get("never"); ok {
		for _, q := range v.Never {
			if slices.Contains(v.Receives, q) || q == v.Default {
				n.Complain("leave it out of one of the two", "%s is to be received and never to be", q)
			}
		}
	}
	if len(v.Receives)+len(v.Never) == 0 && v.Default == "" {
		o.Complain("add receives, never or default, such as receives: [hall-mono]", "the promise says nothing")
	}
	v.Until = until(o)
	o.Need("context")
	if n, ok := o.Get("context"); ok {
		if c, ok := n.Object([]string{"user", "machine", "host", "addresses", "location", "session", "platform",
			"time"}); ok {
			v.Context = p.promiseContext(c, from)
		}
	}
	p.doc.Promises = append(p.doc.Promises, v)
}

func (p *parser) promiseContext(o document.Object, from string) *PromiseContext {
	c := &PromiseContext{User: o.Text("user"), Machine: o.Text("machine"), Host: o.Text("host"),
		Addresses: document.Values(o.Texts("addresses")), Location: p.place(o, from),
		Session: o.Text("session"), Platform: o.Text("platform"), Time: o.Text("time")}
	if c.User == "" && c.Machine == "" && len(c.Addresses) == 0 {
		o.Complain("say at least one of user, machine and addresses", "the context says neither who nor where")
	}
	for _, t := range o.Texts("addresses") {
		if a, err := netip.ParseAddr(t.Value); err != nil || a.Zone() != "" {
			t.Complain("write an IPv4 or IPv6 address without a zone", "%q is no address", t.Value)
		}
	}
	complain := func(key, fix, format string, args ...any) {
		if n, ok := o.Get(key); ok {
			n.Complain(fix, format, args...)
		}
	}
	if c.Session != "" && !slices.Contains(Sessions(), c.Session) {
		fix := "write one of " + strings.Join(Sessions(), ", ")
		if k := document.Nearest(c.Session, Sessions()); k != "" {
			fix = "did you mean " + k + "?"
		}
		complain("session", fix, "%q is no kind of session", c.Session)
	}
	if c.Host != "" && c.Session != "remote" && c.Session != "virtual" {
		complain("host", "leave the host out, or say session: remote or virtual", "only remote and virtual sessions have a "+
			"session host")
	}
	if c.Platform != "" && !ValidPlatform(c.Platform, false) {
		complain("platform", "write os/arch, such as windows/x64", "%q is no platform", c.Platform)
	}
	if c.Time != "" {
		if _, err := time.Parse(time.RFC3339, c.Time); err != nil {
			complain("time", "write RFC 3339 with an offset, such as 2026-11-23T10:00:00+01:00", "%q is no time", c.Time)
		}
	}
	return c
}

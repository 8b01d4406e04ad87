package estate

import (
	"fmt"
	"slices"
	"strings"

	"cirque/core/document"
	"cirque/core/hours"
)

// formerly reads the old names of an object of a kind, none of which may be another's name.
func (p *parser) formerly(o document.Object, kind, from string) []string {
	list := p.names(o, "formerly", "", from)
	for _, old := range list {
		n, _ := o.Get("formerly")
		p.define("old "+kind, old, n)
		p.checks = append(p.checks, func() {
			if at, taken := p.defined[kind+" "+old]; taken && at.Place() != "" { // a base's are Integrity's concern
				n.Complain("leave it out of formerly, or rename that "+kind, "%q is the name of another %s, at %s", old, kind,
					at.Place())
			}
		})
	}
	return list
}

func (p *parser) queue(o document.Object) {
	q := Queue{Name: p.name(o, "queue"), Title: o.Text("title"), Listed: o.Bool("listed"), Paused: o.Bool("paused"),
		Retired: o.Bool("retired"), Note: o.Text("note")}
	from := "queue " + q.Name
	q.Location = p.place(o, from)
	q.Labels = p.names(o, "labels", "", from)
	q.Devices = p.names(o, "devices", "device", from)
	q.Formerly = p.formerly(o, "queue", from)
	o.Each("paths", []string{"device", "server", "set", "gateway", "remote_name", "at", "sessions"},
		func(c document.Object) {
			q.Paths = append(q.Paths, p.path(c, q, from))
		})
	if n, ok := o.Get("drivers"); ok {
		q.Drivers = p.drivers(n, from)
	}
	if n, ok := o.Get("defaults"); ok {
		if c, ok := n.Object(nil); ok {
			q.Defaults = map[string]any{}
			for _, k := range c.Keys() {
				v, _ := c.Get(k)
				if x, ok := v.Value(); ok {
					q.Defaults[k] = x
				}
			}
		}
	}
	if n, ok := o.Get("access"); ok {
		if c, ok := n.Object([]string{"allow", "deny"}); ok {
			q.Access = &Access{Allow: p.entries(c, "allow", exceptKinds(), from), Deny: p.entries(c, "deny",
				exceptKinds(), from)}
		}
	}
	q.Units, q.OnServers = p.units(o, from), p.onServers(o)
	q.Open, q.Until, q.Purpose = p.windows(o), until(o), p.oneOf(o, "purpose", Practice, Helper)
	if n, ok := o.Get("jobs"); ok {
		q.Jobs = queueJobs(p, n, &q, from)
	}
	if n, ok := o.Get("listed"); ok && q.Listed && (q.Purpose == Practice || q.Purpose == Helper) {
		n.Complain("leave one of the two out", "a queue for %s is on nobody's list, and in no directory", q.Purpose)
	}
	p.doc.Queues = append(p.doc.Queues, q)
}

// windows reads opening hours.
func (p *parser) windows(o document.Object) []Window {
	var out []Window
	o.Each("open", []string{"days", "from", "to"}, func(c document.Object) {
		c.Need("from", "to")
		w := Window{Days: document.Values(c.Texts("days")), From: c.Text("from"), To: c.Text("to")}
		for _, err := range hours.Problems(w.Days, w.From, w.To) {
			complain(c.Node, err)
		}
		out = append(out, w)
	})
	return out
}

func (p *parser) path(o document.Object, q Queue, from string) Path {
	out := Path{Device: o.Text("device"), Server: o.Text("server"), Set: o.Text("set"), RemoteName: o.Text("remote_name"),
		At: p.entries(o, "at", atKinds(), from), Sessions: p.sessions(o)}
	var kinds []string
	for _, k := range []string{"device", "server", "set", "gateway"} {
		if n, ok := o.Get(k); ok {
			kinds = append(kinds, k)
			if k != "gateway" {
				if s, ok := n.Text(); ok {
					p.refer(n, map[string]string{"device": "device", "server": "server", "set": "server set"}[k], s, "a path of "+from)
				}
			}
		}
	}
	if n, ok := o.Get("gateway"); ok {
		if out.Gateway, ok = n.Bool(); ok && !out.Gateway {
			n.Complain("write gateway: true, or leave the path out", "a path through the gateway is either there or not")
		}
	}
	switch {
	case len(kinds) > 1:
		o.Complain("make one path of each, in order of preference", "a path has one kind, this one has %s",
			strings.Join(kinds, " and "))
	case len(kinds) == 0:
		o.Complain("name a device, a server, a set or the gateway", "the path leads nowhere")
	case out.Device != "" && !slices.Contains(q.Devices, out.Device):
		o.Complain(fmt.Sprintf("add %s to the queue's devices, or name one of them", out.Device), "the path leads to the "+
			"device %q, which is not one of the queue's own", out.Device)
	case out.RemoteName != "" && out.Server == "" && out.Set == "":
		o.Complain("leave it out", "remote_name belongs to a path through a server or a set")
	}
	return out
}

func (p *parser) drivers(n document.Node, from string) map[string]string {
	o, ok := n.Object(nil)
	if !ok {
		return nil
	}
	out := map[string]string{}
	for _, k := range o.Keys() {
		v, _ := o.Get(k)
		if k != "*" && !ValidPlatform(k, true) {
			v.Complain(platformFix(k, true)+`, or "*"`, "%q is no platform", k)
		}
		s, ok := v.Text()
		if ok && s != Driverless {
			p.refer(v, "driver", s, from)
		}
		out[k] = s
	}
	return out
}

package estate

import (
	"fmt"
	"net/netip"
	"net/url"
	"regexp"
	"slices"
	"strings"

	"cirque/core/document"
	"cirque/core/fault"
	"cirque/core/hours"
	"cirque/core/words"
)

// Options of Parse.
type Options struct {
	// ValidZone says whether an IANA time zone is known; core loads none itself. Nil takes every name.
	ValidZone func(string) bool
	// Base holds objects to which references may lead besides those of the files, which may replace some of them.
	Base *Document
}

// Parse reads one estate from one or several files. Every problem is reported at once, as an Invalid fault with code
// "estate-invalid" whose details carry file and line; the document is nil then.
func Parse(files []document.File, opts Options) (*Document, error) {
	p := &parser{doc: &Document{Estate: Version}, opts: opts, defined: map[string]document.Node{}}
	for _, f := range files {
		for _, n := range p.reader.Read(f) {
			p.document(n)
		}
	}
	if p.first.Place() != "" && !p.versioned {
		p.first.Complain("add estate: 1", "the key \"estate\" is missing")
	}
	if opts.Base != nil {
		p.base()
	}
	p.resolve()
	if problems := p.reader.Problems(); len(problems) > 0 {
		return nil, fault.New(fault.Invalid, "estate-invalid", "mend the places below and try again; nothing was stored",
			"the estate has %s", words.Count(len(problems), "problem")).With(problems)
	}
	if len(files) == 0 {
		return nil, fault.New(fault.Invalid, "estate-invalid", "name at least one file", "no file was given")
	}
	return p.doc, nil
}

type parser struct {
	reader    document.Reader
	doc       *Document
	opts      Options
	defined   map[string]document.Node // by "list name"
	refs      []reference
	checks    []func() // run once everything is read
	first     document.Node
	versioned bool // one of the documents says which version it is
}

// A reference is checked at the end, since it may point forward or into another file.
type reference struct {
	at   document.Node
	list string // such as "device"
	name string
	from string // such as "queue hall-mono"
}

var topKeys = []string{"estate", "locations", "subnets", "stations", "drivers", "servers", "server_sets", "devices",
	"queues", "grants", "notices", "settings"}

func (p *parser) document(n document.Node) {
	o, ok := n.Object(topKeys)
	if !ok {
		return
	}
	if p.first.Place() == "" {
		p.first = n
	}
	p.versioned = p.versioned || o.Wrote("estate")
	if v, ok := o.Get("estate"); ok {
		v.Int(Version, Version)
	}
	if v, ok := o.Get("settings"); ok {
		if s, ok := v.Object(settingNames()); ok {
			p.settings(s)
		}
	}
	o.Each("locations", []string{"path", "title", "timezone", "cut_days", "note"}, p.location)
	o.Each("subnets", []string{"cidr", "location", "note"}, p.subnet)
	o.Each("stations", []string{"name", "title", "addresses", "location", "platform", "note"}, p.station)
	o.Each("drivers", []string{"name", "title", "exact", "platform", "note"}, p.driver)
	o.Each("servers", []string{"name", "title", "uri", "queue_root", "location", "note"}, p.server)
	o.Each("server_sets", []string{"name", "title", "style", "members", "note"}, p.serverSet)
	o.Each("devices", []string{"name", "title", "uri", "mac", "address_kept_by", "location", "note"}, p.device)
	o.Each("queues", []string{"name", "title", "formerly", "location", "labels", "devices", "paths", "drivers", "defaults",
		"access", "open", "listed", "paused", "retired", "note"}, p.queue)
	o.Each("grants", []string{"name", "title", "effect", "queues", "nearest", "to", "except", "at", "on", "sessions",
		"platforms", "open", "default", "insist", "if_removed", "note"}, p.grant)
	o.Each("notices", []string{"name", "title", "about", "at", "after", "part", "again", "tell", "owners",
		"note"}, p.notice)
}

// define records an object's name, and complains where it is taken.
func (p *parser) define(list, name string, at document.Node) {
	if first, taken := p.defined[list+" "+name]; taken {
		at.Complain("give one of the two another name", "the %s %q is already there, at %s", list, name, first.Place())
		return
	}
	p.defined[list+" "+name] = at
}

// name reads an object's own name.
func (p *parser) name(o document.Object, list string) string {
	o.Need("name")
	n, ok := o.Get("name")
	if !ok {
		return ""
	}
	s, ok := n.Text()
	if ok && !ValidName(s) {
		n.Complain(nameFix, "%q is no name for a %s", s, list)
	} else if ok {
		p.define(list, s, n)
	}
	return s
}

func (p *parser) refer(at document.Node, list, name, from string) {
	p.refs = append(p.refs, reference{at, list, name, from})
}

// place reads a location's path that must exist.
func (p *parser) place(o document.Object, from string) string {
	n, ok := o.Get("location")
	if !ok {
		return ""
	}
	s, ok := n.Text()
	if ok {
		p.refer(n, "location", s, from)
	}
	return s
}

func (p *parser) location(o document.Object) {
	o.Need("path")
	l := Location{Path: o.Text("path"), Title: o.Text("title"), Timezone: o.Text("timezone"), Note: o.Text("note")}
	n, ok := o.Get("path")
	if !ok {
		return
	}
	if !ValidPath(l.Path) {
		n.Complain("write names divided by slashes, the site first; "+nameFix, "%q is no path of a location", l.Path)
		return
	}
	if first, taken := p.defined["listed location "+l.Path]; taken {
		n.Complain("leave one of the two out", "the location %q is already there, at %s", l.Path, first.Place())
	}
	p.defined["listed location "+l.Path] = n
	for path := l.Path; ; {
		p.defined["location "+path] = n
		i := strings.LastIndexByte(path, '/')
		if i < 0 {
			break
		}
		path = path[:i]
	}
	if z, ok := o.Get("timezone"); ok {
		if strings.Contains(l.Path, "/") {
			z.Complain("put it at the site "+Site(l.Path), "a timezone belongs to a site, and %s is none", l.Path)
		} else if p.opts.ValidZone != nil && !p.opts.ValidZone(l.Timezone) {
			z.Complain("write an IANA name, such as Europe/Oslo", "the timezone %q is not known", l.Timezone)
		}
	}
	if n, ok := o.Get("cut_days"); ok {
		l.CutDays, _ = n.Int(1, 365)
		if strings.Contains(l.Path, "/") {
			n.Complain("put it at the site "+Site(l.Path), "cut_days belongs to a site, and %s is none", l.Path)
		}
	}
	p.doc.Locations = append(p.doc.Locations, l)
}

func (p *parser) subnet(o document.Object) {
	o.Need("cidr", "location")
	s := Subnet{Note: o.Text("note")}
	if n, ok := o.Get("cidr"); ok {
		if t, ok := n.Text(); ok {
			prefix, err := parsePrefix(t)
			if err != nil {
				complain(n, err)
			} else {
				p.define("subnet", prefix.String(), n)
				s.CIDR = prefix
			}
		}
	}
	s.Location = p.place(o, "subnet "+o.Text("cidr"))
	p.doc.Subnets = append(p.doc.Subnets, s)
}

// complain splits an error's text at its fix.
func complain(n document.Node, err error) {
	what, fix, _ := strings.Cut(err.Error(), "; ")
	n.Complain(fix, "%s", what)
}

func (p *parser) platform(o document.Object, bare bool) string {
	n, ok := o.Get("platform")
	if !ok {
		return ""
	}
	s, ok := n.Text()
	if ok && !ValidPlatform(s, bare) {
		n.Complain(platformFix(s, bare), "%q is no platform", s)
	}
	return s
}

func platformFix(s string, bare bool) string {
	if !bare && ValidPlatform(s, true) {
		return fmt.Sprintf("add the architecture, such as %s/x64", s)
	}
	what := "write os/arch"
	if bare {
		what = "write os or os/arch"
	}
	return fmt.Sprintf("%s with %s and %s", what, strings.Join(Systems(), ", "), strings.Join(Archs(), ", "))
}

func (p *parser) station(o document.Object) {
	s := Station{Name: p.name(o, "station"), Title: o.Text("title"), Platform: p.platform(o, false), Note: o.Text("note")}
	s.Location = p.place(o, "station "+s.Name)
	for _, t := range o.Texts("addresses") {
		a, err := netip.ParseAddr(t.Value)
		if err != nil || a.Zone() != "" {
			t.Complain("write an IPv4 or IPv6 address without a zone", "%q is no address", t.Value)
			continue
		}
		s.Addresses = append(s.Addresses, a.Unmap())
	}
	p.doc.Stations = append(p.doc.Stations, s)
}

func (p *parser) driver(o document.Object) {
	o.Need("exact", "platform")
	d := Driver{Name: p.name(o, "driver"), Title: o.Text("title"), Exact: o.Text("exact"), Platform: p.platform(o, true),
		Note: o.Text("note")}
	if n, ok := o.Get("name"); ok && d.Name == Driverless {
		n.Complain("give the driver another name", "%q is reserved for printing without a driver", Driverless)
	}
	if n, ok := o.Get("exact"); ok && strings.TrimSpace(d.Exact) == "" {
		n.Complain("copy the name from the driver's set-up file", "the exact name is empty")
	}
	p.doc.Drivers = append(p.doc.Drivers, d)
}

// uri reads an absolute URI with a host.
func (p *parser) uri(o document.Object) string {
	o.Need("uri")
	n, ok := o.Get("uri")
	if !ok {
		return ""
	}
	s, ok := n.Text()
	if !ok {
		return ""
	}
	u, err := url.Parse(s)
	switch {
	case err != nil || u.Scheme == "" || u.Host == "" && u.Opaque == "":
		n.Complain("write SCHEME://HOST, such as ipp://10.40.8.31/ipp/print", "%q is no absolute URI", s)
	case u.User != nil:
		n.Complain("leave the sign-in out of the URI", "%q carries a sign-in", u.Redacted())
	}
	return s
}

func (p *parser) server(o document.Object) {
	s := Server{Name: p.name(o, "server"), Title: o.Text("title"), URI: p.uri(o), Note: o.Text("note")}
	s.Location = p.place(o, "server "+s.Name)
	if n, ok := o.Get("queue_root"); ok {
		if t, ok := n.Text(); ok {
			s.QueueRoot = &t
		}
	}
	p.doc.Servers = append(p.doc.Servers, s)
}

func (p *parser) serverSet(o document.Object) {
	o.Need("style", "members")
	s := ServerSet{Name: p.name(o, "server set"), Title: o.Text("title"), Style: Style(p.oneOf(o, "style", string(Standby),
		string(Spread))), Note: o.Text("note")}
	s.Members = p.names(o, "members", "server", "server set "+s.Name)
	for i, m := range o.Texts("members") {
		if slices.Contains(s.Members[:i], m.Value) {
			m.Complain("leave one of the two out", "the server %q is a member twice", m.Value)
		}
	}
	p.doc.ServerSets = append(p.doc.ServerSets, s)
}

var macRE = regexp.MustCompile(`^[0-9a-f]{12}$`)

// NormalMAC brings a hardware address in any usual notation to six pairs divided by colons.
func NormalMAC(s string) (string, bool) {
	hex := strings.ToLower(strings.NewReplacer(":", "", "-", "", ".", "", " ", "").Replace(s))
	if !macRE.MatchString(hex) {
		return "", false
	}
	var pairs []string
	for i := 0; i < 12; i += 2 {
		pairs = append(pairs, hex[i:i+2])
	}
	return strings.Join(pairs, ":"), true
}

func (p *parser) device(o document.Object) {
	d := Device{Name: p.name(o, "device"), Title: o.Text("title"), URI: p.uri(o), AddressKeptBy: p.oneOf(o,
		"address_kept_by", "reservation", "static", "unknown"), Note: o.Text("note")}
	d.Location = p.place(o, "device "+d.Name)
	if n, ok := o.Get("mac"); ok {
		if t, ok := n.Text(); ok {
			if d.MAC, ok = NormalMAC(t); !ok {
				n.Complain("write twelve hex digits, such as 02:00:5e:10:00:31", "%q is no hardware address", t)
			}
		}
	}
	p.doc.Devices = append(p.doc.Devices, d)
}

func (p *parser) oneOf(o document.Object, key string, words ...string) string {
	n, ok := o.Get(key)
	if !ok {
		return ""
	}
	s, ok := n.Text()
	if ok && !slices.Contains(words, s) {
		fix := "write one of " + strings.Join(words, ", ")
		if k := document.Nearest(s, words); k != "" {
			fix = fmt.Sprintf("did you mean %q? %s", k, fix)
		}
		n.Complain(fix, "%q is no value for %s", s, key)
	}
	return s
}

// names reads a list of names: of objects in a list of the estate, or, where list is empty, names of their own.
func (p *parser) names(o document.Object, key, list, from string) []string {
	texts := o.Texts(key)
	for _, t := range texts {
		if list != "" {
			p.refer(t.Node, list, t.Value, from)
		} else if !ValidName(t.Value) {
			t.Complain(nameFix, "%q is no name under %s", t.Value, key)
		}
	}
	return document.Values(texts)
}

func (p *parser) queue(o document.Object) {
	q := Queue{Name: p.name(o, "queue"), Title: o.Text("title"), Listed: o.Bool("listed"), Paused: o.Bool("paused"),
		Retired: o.Bool("retired"), Note: o.Text("note")}
	from := "queue " + q.Name
	q.Location = p.place(o, from)
	q.Labels = p.names(o, "labels", "", from)
	q.Devices = p.names(o, "devices", "device", from)
	q.Formerly = p.names(o, "formerly", "", from)
	for _, old := range q.Formerly {
		n, _ := o.Get("formerly")
		p.define("old queue", old, n)
		p.checks = append(p.checks, func() {
			if at, taken := p.defined["queue "+old]; taken && at.Place() != "" { // a base's are Integrity's concern
				n.Complain("leave it out of formerly, or rename that queue", "%q is the name of another queue, at %s",
					old, at.Place())
			}
		})
	}
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
	q.Open = p.windows(o)
	p.doc.Queues = append(p.doc.Queues, q)
}

// windows reads opening hours.
func (p *parser) windows(o document.Object) []Window {
	var out []Window
	o.Each("open", []string{"days", "from", "to"}, func(c document.Object) {
		c.Need("from", "to")
		w := Window{Days: document.Values(c.Texts("days")), From: c.Text("from"), To: c.Text("to")}
		if _, err := hours.Parse(w.Days, w.From, w.To); err != nil && w.From != "" && w.To != "" {
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

func (p *parser) sessions(o document.Object) []string {
	texts := o.Texts("sessions")
	for _, t := range texts {
		if !slices.Contains(Sessions(), t.Value) {
			t.Complain("write one of "+strings.Join(Sessions(), ", "), "%q is no kind of session", t.Value)
		}
	}
	return document.Values(texts)
}

func (p *parser) entries(o document.Object, key string, kinds []Kind, from string) []string {
	texts := o.Texts(key)
	for _, t := range texts {
		e, err := ParseEntry(t.Value)
		switch {
		case err != nil:
			complain(t.Node, err)
		case !slices.Contains(kinds, e.Kind):
			words := make([]string, len(kinds))
			for i, k := range kinds {
				words[i] = string(k)
			}
			t.Complain(fmt.Sprintf("%s takes %s", key, strings.Join(words, ", ")), "%q does not belong under %s", t.Value, key)
		case e.Kind == At:
			p.refer(t.Node, "location", e.Name, from)
		}
	}
	return document.Values(texts)
}

func (p *parser) grant(o document.Object) {
	o.Need("effect", "queues")
	g := Grant{Name: p.name(o, "grant"), Title: o.Text("title"), Insist: o.Bool("insist"), Note: o.Text("note"),
		Effect: Effect(p.oneOf(o, "effect", string(Place), string(Offer), string(Withhold))), IfRemoved: IfRemoved(p.oneOf(o,
			"if_removed", string(Restore), string(Leave)))}
	from := "grant " + g.Name
	selectors := o.Texts("queues")
	g.Queues = document.Values(selectors)
	for _, t := range selectors {
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
	g.To = p.entries(o, "to", toKinds(), from)
	g.Except = p.entries(o, "except", exceptKinds(), from)
	g.At = p.entries(o, "at", atKinds(), from)
	g.On = p.entries(o, "on", onKinds(), from)
	g.Sessions = p.sessions(o)
	platforms := o.Texts("platforms")
	g.Platforms = document.Values(platforms)
	for _, t := range platforms {
		if !ValidPlatform(t.Value, true) {
			t.Complain(platformFix(t.Value, true), "%q is no platform", t.Value)
		}
	}
	if n, ok := o.Get("default"); ok {
		if g.Effect == Withhold {
			n.Complain("leave it out", "a grant that withholds has no default")
		}
		g.Default, _ = n.Int(1, 1000)
	}
	if n, ok := o.Get("nearest"); ok {
		if g.Effect == Withhold {
			n.Complain("leave it out", "a grant that withholds keeps all of its queues away")
		}
		g.Nearest, _ = n.Int(1, 1_000_000)
	}
	g.Open = p.windows(o)
	p.doc.Grants = append(p.doc.Grants, g)
}

// base adds the names of the objects that are there already.
func (p *parser) base() {
	add := func(key string) {
		if _, ok := p.defined[key]; !ok {
			p.defined[key] = document.Node{}
		}
	}
	for _, r := range p.opts.Base.Refs() {
		add(Word(r.List) + " " + r.Name)
		for path := r.Name; r.List == "locations"; {
			i := strings.LastIndexByte(path, '/')
			if i < 0 {
				break
			}
			path = path[:i]
			add("location " + path)
		}
	}
	for _, q := range p.opts.Base.Queues {
		for _, old := range q.Formerly {
			add("old queue " + old)
		}
	}
}

// resolve checks every reference once all names are known.
func (p *parser) resolve() {
	for _, r := range p.refs {
		if _, ok := p.defined[r.list+" "+r.name]; ok {
			continue
		}
		if _, ok := p.defined["old queue "+r.name]; ok && r.list == "queue" {
			continue
		}
		fix := fmt.Sprintf("add the %s, or mend the name", r.list)
		if k := document.Nearest(r.name, p.known(r.list)); k != "" {
			fix = fmt.Sprintf("did you mean %q?", k)
		}
		r.at.Complain(fix, "%s names the %s %q, which is not in the estate", r.from, r.list, r.name)
	}
	for _, check := range p.checks {
		check()
	}
}

func (p *parser) known(list string) []string {
	var out []string
	for k := range p.defined {
		if name, ok := strings.CutPrefix(k, list+" "); ok {
			out = append(out, name)
		}
	}
	slices.Sort(out)
	return out
}

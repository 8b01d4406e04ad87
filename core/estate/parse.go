package estate

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"cirque/core/document"
	"cirque/core/fault"
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
	if problems, all := p.reader.Problems(); all > 0 {
		return nil, fault.New(fault.Invalid, "estate-invalid", "mend the places below and try again; nothing was stored",
			"the estate has %s", words.Count(all, "problem")).WithFirst(problems, all)
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
	"queues", "grants", "notices", "promises", "charges", "allowances", "settings"}

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
	o.Each("locations", []string{"path", "title", "timezone", "cut", "cut_days", "note"}, p.location)
	o.Each("subnets", []string{"cidr", "location", "note"}, p.subnet)
	o.Each("stations", []string{"name", "title", "addresses", "location", "platform", "note"}, p.station)
	o.Each("drivers", []string{"name", "title", "exact", "platform", "note"}, p.driver)
	o.Each("servers", []string{"name", "title", "uri", "queue_root", "location", "kept", "machine", "platform",
		"others", "note"},
		p.server)
	o.Each("server_sets", []string{"name", "title", "style", "members", "note"}, p.serverSet)
	o.Each("devices", []string{"name", "title", "uri", "machine", "mac", "address_kept_by", "location", "note"}, p.device)
	o.Each("queues", []string{"name", "title", "formerly", "location", "labels", "devices", "paths", "drivers", "defaults",
		"access", "units", "on_servers", "jobs", "open", "listed", "paused", "retired", "until", "purpose", "note"}, p.queue)
	o.Each("grants", []string{"name", "title", "effect", "queues", "nearest", "to", "except", "at", "on", "sessions",
		"platforms", "open", "until", "default", "insist", "if_removed", "note"}, p.grant)
	o.Each("notices", []string{"name", "title", "about", "at", "after", "part", "again", "tell", "owners",
		"until", "note"}, p.notice)
	o.Each("promises", []string{"name", "title", "context", "receives", "never", "default", "until", "note"}, p.promise)
	o.Each("charges", []string{"name", "title", "to", "note"}, func(c document.Object) { charge(p, c) })
	o.Each("allowances", []string{"name", "title", "formerly", "to", "queues", "pages", "every", "over", "note"},
		func(a document.Object) { allowance(p, a) })
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
	if spanOf(o, "cut", aDay, 365*aDay, former{"cut_days", aDay}, &l.Cut) && strings.Contains(l.Path, "/") {
		o.Complain("put it at the site "+Site(l.Path), "cut belongs to a site, and %s is none", l.Path)
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
	for _, a := range p.opts.Base.Allowances {
		for _, old := range a.Formerly {
			add("old allowance " + old)
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

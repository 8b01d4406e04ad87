package lineup

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/live"
	"cirque/core/path"
	"cirque/internal/fault"
)

// A Why is the full reasoning behind one queue in one lineup, present or absent. Its verdict is always the lineup's.
type Why struct {
	Context      Echo        `json:"context"`
	Revision     int         `json:"revision"`
	Queue        string      `json:"queue"`
	Title        *string     `json:"title"`
	Present      bool        `json:"present"`
	Reason       string      `json:"reason" doc:"placed, picked or offered; why it was left out; or not-granted."`
	Says         string      `json:"says" doc:"The verdict as one sentence."`
	MachineFrom  string      `json:"machine_from"`
	LocationFrom string      `json:"location_from"`
	Notes        []string    `json:"notes"`
	Grants       []GrantWhy  `json:"grants" doc:"Every grant that selects the queue."`
	Access       *AccessWhy  `json:"access,omitempty"`
	Drivers      []DriverWhy `json:"drivers"`
	Paths        []PathWhy   `json:"paths"`
	NearMisses   []NearMiss  `json:"near_misses" doc:"Grants that failed by one condition only, nearest first; empty where the queue is present."`
	Change       string      `json:"change" doc:"The smallest change that would give the queue; empty where it is present."`
	Default      string      `json:"default" doc:"Why it is the default, or not."`
	Entry        []Entry     `json:"entry" maxItems:"1" doc:"The lineup's entry, where there is one."`
	LeftOut      []LeftOut   `json:"left_out" maxItems:"1" doc:"The lineup's row, where there is one."`
}

// NotGranted is the reason for a queue that no matching grant gives.
const NotGranted = "not-granted"

// A Condition is one condition with what was wanted and what was found.
type Condition struct {
	Kind   string   `json:"kind" enum:"to,on,at,sessions,platforms,open,except,allow,deny"`
	Wanted []string `json:"wanted"`
	Found  string   `json:"found"`
	Held   []string `json:"held" doc:"The entries that hold."`
	Holds  bool     `json:"holds" doc:"Whether the condition lets the grant through; an except does so when none of its entries holds."`
}

// A GrantWhy is one grant that selects the queue.
type GrantWhy struct {
	Grant      string        `json:"grant"`
	Effect     estate.Effect `json:"effect"`
	Selects    []string      `json:"selects" doc:"Its entries that select the queue."`
	Matches    bool          `json:"matches"`
	Counts     bool          `json:"counts" doc:"It matches, gives, and did not pass the queue over."`
	Says       string        `json:"says"`
	Nearest    int           `json:"nearest" doc:"How many of its queues it gives; 0 for all."`
	Default    int           `json:"default"`
	Conditions []Condition   `json:"conditions"`
}

// An AccessWhy is who may print, and whether this context may.
type AccessWhy struct {
	Permitted  bool        `json:"permitted"`
	Conditions []Condition `json:"conditions"`
}

// A DriverWhy is one of the queue's driver entries.
type DriverWhy struct {
	Key    string  `json:"key"`
	Driver string  `json:"driver"`
	Exact  *string `json:"exact"`
	Fits   bool    `json:"fits"`
	Chosen bool    `json:"chosen" doc:"For the paths that need a driver of the queue's own."`
	Says   string  `json:"says"`
}

// A PathWhy is one of the queue's paths, in order.
type PathWhy struct {
	Path       Taken       `json:"path"`
	Conditions []Condition `json:"conditions"`
	Open       bool        `json:"open" doc:"Its own conditions hold."`
	Driver     *string     `json:"driver" doc:"What it would be installed with; null where no driver fits."`
	Usable     bool        `json:"usable"`
	Chosen     bool        `json:"chosen"`
	Says       string      `json:"says"`
}

// A NearMiss is a grant that would have given the queue but for one condition.
type NearMiss struct {
	Grant     string        `json:"grant"`
	Effect    estate.Effect `json:"effect"`
	Condition Condition     `json:"condition"`
	Change    string        `json:"change" doc:"The smallest change that would let it match."`
	steps     int
}

// Why explains a queue in a context. Errors are a queue or given location that the estate does not know.
func (w *World) Why(c Context, called string) (*Why, error) {
	e := w.Estate
	i, ok := e.queueByName[called]
	if !ok {
		var known []string
		for _, q := range e.queues {
			known = append(known, q.Name)
		}
		fix := "see cirque queue list"
		if k := document.Nearest(called, known); k != "" {
			fix = fmt.Sprintf("did you mean %q?", k)
		}
		return nil, fault.New(fault.Unknown, "queue-unknown", fix, "the estate has no queue %q", called)
	}
	s := new(Scratch)
	f, err := w.facts(c, s, true)
	if err != nil {
		return nil, err
	}
	q := &e.queues[i]
	out := &Why{Context: f.echo(new(echoed)), Revision: e.revision, Queue: q.Name, Title: title(q), MachineFrom: f.machineFrom, LocationFrom: f.locationFrom,
		Notes: f.notes, Grants: []GrantWhy{}, Drivers: []DriverWhy{}, Paths: []PathWhy{}, NearMisses: []NearMiss{}, Entry: []Entry{}, LeftOut: []LeftOut{}}
	if out.Notes == nil {
		out.Notes = []string{}
	}
	if called != q.Name {
		out.Notes = append(out.Notes, fmt.Sprintf("%s is an old name of %s.", called, q.Name))
	}
	x := newExplainer(w, f)
	givers := e.selecting(i)
	for _, g := range givers {
		out.Grants = append(out.Grants, x.grant(e.grants[g].more, i))
	}
	if q.access != nil {
		out.Access = &AccessWhy{Permitted: w.permitted(q, f), Conditions: []Condition{}}
		if q.access.allow != nil {
			out.Access.Conditions = append(out.Access.Conditions, x.condition("allow", q.access.allow, w.any))
		}
		if q.access.deny != nil {
			out.Access.Conditions = append(out.Access.Conditions, x.unless("deny", q.access.deny))
		}
	}
	lineup := w.resolve(f, s)
	out.verdict(lineup)
	x.counts(s, i, out)
	x.drivers(q, out)
	x.paths(q, out, s)
	if !out.Present {
		x.nearMisses(givers, out)
		out.Change = x.remedy(s, i, out)
	}
	x.says(q, out, lineup)
	return out, nil
}

// verdict takes over what the lineup says.
func (y *Why) verdict(l *Lineup) {
	for _, en := range l.Entries {
		if en.Queue == y.Queue {
			y.Present, y.Reason, y.Entry = true, en.Effect, []Entry{en}
		}
	}
	for _, lo := range l.LeftOut {
		if lo.Queue == y.Queue {
			y.Reason, y.LeftOut = string(lo.Reason), []LeftOut{lo}
		}
	}
	if y.Reason == "" {
		y.Reason = NotGranted
	}
}

func title(q *queue) *string {
	if q.Title == "" {
		return nil
	}
	return &q.Title
}

type explainer struct {
	w    *World
	f    *facts
	sel  *selection
	comp *compiler // compiles single entries, into refs of its own
}

func newExplainer(w *World, f *facts) explainer {
	return explainer{w, f, newSelection(w.Estate), &compiler{e: &Estate{tree: w.Estate.tree, refs: w.Estate.refs.clone()}}}
}

// condition explains a list of which any entry suffices.
func (x explainer) condition(kind string, c *cond, holds func(*cond, *facts) bool) Condition {
	return Condition{Kind: kind, Wanted: c.written, Found: x.found(kind), Held: x.held(c, holds), Holds: holds(c, x.f)}
}

// unless explains a list of which no entry may hold.
func (x explainer) unless(kind string, c *cond) Condition {
	out := x.condition(kind, c, x.w.any)
	out.Holds = !out.Holds
	return out
}

// held gives the entries that hold, each tried by itself, with the way through which a group or location does.
func (x explainer) held(c *cond, holds func(*cond, *facts) bool) []string {
	out := []string{}
	for _, s := range c.written {
		if one := x.comp.cond([]string{s}); holds(one, x.f) {
			out = append(out, s+x.through(s))
		}
	}
	return out
}

// through says how a nested group is reached, such as " (through temps-booking)".
func (x explainer) through(entry string) string {
	kind, called, _ := strings.Cut(entry, ":")
	if kind != string(estate.Group) {
		return ""
	}
	id, ok := x.w.Directory.GroupID(called)
	if !ok {
		return ""
	}
	for _, who := range [2][2]string{{"user", x.f.user}, {"machine", x.f.machine}} {
		if chain := x.w.Directory.Chain(who[0], who[1], id); len(chain) > 1 {
			return " (through " + strings.Join(chain[:len(chain)-1], ", then ") + ")"
		}
	}
	return ""
}

// found puts what the context has of a kind into words.
func (x explainer) found(kind string) string {
	f := x.f
	switch kind {
	case "to":
		if f.User == "" {
			return "nobody is signed in"
		}
		return x.person()
	case "on":
		return x.machine()
	case "at":
		return x.place()
	case "sessions":
		return f.Session
	case "platforms":
		return cmp.Or(f.Platform, "no platform is known")
	}
	parts := []string{}
	if f.User != "" {
		parts = append(parts, x.person())
	}
	return strings.Join(append(parts, x.machine(), x.place()), "; ")
}

func (x explainer) person() string {
	u, ok := x.w.Directory.User(x.f.User)
	switch {
	case !ok:
		return fmt.Sprintf("user %s, whom the directory does not know", x.f.User)
	case u.Unit != "":
		return fmt.Sprintf("user %s, in unit %s", x.f.User, u.Unit)
	}
	return "user " + x.f.User
}

func (x explainer) machine() string {
	out := "no machine is known"
	if x.f.Machine != "" {
		out = "machine " + x.f.Machine
	}
	if x.f.Host != "" {
		out += ", on session host " + x.f.Host
	}
	return out
}

func (x explainer) place() string {
	out := "location unknown"
	if x.f.Location != "" && x.f.at != none {
		out = "location " + x.f.Location
	}
	if len(x.f.Addresses) > 0 {
		out += ", address " + joinAddrs(x.f.Addresses)
	}
	return out
}

func joinAddrs(addrs []netip.Addr) string {
	var out []string
	for _, a := range addrs {
		out = append(out, a.String())
	}
	return strings.Join(out, ", ")
}

// listed explains sessions and platforms, which are plain words.
func listed(kind string, wanted []string, found string, holds bool) Condition {
	held := []string{}
	if holds {
		held = append(held, found)
	}
	return Condition{Kind: kind, Wanted: wanted, Found: found, Held: held, Holds: holds}
}

func (x explainer) grant(g *more, q int32) GrantWhy {
	out := GrantWhy{Grant: g.Name, Effect: g.Effect, Selects: []string{}, Nearest: g.Nearest, Default: g.Default, Conditions: []Condition{}}
	for _, s := range g.Queues {
		if slices.Contains(x.sel.one(s), q) {
			out.Selects = append(out.Selects, s)
		}
	}
	add := func(c Condition) { out.Conditions = append(out.Conditions, c) }
	if g.to != nil {
		add(x.condition("to", g.to, x.w.to))
	}
	if g.on != nil {
		add(x.condition("on", g.on, x.w.on))
	}
	if g.at != nil {
		add(x.condition("at", g.at, x.w.at))
	}
	if len(g.Sessions) > 0 {
		add(listed("sessions", g.Sessions, x.found("sessions"), slices.Contains(g.Sessions, x.f.Session)))
	}
	if len(g.Platforms) > 0 {
		add(listed("platforms", g.Platforms, x.found("platforms"), platformBits(g.Platforms)&x.f.platform != 0))
	}
	if g.open != nil {
		add(x.hours(g.Open, g.open, q))
	}
	if g.except != nil {
		add(x.unless("except", g.except))
	}
	out.Matches = !slices.ContainsFunc(out.Conditions, func(c Condition) bool { return !c.Holds })
	return out
}

func (x explainer) drivers(q *queue, out *Why) {
	e := x.w.Estate
	system, _, _ := strings.Cut(x.f.Platform, "/")
	if len(q.drivers) == 0 {
		return
	}
	chosen := e.driverFor(q.drivers, x.f.Platform)
	ok := chosen != noDriver
	took := false
	for _, c := range q.drivers {
		d := DriverWhy{Key: c.key, Driver: estate.Driverless, Fits: x.f.Platform == "" || e.driverFits(c.driver, x.f.Platform, system)}
		if c.driver != none {
			d.Driver, d.Exact = e.drivers[c.driver].name, &e.drivers[c.driver].exact
		}
		asked := c.key == "*" || c.key == x.f.Platform || c.key == system
		switch {
		case x.f.Platform == "":
			d.Says = "no platform is known, so the entry for * is taken, else the first"
		case !asked:
			d.Says = fmt.Sprintf("for %s, and the platform is %s", c.key, x.f.Platform)
		case !d.Fits:
			d.Says = fmt.Sprintf("the driver is for %s and does not fit %s", e.drivers[c.driver].platform, x.f.Platform)
		default:
			d.Says = "fits"
		}
		if ok && !took && c.driver == chosen && (asked && d.Fits || x.f.Platform == "") && x.isChoice(q, c, chosen) {
			d.Chosen, took = true, true
		}
		out.Drivers = append(out.Drivers, d)
	}
}

// isChoice says whether c is the very entry that driverFor takes, where several name the same driver.
func (x explainer) isChoice(q *queue, c choice, chosen int32) bool {
	if x.f.Platform == "" {
		star := slices.ContainsFunc(q.drivers, func(d choice) bool { return d.key == "*" })
		return c.key == "*" || !star && c.key == q.drivers[0].key
	}
	system, _, _ := strings.Cut(x.f.Platform, "/")
	for _, key := range [3]string{x.f.Platform, system, "*"} {
		for _, d := range q.drivers {
			if d.key == key && d.driver == chosen {
				return d.key == c.key
			}
		}
	}
	return false
}

func (x explainer) paths(q *queue, out *Why, s *Scratch) {
	e := x.w.Estate
	direct := none
	if len(q.drivers) > 0 {
		direct = e.driverFor(q.drivers, x.f.Platform)
	}
	pick, reason := x.w.pick(q, x.f, s)
	for i := range q.paths {
		p, full := &q.paths[i], &q.ways[i]
		member, usable := x.w.usable(q, i, x.f, s)
		y := PathWhy{Path: q.entries[p.first+member].Path, Conditions: []Condition{}, Open: x.w.pathOpen(p, x.f), Usable: usable}
		if p.at != nil {
			y.Conditions = append(y.Conditions, x.condition("at", p.at, x.w.at))
		}
		if p.sessions != 0 {
			y.Conditions = append(y.Conditions, listed("sessions", q.Paths[i].Sessions, x.f.Session, p.sessions&x.f.session != 0))
		}
		switch d := estate.Driverless; {
		case p.kind == wayGateway || direct == none:
			y.Driver = &d
		case direct != noDriver:
			y.Driver = &e.drivers[direct].name
		}
		y.Chosen = reason == "" && pick.path == int32(i)
		switch {
		case !y.Open:
			y.Says = "its own conditions do not hold here"
		case y.Driver == nil:
			y.Says = "none of the queue's drivers fits " + x.f.Platform
		case !y.Usable:
			y.Says = x.notUsable(full)
		case y.Chosen:
			y.Says = "the first that can be used" + x.share(full, y.Path)
		default:
			y.Says = "can be used, but an earlier one is taken"
		}
		if y.Chosen && pick.stranded {
			y.Says += "; kept all the same, because no other can be used"
		}
		out.Paths = append(out.Paths, y)
	}
}

// share says why a set sends the context to one of its members.
func (x explainer) share(p *fullWay, taken Taken) string {
	switch {
	case p.Through != path.Set:
		return ""
	case p.Style == estate.Spread:
		return fmt.Sprintf("; of the set %s, which spreads people over its members, %s falls to this one", p.Set, *taken.Server)
	}
	return fmt.Sprintf("; of the set %s, %s is the first on duty", p.Set, *taken.Server)
}

func (x explainer) notUsable(p *fullWay) string {
	switch p.Through {
	case path.Server:
		return fmt.Sprintf("the server %s is %s", p.Server, x.w.Live.Server(p.Server))
	case path.Set:
		var each []string
		for _, m := range p.Members {
			each = append(each, fmt.Sprintf("%s is %s", m.Server, x.w.Live.Server(m.Server)))
		}
		return fmt.Sprintf("no member of the set %s is on duty: %s", p.Set, strings.Join(each, ", "))
	}
	return fmt.Sprintf("the device %s is %s", p.Device, live.Down)
}

// nearMisses finds the giving grants that failed by one condition only.
func (x explainer) nearMisses(givers []int32, out *Why) {
	for i, gw := range out.Grants {
		if gw.Matches || gw.Effect == estate.Withhold {
			continue
		}
		failed := slices.DeleteFunc(slices.Clone(gw.Conditions), func(c Condition) bool { return c.Holds })
		if len(failed) != 1 {
			continue
		}
		g := x.w.Estate.grants[givers[i]].more
		m := NearMiss{Grant: gw.Grant, Effect: gw.Effect, Condition: failed[0], steps: far}
		m.Change = x.change(g, x.w.Estate.queueByName[out.Queue], failed[0], &m.steps)
		out.NearMisses = append(out.NearMisses, m)
	}
	slices.SortFunc(out.NearMisses, func(a, b NearMiss) int {
		return cmp.Or(cmp.Compare(a.steps, b.steps), cmp.Compare(a.Grant, b.Grant))
	})
}

// change says the smallest thing that would let the failed condition hold. steps ranks what is nearer: other places
// nearby first, then what needs an edit.
func (x explainer) change(g *more, q int32, c Condition, steps *int) string {
	switch c.Kind {
	case "to":
		if x.f.User == "" {
			return "sign in: the grant is for people"
		}
		if len(g.to.groups) > 0 {
			*steps = 1000
			return fmt.Sprintf("put user:%s into group:%s", x.f.User, x.w.Estate.refs.groups[g.to.groups[0]].written)
		}
		*steps = 2000
		return fmt.Sprintf("add user:%s to the grant's to", x.f.User)
	case "on":
		if x.f.Machine == "" {
			return "say at which machine"
		}
		*steps = 2000
		return fmt.Sprintf("add machine:%s to the grant's on", x.f.Machine)
	case "at":
		for _, l := range g.at.locs {
			*steps = min(*steps, int(x.w.Estate.tree.distance(x.f.at, l)))
		}
		if x.f.Location == "" {
			return "add a subnet that holds the address to the estate, or say where the person is"
		}
		return fmt.Sprintf("add location:%s to the grant's at, or be at %s", x.f.Location, strings.Join(c.Wanted, " or "))
	case "open":
		*steps = 100
		if when := x.opens(g, q); when != "" {
			return "wait until " + when + ", or widen the grant's open"
		}
		return "widen the grant's open"
	case "sessions":
		*steps = 500
		return fmt.Sprintf("add %s to the grant's sessions", x.f.Session)
	case "platforms":
		*steps = 500
		if x.f.Platform == "" {
			return "say on which platform"
		}
		return fmt.Sprintf("add %s to the grant's platforms", x.f.Platform)
	}
	*steps = 1500
	return fmt.Sprintf("take %s out of the grant's except", strings.Join(c.Held, " and "))
}

// says puts the verdict and the default into sentences.
func (x explainer) says(q *queue, out *Why, l *Lineup) {
	out.Default = "It is not in the lineup."
	if out.Present {
		en := out.Entry[0]
		out.Says = fmt.Sprintf("%s is %s by %s, through %s.", q.Name, en.Effect, names(en.Grants), through(en.Path))
		if en.Stranded {
			out.Says = fmt.Sprintf("%s is %s by %s, but stranded: no path can be used just now.", q.Name, en.Effect, names(en.Grants))
		}
		out.Default = x.whyDefault(en, l)
		return
	}
	switch Reason(out.Reason) {
	case Withheld:
		out.Says = fmt.Sprintf("%s is left out: withheld by %s.", q.Name, names(out.LeftOut[0].Grants))
	case Retired:
		out.Says = fmt.Sprintf("%s is left out: the queue is retired.", q.Name)
	case NotPermitted:
		out.Says = fmt.Sprintf("%s is left out: %s gives it, but the queue's access does not permit it.", q.Name, names(out.LeftOut[0].Grants))
	case NoPath:
		out.Says = fmt.Sprintf("%s is left out: no path leads there from here.", q.Name)
	case NoDriver:
		out.Says = fmt.Sprintf("%s is left out: none of its drivers fits %s.", q.Name, x.f.Platform)
	case NotNearest:
		out.Says = fmt.Sprintf("%s is left out: %s gives only its nearest queues here, and others are nearer.", q.Name, names(out.LeftOut[0].Grants))
	case NoDistance:
		out.Says = fmt.Sprintf("%s is left out: %s gives only its nearest queues, and this one has no distance from here.", q.Name, names(out.LeftOut[0].Grants))
	default:
		switch {
		case len(out.Grants) == 0:
			out.Says = fmt.Sprintf("%s is not in the lineup: no grant selects it, so nobody receives it.", q.Name)
		case len(out.NearMisses) > 0:
			m := out.NearMisses[0]
			out.Says = fmt.Sprintf("%s is not in the lineup: no grant matches. The nearest is %s, which failed by %s alone.", q.Name, m.Grant, kindWord(m.Condition.Kind))
		default:
			out.Says = fmt.Sprintf("%s is not in the lineup: no grant that gives it matches.", q.Name)
		}
	}
}

func kindWord(kind string) string {
	return map[string]string{"to": "the people (to)", "on": "the machine (on)", "at": "the place (at)", "sessions": "the kind of session (sessions)",
		"platforms": "the platform (platforms)", "open": "the hours (open)", "except": "an exception (except)"}[kind]
}

func names(grants []string) string {
	switch n := len(grants); {
	case n > 1:
		return strings.Join(grants[:n-1], ", ") + " and " + grants[n-1]
	case n == 1:
		return grants[0]
	}
	return "no grant"
}

func through(t Taken) string {
	switch t.Through {
	case path.Device:
		return "device " + *t.Device
	case path.Server:
		return "server " + *t.Server
	case path.Set:
		return fmt.Sprintf("server %s of the set %s", *t.Server, *t.Set)
	}
	return "the gateway"
}

func (x explainer) whyDefault(en Entry, l *Lineup) string {
	weight := 0
	for _, name := range en.Grants {
		i, _ := slices.BinarySearchFunc(x.w.Estate.grants, name, func(g grant, n string) int { return cmp.Compare(g.more.Name, n) })
		weight = max(weight, int(x.w.Estate.grants[i].weight))
	}
	switch {
	case en.Default:
		return fmt.Sprintf("It is the default: weight %d is the highest here, then the smallest distance, then the name.", weight)
	case en.Effect == Offered:
		return "It is not the default: an offered queue never is until it is picked."
	case weight == 0:
		return "It is not the default: none of its grants gives a weight for that."
	}
	return fmt.Sprintf("It is not the default: it has weight %d, and %s comes first.", weight, l.Entries[0].Queue)
}

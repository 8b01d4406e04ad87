package lineup

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/path"
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
	Kind   string   `json:"kind" enum:"to,on,at,sessions,platforms,open,until,except,allow,deny"`
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
	out, steps, err := explain(w, c, called)
	if err == nil && !out.Present {
		out.Change = smallest(w, c, out, steps)
	}
	return out, err
}

// explain is Why but for the smallest change: it gives steps of which one may be.
func explain(w *World, c Context, called string) (*Why, []step, error) {
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
		return nil, nil, fault.New(fault.Unknown, "queue-unknown", fix, "the estate has no queue %q", called)
	}
	s := new(Scratch)
	f, err := w.facts(c, s, true)
	if err != nil {
		return nil, nil, err
	}
	q := &e.queues[i]
	out := &Why{Context: f.echo(new(echoed)), Revision: e.revision, Queue: q.Name, Title: title(q),
		MachineFrom: f.machineFrom, LocationFrom: f.locationFrom,
		Notes: f.notes, Grants: []GrantWhy{}, Drivers: []DriverWhy{}, Paths: []PathWhy{}, NearMisses: []NearMiss{},
		Entry: []Entry{}, LeftOut: []LeftOut{}}
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
	var steps []step
	if !out.Present {
		x.nearMisses(givers, out)
		steps = x.steps(s, i, out)
	}
	x.says(q, out, lineup)
	return out, steps, nil
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
	case "until":
		*steps = 500
		return "give the grant a later until"
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
			out.Says = fmt.Sprintf("%s is %s by %s, but stranded: no path can be used just now, so it is kept on %s.", q.Name,
				en.Effect, names(en.Grants), placeOf(en.Path))
		}
		out.Default = x.whyDefault(en, l)
		return
	}
	switch Reason(out.Reason) {
	case Withheld:
		out.Says = fmt.Sprintf("%s is left out: withheld by %s.", q.Name, names(out.LeftOut[0].Grants))
	case Retired:
		out.Says = fmt.Sprintf("%s is left out: the queue is retired.", q.Name)
		if !q.retired {
			out.Says = fmt.Sprintf("%s is left out: the queue is retired since its end, %s.", q.Name, q.Until)
		}
	case NotPermitted:
		out.Says = fmt.Sprintf("%s is left out: %s gives it, but the queue's access does not permit it.", q.Name,
			names(out.LeftOut[0].Grants))
	case NoPath:
		out.Says = fmt.Sprintf("%s is left out: no path leads there from here.", q.Name)
	case NoDriver:
		out.Says = fmt.Sprintf("%s is left out: none of its drivers fits %s.", q.Name, x.f.Platform)
	case NotNearest:
		out.Says = fmt.Sprintf("%s is left out: %s gives only its nearest queues here, and others are nearer.", q.Name,
			names(out.LeftOut[0].Grants))
	case NoDistance:
		out.Says = fmt.Sprintf("%s is left out: %s gives only its nearest queues, and this one has no distance from here.",
			q.Name, names(out.LeftOut[0].Grants))
	default:
		switch {
		case len(out.Grants) == 0:
			out.Says = fmt.Sprintf("%s is not in the lineup: no grant selects it, so nobody receives it.", q.Name)
		case len(out.NearMisses) > 0:
			m := out.NearMisses[0]
			out.Says = fmt.Sprintf("%s is not in the lineup: no grant matches. The nearest is %s, which failed by %s alone.",
				q.Name, m.Grant, kindWord(m.Condition.Kind))
		default:
			out.Says = fmt.Sprintf("%s is not in the lineup: no grant that gives it matches.", q.Name)
		}
	}
}

func kindWord(kind string) string {
	return map[string]string{"to": "the people (to)", "on": "the machine (on)", "at": "the place (at)",
		"sessions":  "the kind of session (sessions)",
		"platforms": "the platform (platforms)", "open": "the hours (open)", "until": "its end (until)", "except": "an " +
			"exception (except)"}[kind]
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
		i, _ := slices.BinarySearchFunc(x.w.Estate.grants, name, func(g grant, n string) int {
			return cmp.Compare(g.more.Name, n)
		})
		weight = max(weight, int(x.w.Estate.grants[i].weight))
	}
	switch {
	case en.Default:
		return fmt.Sprintf("It is the default: weight %d is the highest here, then the smallest distance, "+
			"then the name.", weight)
	case en.Effect == Offered:
		return "It is not the default: an offered queue never is until it is picked."
	case weight > 0 && x.w.Estate.queues[x.w.Estate.queueByName[en.Queue]].aside:
		return "It is not the default: a queue for practice, or for programs alone, never is."
	case weight == 0:
		return "It is not the default: none of its grants gives a weight for that."
	}
	return fmt.Sprintf("It is not the default: it has weight %d, and %s comes first.", weight, l.Entries[0].Queue)
}

package lineup

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"cirque/core/estate"
	"cirque/core/name"
)

type explainer struct {
	w    *World
	f    *facts
	sel  *selection
	comp *compiler // compiles single entries, into refs of its own
}

func newExplainer(w *World, f *facts) explainer {
	return explainer{w, f, newSelection(w.Estate), newCompiler(&Estate{tree: w.Estate.tree, refs: w.Estate.refs.clone()})}
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
	if x.f.user != name.Fold(x.f.User) {
		primary, _ := x.w.Directory.User(x.f.user)
		return fmt.Sprintf("user %s, which is a name of %s", x.f.User, primary.Name)
	}
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
	out := GrantWhy{Grant: g.Name, Effect: g.Effect, Selects: []string{}, Nearest: g.Nearest, Default: g.Default,
		Conditions: []Condition{}}
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
	if g.open.Week != nil {
		add(x.hours(g.Open, g.open.Week, q))
	}
	if g.open.End.Some() {
		add(x.until(g, q))
	}
	if g.except != nil {
		add(x.unless("except", g.except))
	}
	out.Matches = !slices.ContainsFunc(out.Conditions, func(c Condition) bool { return !c.Holds })
	return out
}

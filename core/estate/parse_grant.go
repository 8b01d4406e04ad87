package estate

import (
	"fmt"
	"slices"
	"strings"

	"cirque/core/document"
)

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
	g.Queues = selectors(p, o, from)
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
	g.Open, g.Until = p.windows(o), until(o)
	p.doc.Grants = append(p.doc.Grants, g)
}

package lineup

import (
	"fmt"

	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/name"
)

// A Holding is one grant that names somebody, directly or through what they are in. Whether it matches just now depends
// on the context; that is Resolve's and Why's to say.
type Holding struct {
	Grant   string        `json:"grant"`
	Effect  estate.Effect `json:"effect"`
	Direct  bool          `json:"direct" doc:"Named itself, rather than by a group, a unit or everyone."`
	Origin  string        `json:"origin" doc:"The entry that names it, and through what."`
	Queues  []string      `json:"queues" doc:"The queues that the grant selects."`
	Further []string      `json:"further" doc:"The kinds of condition that must hold besides."`
}

// A Membership is a group that somebody is in.
type Membership struct {
	Group   string   `json:"group"`
	Direct  bool     `json:"direct"`
	Through []string `json:"through" doc:"The groups that lead there, from their own upwards; empty when direct."`
}

// Memberships lists the groups of a user or machine; kind is "user" or "machine".
func Memberships(d *directory.Directory, kind, called string) []Membership {
	ids := d.UserGroups(d.UserID(name.Fold(called)))
	if kind == "machine" {
		ids = d.MachineGroups(d.MachineID(name.Fold(called)))
	}
	out := []Membership{}
	for _, id := range ids {
		chain := d.Chain(kind, called, id)
		m := Membership{Group: d.Group(id).Name, Direct: len(chain) == 1, Through: []string{}}
		if len(chain) > 1 {
			m.Through = chain[:len(chain)-1]
		}
		out = append(out, m)
	}
	return out
}

// Holdings lists the grants that name a user (under to) or a machine (under on), by grant; one a grant, a direct naming
// before others. kind is "user" or "machine".
func (w *World) Holdings(kind, called string) []Holding {
	c := Context{User: called}
	if kind == "machine" {
		c = Context{Machine: called}
	}
	f, err := w.facts(c, new(Scratch), false)
	if err != nil {
		return []Holding{} // no location was given, which alone can be wrong
	}
	x := newExplainer(w, f)
	out := []Holding{}
	for i := range w.Estate.grants {
		g := w.Estate.grants[i].more
		list, holds := g.to, w.to
		if kind == "machine" {
			list, holds = g.on, w.on
		}
		if list == nil || !holds(list, f) {
			continue
		}
		h := Holding{Grant: g.Name, Effect: g.Effect, Queues: []string{}, Further: []string{}}
		self := fmt.Sprintf("%s:%s", kind, name.Fold(called))
		for _, entry := range x.held(list, holds) {
			if direct := name.Fold(entry) == self; direct || h.Origin == "" {
				h.Direct, h.Origin = direct, entry
			}
		}
		for _, q := range g.queues {
			h.Queues = append(h.Queues, w.Estate.queues[q].Name)
		}
		for _, more := range []struct {
			kind string
			is   bool
		}{{"to", g.to != nil && kind == "machine"}, {"on", g.on != nil && kind == "user"}, {"at", g.at != nil},
			{"sessions", len(g.Sessions) > 0}, {"platforms", len(g.Platforms) > 0}, {"open", len(g.Open) > 0}, {"until",
				g.Until != ""},
			{"nearest", g.Nearest > 0}, {"except", g.except != nil}} {
			if more.is {
				h.Further = append(h.Further, more.kind)
			}
		}
		out = append(out, h)
	}
	return out
}

package lineup

import (
	"cmp"
	"net/netip"
	"slices"

	"cirque/core/estate"
)

// A Span is a run of addresses that the estate names: a subnet or a station of it, or a subnet or range in a condition.
type Span struct {
	Written  string     `json:"written" doc:"Such as 10.40.8.0/22, or 10.40.8.10-10.40.8.20."`
	Kind     string     `json:"kind" enum:"subnet,station,condition"`
	From     netip.Addr `json:"from"`
	To       netip.Addr `json:"to"`
	Name     string     `json:"name,omitempty" doc:"Of the station."`
	Location string     `json:"location,omitempty" doc:"Where it is, of a subnet or station."`
	Grants   []string   `json:"grants" doc:"The grants with a condition that names it."`
	Within   string     `json:"within,omitempty" doc:"The smallest other span that holds all of it."`
}

// Spans lists the addresses that an estate names, by the first of them; of two that begin alike, the wider comes first.
func Spans(doc *estate.Document) []Span {
	out := []Span{}
	for _, s := range doc.Subnets {
		out = append(out, Span{Written: s.CIDR.String(), Kind: "subnet", From: s.CIDR.Addr(), To: lastIn(s.CIDR),
			Location: s.Location, Grants: []string{}})
	}
	for _, s := range doc.Stations {
		for _, a := range s.Addresses {
			out = append(out, Span{Written: a.String(), Kind: "station", From: a, To: a, Name: s.Name, Location: s.Location,
				Grants: []string{}})
		}
	}
	at := map[string]int{}
	for i := range out {
		if out[i].Kind == "subnet" {
			at[out[i].Written] = i
		}
	}
	for _, g := range doc.Grants {
		for _, s := range slices.Concat(g.At, g.Except) {
			en, err := estate.ParseEntry(s)
			if err != nil || en.Kind != estate.InSubnet && en.Kind != estate.InRange {
				continue
			}
			span := Span{Kind: "condition", From: en.From, To: en.To, Written: en.From.String() + "-" + en.To.String(),
				Grants: []string{}}
			if en.Kind == estate.InSubnet {
				span.Written, span.From, span.To = en.Prefix.String(), en.Prefix.Addr(), lastIn(en.Prefix)
			}
			i, known := at[span.Written]
			if !known {
				i = len(out)
				at[span.Written] = i
				out = append(out, span)
			}
			if !slices.Contains(out[i].Grants, g.Name) {
				out[i].Grants = append(out[i].Grants, g.Name)
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Span) int { return cmp.Or(a.From.Compare(b.From), -a.To.Compare(b.To)) })
	var open []int // spans that may hold what follows, the widest first
	for i := range out {
		for len(open) > 0 && out[open[len(open)-1]].To.Compare(out[i].To) < 0 {
			open = open[:len(open)-1]
		}
		if len(open) > 0 {
			out[i].Within = out[open[len(open)-1]].Written
		}
		open = append(open, i)
	}
	return out
}

// lastIn is the last address of a subnet.
func lastIn(p netip.Prefix) netip.Addr {
	b := p.Addr().AsSlice()
	for i := range b {
		for bit := range 8 {
			if i*8+bit >= p.Bits() {
				b[i] |= 1 << (7 - bit)
			}
		}
	}
	a, _ := netip.AddrFromSlice(b)
	return a
}

// An AddressTold is what an estate says of one address.
type AddressTold struct {
	Address  netip.Addr `json:"address"`
	Location string     `json:"location" doc:"Where a context with that address alone is; empty where that is not known."`
	From     string     `json:"from" doc:"What says so."`
	Machine  string     `json:"machine" doc:"The station that has it, if any."`
	Spans    []Span     `json:"spans" doc:"All that hold it, the widest first."`
	Grants   []string   `json:"grants" doc:"The grants whose places hold there, whoever it is."`
}

// TellAddress says where an address is, what holds it, and which grants' places do.
func TellAddress(w *World, a netip.Addr) (AddressTold, error) {
	out := AddressTold{Address: a, Spans: []Span{}, Grants: []string{}}
	f, err := w.facts(Context{Addresses: []netip.Addr{a}, Session: estate.Sessions()[0]}, new(Scratch), true)
	if err != nil {
		return out, err
	}
	out.From, out.Machine = f.locationFrom, f.Machine
	if f.at != none {
		out.Location = w.Estate.tree.locs[f.at].path
	}
	for _, s := range Spans(w.Estate.doc) {
		if s.From.Compare(a) <= 0 && a.Compare(s.To) <= 0 && s.From.Is4() == a.Is4() {
			out.Spans = append(out.Spans, s)
		}
	}
	for i := range w.Estate.grants {
		if at := w.Estate.grants[i].more.at; at != nil && w.at(at, f) {
			out.Grants = append(out.Grants, w.Estate.grantNames[i])
		}
	}
	return out, nil
}

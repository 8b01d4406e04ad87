package access

import (
	"fmt"
	"slices"
	"strings"

	"cirque/core/estate"
	"cirque/core/fault"
)

// CheckChanges gives a Denied fault unless everything that changes lies, before and after, where the principal may act;
// its details name what does not. before and after are the documents on both sides.
//
// A location, subnet, station, server, device or queue lies at the site of its location; a server set where all its
// members lie; a grant where all the queues lie that it names or is within; a promise where all its queues lie; a
// notice at its at. A grant by label, a driver and whatever has no location lie at no site: whoever has a scope cannot
// change them.
func CheckChanges(p *Principal, a Action, before, after *estate.Document, changes []estate.Change) error {
	if err := Check(p, a); err != nil {
		return err
	}
	if err := checkOwners(p, changes); err != nil {
		return err
	}
	if p.MayAt(a, "") {
		return nil // no scope, so nothing more is looked at
	}
	var bad []fault.Detail
	for _, c := range changes {
		for _, side := range []struct {
			doc    *estate.Document
			object any
		}{{before, c.Before}, {after, c.After}} {
			if side.object == nil {
				continue
			}
			sites, why := lies(side.doc, side.object)
			outside := slices.ContainsFunc(sites, func(s string) bool { return !p.MayAt(a, s) })
			if len(sites) > 0 && !outside {
				continue
			}
			if why == "" {
				why = "it lies at " + strings.Join(sites, ", ")
			}
			if !slices.ContainsFunc(bad, func(d fault.Detail) bool { return d.Place == c.Ref.String() }) {
				bad = append(bad, fault.Detail{Place: c.Ref.String(), What: why, Fix: "leave it as it is, or ask an " +
					"administrator of all sites"})
			}
		}
	}
	if len(bad) == 0 {
		return nil
	}
	return fault.New(fault.Denied, "not-your-site", bad[0].Fix, "%s may not change %s: %s", p.title(), bad[0].Place,
		bad[0].What).With(bad)
}

// checkOwners gives a Denied fault where somebody who is no owner changes what is asked of who signs in, or where the
// audit is sent.
func checkOwners(p *Principal, changes []estate.Change) error {
	if p.May(ManageAccounts) {
		return nil
	}
	for _, c := range changes {
		if c.Ref == (estate.Ref{List: "settings", Name: estate.AuditSetting}) {
			return fault.New(fault.Denied, "not-allowed", "ask an owner", "%s may not change where the audit is sent",
				p.title()).With([]fault.Detail{{Place: c.Ref.String(), What: "it is for owners to say", Fix: "leave it as it is"}})
		}
		before, was := c.Before.(*estate.SignInSettings)
		after, is := c.After.(*estate.SignInSettings)
		if !was && !is {
			continue
		}
		rolesBefore, againBefore := before.SignInRules()
		rolesAfter, againAfter := after.SignInRules()
		if againBefore != againAfter || !slices.Equal(rolesBefore, rolesAfter) {
			return fault.New(fault.Denied, "not-allowed", "ask an owner", "%s may not change of whom a second factor is "+
				"demanded, nor when who they are is asked again", p.title()).With([]fault.Detail{{Place: c.Ref.String(),
				What: "second_factor and again are for owners to say", Fix: "leave them as they are"}})
		}
	}
	return nil
}

// lies gives the sites at which an object lies, or why it lies at none.
func lies(d *estate.Document, object any) (sites []string, why string) {
	at := func(location string) ([]string, string) {
		if location == "" {
			return nil, "it has no location, and so lies at no site"
		}
		return []string{estate.Site(location)}, ""
	}
	switch o := object.(type) {
	case *estate.Location:
		return at(o.Path)
	case *estate.Subnet:
		return at(o.Location)
	case *estate.Station:
		return at(o.Location)
	case *estate.Server:
		return at(o.Location)
	case *estate.Device:
		return at(o.Location)
	case *estate.Queue:
		return at(o.Location)
	case *estate.ServerSet:
		for _, m := range o.Members {
			v := d.Server(m)
			if v == nil || v.Location == "" {
				return nil, fmt.Sprintf("its member %s has no location, and so lies at no site", m)
			}
			sites = append(sites, estate.Site(v.Location))
		}
		return unique(sites), ""
	case *estate.Grant:
		for _, text := range o.Queues {
			sel, err := estate.ParseSelector(text)
			switch {
			case err != nil || len(sel.Labels) > 0:
				return nil, fmt.Sprintf("%s can select queues of every site; name the queues, or write within:SITE", text)
			case sel.Within != "":
				sites = append(sites, estate.Site(sel.Within))
			default:
				q, ok := d.Find(estate.Ref{List: "queues", Name: sel.Queue}).(*estate.Queue)
				if !ok || q.Location == "" {
					return nil, fmt.Sprintf("its queue %s has no location, and so lies at no site", sel.Queue)
				}
				sites = append(sites, estate.Site(q.Location))
			}
		}
		return unique(sites), ""
	case *estate.Promise:
		for _, n := range o.Queues() {
			q, err := d.QueueCalled(n)
			if err != nil || q.Location == "" {
				return nil, fmt.Sprintf("its queue %s has no location, and so lies at no site", n)
			}
			sites = append(sites, estate.Site(q.Location))
		}
		return unique(sites), ""
	case *estate.Notice:
		for _, e := range o.At {
			sites = append(sites, estate.Site(strings.TrimPrefix(e, string(estate.At)+":")))
		}
		if len(sites) == 0 {
			return nil, "it tells of faults at all sites; narrow it with at"
		}
		return unique(sites), ""
	}
	return nil, "it is for all sites"
}

func unique(list []string) []string {
	slices.Sort(list)
	return slices.Compact(list)
}

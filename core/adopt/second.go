package adopt

import (
	"fmt"
	"slices"
	"strings"

	"cirque/core/driver"
	"cirque/core/estate"
	"cirque/core/fault"
)

// Second proposes another queue on the devices of one, whose drivers speak another page language: both print on the
// same paper, and each program takes the one that suits it. Ways through print servers lead to a queue with its own
// driver there, and are left out.
func (p *Proposer) Second(q estate.Queue, model, called, title, language string) (Proposal, error) {
	out := Proposal{Kind: "second", Found: q.Name, From: model, Remarks: []string{}}
	if model == "" {
		return out, fault.New(fault.Conflict, "model-unknown", "have a device of it read: cirque device read NAME",
			"nobody knows yet which model is behind %s", q.Name)
	}
	if p.queues[called] {
		return out, fault.New(fault.Conflict, "name-taken", "take another name", "there is a queue %s", called)
	}
	drivers, languages := map[string]string{}, []string{}
	for _, c := range driver.Choices(p.packages, p.doc, nil, driver.Wanted{Model: model}) {
		if !c.Fits || len(c.Packages) == 0 || p.platforms != nil && !p.platforms[c.Platform] {
			continue
		}
		if c.Language != "" && !slices.Contains(languages, c.Language) {
			languages = append(languages, c.Language)
		}
		if strings.EqualFold(c.Language, language) && drivers[c.Platform] == "" {
			drivers[c.Platform] = p.driverNamed(c.Exact, c.Platform)
			language = c.Language
			out.Remarks = append(out.Remarks, fmt.Sprintf("for %s it has the driver %q", c.Platform, c.Exact))
		}
	}
	if len(drivers) == 0 {
		fix := "add a package with one: cirque driver add"
		if len(languages) > 0 {
			fix = "write one of " + strings.Join(languages, ", ") + ", or add a package with one: cirque driver add"
		}
		return out, fault.New(fault.Unknown, "language-unknown", fix, "no package has a driver of %s for %s", language, model)
	}
	for _, used := range q.Drivers {
		for _, d := range p.doc.Drivers {
			if d.Name == used && drivers[d.Platform] == d.Name {
				out.Remarks = append(out.Remarks, fmt.Sprintf("%s has the same driver for %s", q.Name, d.Platform))
			}
		}
	}
	n := q
	n.Name, n.Title, n.Formerly, n.Paths = called, title, nil, nil
	if n.Title == "" {
		n.Title = q.Title + " (" + language + ")"
	}
	for _, x := range q.Paths {
		if x.Server == "" && x.Set == "" {
			n.Paths = append(n.Paths, x)
		}
	}
	if len(n.Paths) == 0 {
		n.Paths = []estate.Path{{Gateway: true}}
		out.Remarks = append(out.Remarks, "it leads through the gateway: on the print servers there is no queue of that "+
			"language yet")
	}
	out.Queue = n
	p.give(&out, drivers)
	out.Remarks = append(out.Remarks, "grants that name its labels or place give it already, others do not: rehearse it")
	return out, nil
}

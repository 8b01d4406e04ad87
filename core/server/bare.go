package server

import (
	"slices"
	"strings"

	"cirque/core/directory"
	"cirque/core/name"
)

// knowsBare says whether a platform's spooler knows people by what stands before an @ in their names: the common Unix
// spooler takes a realm off before it compares.
func knowsBare(platform string) bool { return !strings.HasPrefix(platform, "windows") }

// bare is what stands before an @ in a name.
func bare(called string) string {
	if at := strings.IndexByte(called, '@'); at > 0 {
		return called[:at]
	}
	return called
}

// bared gives people by their bare names, and the names of those whom the directory knows and who count as one of them
// though they are another person.
func (p *permits) bared(people People) (out People, others []string) {
	if p.realms == nil {
		p.realms = map[string][]string{}
		for _, u := range p.d.Records().Users {
			if folded := name.Fold(u.Name); bare(folded) != folded {
				p.realms[bare(folded)] = append(p.realms[bare(folded)], folded)
			}
		}
	}
	out.Everyone = people.Everyone
	named := map[directory.MemberID]bool{}
	for _, n := range people.Names {
		out.Names = append(out.Names, bare(n))
		named[p.d.Primary(p.d.UserID(n))] = true
	}
	slices.Sort(out.Names)
	out.Names = slices.Compact(out.Names)
	if len(p.realms) == 0 {
		return out, nil
	}
	for _, b := range out.Names {
		for _, n := range append(p.realms[b], b) {
			if id := p.d.UserID(n); id != directory.NoMember && p.d.Listed(id) && !named[p.d.Primary(id)] {
				others = append(others, n)
			}
		}
	}
	return out, others
}

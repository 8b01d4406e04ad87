package estate

import (
	"fmt"
	"net/netip"
	"regexp"
	"slices"
	"strings"

	"cirque/core/name"
)

var nameRE = regexp.MustCompile(`^[a-z0-9][a-z0-9._-]{0,62}$`)

const nameFix = "names are lower-case letters, digits, dots, dashes and underscores, begin with a letter or digit, " +
	"and have at most 63 characters"

// ValidName says whether s may name an estate object.
func ValidName(s string) bool { return nameRE.MatchString(s) }

// ValidPath says whether s may be a location's path: names divided by slashes.
func ValidPath(s string) bool {
	for seg := range strings.SplitSeq(s, "/") {
		if !ValidName(seg) {
			return false
		}
	}
	return true
}

// Site is the first segment of a location's path.
func Site(path string) string {
	s, _, _ := strings.Cut(path, "/")
	return s
}

// Within says whether a location is a place, or lies in it.
func Within(location, place string) bool {
	return location == place || strings.HasPrefix(location, place+"/")
}

// HasSite says whether the estate has a site: a location that is one, or lies at one.
func (d *Document) HasSite(site string) bool {
	return slices.ContainsFunc(d.Locations, func(l Location) bool { return Site(l.Path) == site })
}

// Sessions are the kinds of session that a context may have; the first is the default.
func Sessions() []string { return []string{"desktop", "remote", "virtual", "mobile", "browser"} }

// Systems and Archs make up platforms, written os/arch.
func Systems() []string { return []string{"windows", "macos", "linux", "chromeos", "ios", "android"} }

// Archs are the architectures of a platform.
func Archs() []string { return []string{"x64", "x86", "arm64"} }

// ValidPlatform says whether s is a platform; a bare os is one only where bare says so.
func ValidPlatform(s string, bare bool) bool {
	system, arch, both := strings.Cut(s, "/")
	if !slices.Contains(Systems(), system) {
		return false
	}
	return both && slices.Contains(Archs(), arch) || !both && bare
}

// A Kind is the sort of thing that an entry names, the word before its colon.
type Kind string

// The kinds of entry.
const (
	Everyone Kind = "everyone"
	User     Kind = "user"
	Group    Kind = "group"
	Unit     Kind = "unit"
	Machine  Kind = "machine"
	Host     Kind = "host"
	At       Kind = "location"
	InSubnet Kind = "subnet"
	InRange  Kind = "range"
)

// What a list of entries may hold.
func toKinds() []Kind { return []Kind{Everyone, User, Group, Unit} }
func onKinds() []Kind { return []Kind{Machine, Host, Group, Unit} }
func atKinds() []Kind { return []Kind{At, InSubnet, InRange} }
func exceptKinds() []Kind {
	return []Kind{Everyone, User, Group, Unit, Machine, Host, At, InSubnet, InRange}
}

// An Entry is one parsed entry of to, on, at, except, allow or deny.
type Entry struct {
	Kind     Kind
	Name     string       // of a user, group, unit, machine, host or location, as written
	Prefix   netip.Prefix // of a subnet
	From, To netip.Addr   // of a range, both included
}

// ParseEntry reads an entry. The error says what is wrong and, after "; ", how to mend it.
func ParseEntry(s string) (Entry, error) {
	if s == string(Everyone) {
		return Entry{Kind: Everyone}, nil
	}
	kind, value, ok := strings.Cut(s, ":")
	e := Entry{Kind: Kind(kind), Name: value}
	if !ok || !slices.Contains(exceptKinds(), e.Kind) || e.Kind == Everyone {
		return e, fmt.Errorf("%q is no entry; write everyone or KIND:NAME, such as group:clerks", s)
	}
	switch e.Kind {
	case InSubnet:
		p, err := parsePrefix(value)
		if err != nil {
			return e, err
		}
		e.Prefix = p
	case InRange:
		from, to, ok := strings.Cut(value, "-")
		a, err1 := netip.ParseAddr(from)
		b, err2 := netip.ParseAddr(to)
		switch {
		case !ok || err1 != nil || err2 != nil || a.Zone() != "" || b.Zone() != "":
			return e, fmt.Errorf("%q is no range; write range:FIRST-LAST, such as range:10.0.0.5-10.0.0.9", s)
		case a.Unmap().Is4() != b.Unmap().Is4():
			return e, fmt.Errorf("the range %q mixes IPv4 and IPv6; write one range for each", value)
		case b.Unmap().Less(a.Unmap()):
			return e, fmt.Errorf("the range %q ends before it begins; write range:%s-%s", value, b, a)
		}
		e.From, e.To = a.Unmap(), b.Unmap()
	case At:
		if !ValidPath(value) {
			return e, fmt.Errorf("%q is no location; write the path of a location, such as location:site/floor", s)
		}
	case Unit:
		if !name.ValidUnit(value) {
			return e, fmt.Errorf("%q is no unit; write names divided by single slashes, such as unit:staff/office", s)
		}
	default:
		if !name.Valid(value) {
			return e, fmt.Errorf("%q names nothing; write a name without control characters after the colon", s)
		}
	}
	return e, nil
}

func parsePrefix(s string) (netip.Prefix, error) {
	p, err := netip.ParsePrefix(s)
	switch {
	case err != nil || p.Addr().Is4In6():
		return p, fmt.Errorf("%q is no subnet; write ADDRESS/BITS, such as 10.40.8.0/22", s)
	case p != p.Masked():
		return p, fmt.Errorf("%q has host bits set; write %s", s, p.Masked())
	}
	return p, nil
}

// A Selector is one parsed entry of a grant's queues; exactly one field is set.
type Selector struct {
	Queue  string
	Labels []string // all of them
	Within string   // a location
}

// ParseSelector reads an entry of a grant's queues.
func ParseSelector(s string) (Selector, error) {
	kind, value, ok := strings.Cut(s, ":")
	switch {
	case !ok && ValidName(s):
		return Selector{Queue: s}, nil
	case ok && kind == "label":
		labels := strings.Split(value, "+")
		for _, l := range labels {
			if !ValidName(l) {
				return Selector{}, fmt.Errorf("%q is no label; write label:NAME or label:NAME+NAME", s)
			}
		}
		return Selector{Labels: labels}, nil
	case ok && kind == "within" && ValidPath(value):
		return Selector{Within: value}, nil
	}
	return Selector{}, fmt.Errorf("%q selects no queue; write a queue's name, label:NAME or within:LOCATION", s)
}

// NamesUnit says whether any grant, or the access of any queue, names a unit or one under it; compared folded.
func (d *Document) NamesUnit(path string) bool {
	folded, is := name.Fold(path), false
	look := func(list *[]string) {
		for _, s := range *list {
			unit, of := strings.CutPrefix(s, string(Unit)+":")
			f := name.Fold(unit)
			is = is || of && (f == folded || strings.HasPrefix(f, folded+"/"))
		}
	}
	for i := range d.Grants {
		d.Grants[i].entries(look)
	}
	for i := range d.Queues {
		d.Queues[i].entries(look)
	}
	for i := range d.Charges {
		d.Charges[i].entries(look)
	}
	for i := range d.Allowances {
		d.Allowances[i].entries(look)
	}
	return is
}

package driver

import (
	"strings"

	"cirque/core/estate"
)

// Fit writes into a description (PPD 4.3) what is fitted to a printer: of each option that says whether something is
// installed, the default. Such options are known by what they are called: a description has no standard names for them.
// lacks are the units for which the description has neither an installable option nor a choice of its own.
func Fit(ppd []byte, u *estate.Units) (out []byte, lacks []string) {
	if !u.Some() {
		return ppd, nil
	}
	p, err := ParsePPD(ppd)
	if err != nil {
		return ppd, nil // whoever takes it says so
	}
	set := map[string]string{} // by keyword, the default
	for _, f := range wantedUnits(u) {
		known := false
		for i := range p.Options {
			o := &p.Options[i]
			if yes, no, ok := installable(o); ok && f.about(o.Keyword, o.Title) {
				known = true
				set[o.Keyword] = map[bool]string{true: yes, false: no}[f.fitted]
			}
		}
		if f.fitted && !known && !offers(p, f) {
			lacks = append(lacks, f.name)
		}
	}
	// Of what is listed by name, the rest is not there.
	for i := range p.Options {
		o := &p.Options[i]
		_, no, ok := installable(o)
		if _, done := set[o.Keyword]; !ok || done {
			continue
		}
		label := plain(o.Keyword + " " + o.Title)
		if len(u.Trays) > 0 && (strings.Contains(label, "tray") || strings.Contains(label, "cassette") ||
			strings.Contains(label, "feeder")) ||
			len(u.Finishings) > 0 && (strings.Contains(label, "finish") || strings.Contains(label, "stapl") ||
				strings.Contains(label, "punch")) {
			set[o.Keyword] = no
		}
	}
	return withDefaults(ppd, set), lacks
}

// A unit is something that may be fitted.
type unit struct {
	name   string
	fitted bool
	kind   string // tray, two-sided or finishing
	words  []string
}

func wantedUnits(u *estate.Units) []unit {
	var out []unit
	for _, t := range u.Trays {
		out = append(out, unit{t, true, "tray", []string{plain(t)}})
	}
	if u.TwoSided != nil {
		out = append(out, unit{"two-sided", *u.TwoSided, "two-sided", []string{"duplex", "twosided", "2sided"}})
	}
	for _, f := range u.Finishings {
		stem := strings.TrimSuffix(plain(f), "e") // staple, stapling
		out = append(out, unit{f, true, "finishing", []string{stem}})
	}
	return out
}

func (u unit) about(keyword, title string) bool {
	for _, w := range u.words {
		for _, label := range []string{plain(keyword), plain(title)} {
			at := strings.Index(label, w)
			// tray-1 is not tray-10
			if at >= 0 && (at+len(w) == len(label) || !isDigit(label[at+len(w)]) || !isDigit(w[len(w)-1])) {
				return true
			}
		}
	}
	return false
}

// offers says whether a description knows a unit without asking whether it is there.
func offers(p *PPD, u unit) bool {
	for _, o := range p.Options {
		switch {
		case u.kind == "tray" && o.Keyword == "InputSlot":
			for _, c := range o.Choices {
				if u.about(c, "") {
					return true
				}
			}
		case u.kind == "two-sided" && o.Keyword == "Duplex", u.kind == "finishing" && u.about(o.Keyword, o.Title):
			return true
		}
	}
	return false
}

// installable gives the choices of an option that says whether something is there.
func installable(o *Option) (yes, no string, ok bool) {
	for _, c := range o.Choices {
		switch plain(c) {
		case "true", "yes", "installed":
			yes = c
		case "false", "no", "notinstalled", "none":
			no = c
		}
	}
	return yes, no, yes != "" && no != "" && len(o.Choices) == 2
}

// plain leaves small letters and digits alone.
func plain(s string) string {
	return strings.Map(func(r rune) rune {
		switch {
		case 'a' <= r && r <= 'z', '0' <= r && r <= '9':
			return r
		case 'A' <= r && r <= 'Z':
			return r - 'A' + 'a'
		}
		return -1
	}, s)
}

// withDefaults writes the defaults of options anew; every other byte stays.
func withDefaults(ppd []byte, set map[string]string) []byte {
	lines := strings.SplitAfter(string(ppd), "\n")
	for i, l := range lines {
		head, value, ok := strings.Cut(l, ":")
		keyword, is := strings.CutPrefix(head, "*Default")
		to, wanted := set[strings.TrimSpace(keyword)]
		if !ok || !is || !wanted {
			continue
		}
		end := strings.TrimLeft(value, " \t")
		end = end[len(strings.TrimRight(end, "\r\n")):]
		lines[i] = head + ": " + to + end
	}
	return []byte(strings.Join(lines, ""))
}

package rehearse

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"cirque/core/fault"
)

// A Limit is one condition under which a pipeline is to stop, such as loses>0.
type Limit struct {
	Kind Kind // or Findings, or Warnings
	Over int
}

// What besides kinds of change can be limited: what there would be to remark on, and is not so now; warnings are part
// of it.
const (
	Findings Kind = "findings"
	Warnings Kind = "warnings"
	// Promises are those that would be broken, and are not now.
	Promises Kind = "promises"
)

func limited() []Kind { return append(Kinds(), Findings, Warnings, Promises) }

// ParseLimits reads limits divided by commas.
func ParseLimits(text string) ([]Limit, error) {
	var out []Limit
	for one := range strings.SplitSeq(text, ",") {
		if strings.TrimSpace(one) == string(Promises) {
			one = string(Promises) + ">0"
		}
		kind, n, ok := strings.Cut(strings.TrimSpace(one), ">")
		over, err := strconv.Atoi(strings.TrimSpace(n))
		k := Kind(strings.TrimSpace(kind))
		if !ok || err != nil || over < 0 || !slices.Contains(limited(), k) {
			var words []string
			for _, k := range limited() {
				words = append(words, string(k))
			}
			return nil, fault.New(fault.Invalid, "limit-invalid", "write KIND>NUMBER with one of "+strings.Join(words, ", "),
				"%q is no limit", one)
		}
		out = append(out, Limit{k, over})
	}
	return out, nil
}

// Exceeded says which limits a report goes over, in words.
func (r *Report) Exceeded(limits []Limit) []string {
	var out []string
	for _, l := range limits {
		if l.Kind == Promises {
			if n := len(r.Broken); n > l.Over {
				out = append(out, fmt.Sprintf("promises: %d broken, more than %d", n, l.Over))
			}
			continue
		}
		if l.Kind == Findings || l.Kind == Warnings {
			n := 0
			for _, f := range r.Findings {
				if l.Kind == Findings || f.Severity == "warning" {
					n++
				}
			}
			if n > l.Over {
				out = append(out, fmt.Sprintf("%s: %d, more than %d", l.Kind, n, l.Over))
			}
			continue
		}
		if n := r.Totals[l.Kind]; n.People+n.Machines > l.Over {
			out = append(out, fmt.Sprintf("%s: %d people and %d machines, more than %d", l.Kind, n.People, n.Machines, l.Over))
		}
	}
	return out
}

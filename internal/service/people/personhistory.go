package people

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/name"
	"cirque/core/person"
)

// momentsShown is how much of a history is given.
const momentsShown = 500

// PersonHistory tells what became of a person, newest first: in the directory, in picks, links and requests, and, for
// whoever may read the audit, what they did and what was done about them.
func (s *Room) PersonHistory(ctx context.Context, p *access.Principal, called string) ([]person.Moment, error) {
	if err := access.Check(p, access.ReadDirectory); err != nil {
		return nil, err
	}
	if !name.Valid(called) {
		return nil, fault.New(fault.Invalid, "person-missing", "say whose history it is", "%q names no person", called)
	}
	names := s.present.View().NamesOf(called)
	data, err := s.store.PersonData(ctx, names)
	if err != nil {
		return nil, err
	}
	out := directoryMoments(data.Directory)
	for _, k := range data.Picks {
		out = append(out, person.Moment{At: k.From, What: "pick", Says: "picked " + k.Queue})
		if k.To != nil {
			out = append(out, person.Moment{At: *k.To, What: "pick", Says: "no longer picked " + k.Queue})
		}
	}
	for _, j := range data.Links {
		are := "one person"
		if j.Unlinked {
			are = "two people"
		}
		out = append(out, person.Moment{At: j.At, What: "link", Says: fmt.Sprintf("%s and %s are %s", j.A.String(),
			j.B.String(), are),
			By: j.Author})
	}
	requests, err := s.store.Requests(ctx, names, momentsShown)
	if err != nil {
		return nil, err
	}
	for _, r := range requests {
		out = append(out, person.Moment{At: r.At, What: "request", Says: fmt.Sprintf("asked for %s: %s", r.Queue, r.Reason)})
		if r.AnsweredAt != nil {
			out = append(out, person.Moment{At: *r.AnsweredAt, What: "request",
				Says: strings.TrimSuffix(fmt.Sprintf("the request for %s was %s: %s", r.Queue, r.State, r.Answer), ": "),
				By:   r.AnsweredBy})
		}
	}
	if p.May(access.ReadAudit) {
		accounts, _ := s.accountsOf(names)
		known := slices.Clone(names)
		for _, a := range accounts {
			known = append(known, name.Fold(a.Name))
		}
		events, err := s.store.EventsOf(ctx, known)
		if err != nil {
			return nil, err
		}
		// above
		told := []string{event.Linked, event.LinkRemoved, event.Picked, event.Unpicked, event.Requested, event.Answered}
		for _, e := range events {
			if slices.Contains(told, e.Kind) {
				continue
			}
			what := "about"
			if slices.Contains(known, name.Fold(e.Author)) {
				what = "done"
			}
			out = append(out, person.Moment{At: e.At, What: what, Says: e.Says, By: e.Author})
		}
	}
	slices.SortStableFunc(out, func(a, b person.Moment) int { return b.At.Compare(a.At) })
	return out[:min(len(out), momentsShown)], nil
}

// directoryMoments puts what sources said of somebody, one state after the other, into words.
func directoryMoments(rows []directory.PastRow) []person.Moment {
	out := []person.Moment{}
	before := map[string]directory.PastRow{} // by source and id: the state before
	for _, r := range rows {
		key := r.Source + "\n" + r.ExternalID
		was, had := before[key]
		says := fmt.Sprintf("came into the directory %s as %s", r.Source, r.Name)
		if changed := changedBetween(was, r); had && was.To != nil && !was.To.Before(r.From.Add(-time.Second)) &&
			changed != "" {
			says = fmt.Sprintf("in the directory %s: %s", r.Source, changed)
		}
		out = append(out, person.Moment{At: r.From, What: "directory", Says: says})
		before[key] = r
	}
	for _, r := range before {
		if r.To != nil {
			out = append(out, person.Moment{At: *r.To, What: "directory", Says: "went from the directory " + r.Source})
		}
	}
	slices.SortFunc(out, func(a, b person.Moment) int { return a.At.Compare(b.At) })
	return out
}

func changedBetween(a, b directory.PastRow) string {
	var was, is map[string]any
	_ = json.Unmarshal(a.Attributes, &was) // what is kept is an object
	_ = json.Unmarshal(b.Attributes, &is)
	var out []string
	if a.Name != b.Name {
		out = append(out, fmt.Sprintf("the name %s became %s", a.Name, b.Name))
	}
	keys := map[string]bool{}
	for k := range was {
		keys[k] = true
	}
	for k := range is {
		keys[k] = true
	}
	for k := range keys {
		if x, y := fmt.Sprint(was[k]), fmt.Sprint(is[k]); x != y {
			word := strings.ReplaceAll(k, "_", " ")
			switch {
			case was[k] == nil:
				out = append(out, fmt.Sprintf("%s is %s", word, y))
			case is[k] == nil:
				out = append(out, fmt.Sprintf("%s is gone, it was %s", word, x))
			default:
				out = append(out, fmt.Sprintf("%s is %s, it was %s", word, y, x))
			}
		}
	}
	slices.Sort(out)
	return strings.Join(out, "; ")
}

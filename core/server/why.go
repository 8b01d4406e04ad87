package server

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/words"
)

// A Why says why a queue is, or is not, to be on a server, and how.
type Why struct {
	Server string   `json:"server"`
	Queue  string   `json:"queue"`
	Wanted bool     `json:"wanted"`
	Names  []string `json:"names" doc:"Under which it is to be there."`
	Says   []string `json:"says" doc:"Each reason in a sentence; the last that is a no decides."`
	Points []Point  `json:"points"`
}

// Explain gives the reasoning about one queue on one server. ok is false where the estate lacks one of the two.
func Explain(doc *estate.Document, d *directory.Directory, called, queue string, at time.Time, of Zone) (w Why,
	ok bool) {
	s := doc.Server(called)
	q, okQ := doc.Find(estate.Ref{List: "queues", Name: queue}).(*estate.Queue)
	w = Why{Server: called, Queue: queue, Names: []string{}, Says: []string{}, Points: []Point{}}
	if s == nil || !okQ {
		return w, false
	}
	say := func(format string, args ...any) { w.Says = append(w.Says, fmt.Sprintf(format, args...)) }
	x := newIndex(doc)
	sets := x.setsOf(called)
	for _, p := range q.Paths {
		there := cmp.Or(p.RemoteName, q.Name)
		switch {
		case p.Server == called:
			say("a path of %s leads through %s, as %q", queue, called, there)
		case sets[p.Set]:
			say("a path of %s leads through the set %s, of which %s is a member, as %q", queue, p.Set, called, there)
		}
	}
	if len(w.Says) == 0 {
		say("no path of %s leads through %s, nor through a set of which it is a member", queue, called)
	}
	if !s.Kept {
		say("%s is not kept by Cirque: it is only read", called)
	}
	if t := x.timesOf(q); q.Retired || t.Over(at, of) {
		say("%s is retired", queue)
	}
	plan := Wanted(doc, d, called, at, of)
	for _, p := range plan.Points {
		if p.Queue == queue || p.Queue == "" {
			w.Points = append(w.Points, p)
			say("%s", p.Says)
		}
	}
	for _, want := range plan.Wants {
		if want.Queue != queue {
			continue
		}
		w.Wanted = true
		w.Names = append(w.Names, want.Name)
		say("it is wanted there as %q: %s", want.Name, strings.Join(want.how(s.RunsOn(), at, of), "; "))
	}
	slices.SortFunc(w.Points, func(a, b Point) int { return cmp.Compare(a.Name, b.Name) })
	return w, true
}

// how says in words how a queue is to be on a server.
func (w Want) how(platform string, at time.Time, of Zone) []string {
	out := []string{"leading to " + strings.Join(w.Devices, ", ")}
	if len(w.Devices) > 1 {
		out[0] = fmt.Sprintf("a class of %s, leading to %s", words.Count(len(w.Devices), "member"),
			strings.Join(w.Devices, ", "))
	}
	switch {
	case w.Exact != "":
		out = append(out, fmt.Sprintf("with the driver %q, which the queue has for %s", w.Exact, platform))
	case w.Driver == estate.Driverless:
		out = append(out, "without a driver, as its printer needs none")
	default:
		out = append(out, "passing on what it takes as it is")
	}
	out = append(out, "for "+w.People.String())
	if says := w.Refuses(at, of); says != "" {
		out = append(out, "taking no jobs just now, since "+says)
	}
	if units := w.Units.InWords(); units != "" {
		out = append(out, "fitted with "+units)
	}
	return out
}

package endpoint

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"cirque/core/name"
	"cirque/core/words"
)

// A Proof says of one queue, or of one change, on which endpoints it is expected, on which of them it has arrived,
// where a test page came out, and who has what they must not.
type Proof struct {
	Revision int        `json:"revision" doc:"The change that is asked about; 0 where a queue is."`
	Queue    string     `json:"queue,omitempty"`
	At       time.Time  `json:"at"`
	Expected int        `json:"expected"`
	Arrived  int        `json:"arrived"`
	Pending  int        `json:"pending"`
	Failed   int        `json:"failed"`
	Silent   int        `json:"silent" doc:"Of endpoints that have not been heard of for too long: nothing is proven of them."`
	Away     int        `json:"away" doc:"Removed by the person themselves, as the grant lets them."`
	Past     int        `json:"past" doc:"A later change has taken its place."`
	Tested   int        `json:"tested" doc:"Endpoints from which a test page was sent since."`
	Beyond   int        `json:"beyond" doc:"Endpoints that have the queue and must not."`
	Others   int        `json:"others" doc:"Endpoints that it does not concern, and that are as they should be in this."`
	Default  int        `json:"default" doc:"Of a queue: endpoints on which it is somebody's default."`
	Absent   int        `json:"absent" doc:"Machines that receive it, and on which no agent has ever reported."`
	Says     string     `json:"says" doc:"All of it as a sentence."`
	Rows     []ProofRow `json:"rows" doc:"What has not arrived first."`
}

// A Standing is how far one expectation has come.
type Standing string

// The standings, the worst first.
const (
	NotDone  Standing = "failed"
	Surplus  Standing = "beyond" // there, and must not be
	Unheard  Standing = "silent"
	Awaited  Standing = "pending"
	StaysOff Standing = "away"
	Arrived  Standing = "arrived"
	Overrun  Standing = "past"
)

// Standings are all of them, the worst first.
func Standings() []Standing { return slices.Clone(standings) }

var standings = []Standing{NotDone, Surplus, Unheard, Awaited, StaysOff, Arrived, Overrun}

// A ProofRow is one expectation of one endpoint.
type ProofRow struct {
	Machine string   `json:"machine"`
	User    string   `json:"user,omitempty"`
	Queue   string   `json:"queue"`
	Kind    string   `json:"kind" enum:"gains,changes,loses,has" doc:"What is expected of it."`
	State   Standing `json:"state" enum:"failed,beyond,silent,pending,away,arrived,past"`
	Says    string   `json:"says"`
	Tested  *Tested  `json:"tested,omitempty"`
}

// An Expectation is what a change asks of one queue of an endpoint.
type Expectation struct {
	Key
	Kind string
}

// Expect gives what a change from one plan to another asks for, in the order of the new plan, what goes last.
func Expect(before, after Plan) []Expectation {
	was := map[Key]Want{}
	for _, w := range before.Wants {
		was[w.Key()] = w
	}
	var out []Expectation
	for _, w := range after.Wants {
		k := w.Key()
		old, there := was[k]
		delete(was, k)
		if !there {
			out = append(out, Expectation{k, "gains"})
		} else if what, _, _ := Differs(w, old); what != "" {
			out = append(out, Expectation{k, "changes"})
		}
	}
	for _, w := range before.Wants {
		if _, gone := was[w.Key()]; gone {
			out = append(out, Expectation{w.Key(), "loses"})
		}
	}
	return out
}

// Has gives what is expected of one queue as it is: that it is there.
func Has(p Plan, queue string) []Expectation {
	var out []Expectation
	for _, w := range p.Wants {
		if w.Queue == queue {
			out = append(out, Expectation{w.Key(), "has"})
		}
	}
	return out
}

// Prove judges expectations of one endpoint by its last report; now is what it should have at present.
func Prove(list []Expectation, now Plan, r Record, silent bool, at time.Time) []ProofRow {
	wants := make(map[Key]*Want, len(now.Wants))
	for i := range now.Wants {
		wants[now.Wants[i].Key()] = &now.Wants[i]
	}
	var out []ProofRow
	for _, e := range list {
		row := ProofRow{Machine: r.Report.Machine, Queue: e.Queue, User: e.User, Kind: e.Kind}
		want, wanted := wants[e.Key]
		if wanted {
			row.User = want.User
		}
		i := slices.IndexFunc(r.Report.Installed, func(i Installed) bool { return i.Own && i.Key() == e.Key })
		failed := slices.IndexFunc(r.Report.Failures, func(f Failure) bool {
			return f.Queue == e.Queue && name.Fold(f.User) == e.User
		})
		what, expects, has := "", "", ""
		if i >= 0 && wanted {
			what, expects, has = Differs(*want, r.Report.Installed[i].Want)
		}
		heard := "its last report came " + words.Span(at.Sub(r.LastSeen).Truncate(time.Second)) + " ago"
		set := func(s Standing, says string, args ...any) { row.State, row.Says = s, fmt.Sprintf(says, args...) }
		waits := func(says string) {
			switch {
			case failed >= 0:
				f := r.Report.Failures[failed]
				set(NotDone, "%s fails since %s: %s", f.Step, f.Since.UTC().Format("2006-01-02 15:04 UTC"), f.Says)
			case silent:
				set(Unheard, "%s; %s", says, heard)
			default:
				set(Awaited, "%s; %s", says, heard)
			}
		}
		switch {
		case (e.Kind == "loses") == wanted:
			set(Overrun, "a later change has taken its place")
		case e.Kind == "loses" && i < 0:
			set(Arrived, "gone")
		case e.Kind == "loses":
			waits("still there")
		case i < 0 && !want.Restore && slices.ContainsFunc(r.Report.Removed, func(k Key) bool {
			return k.Queue == e.Queue && name.Fold(k.User) == e.User
		}):
			set(StaysOff, "removed by the person, as the grant lets them")
		case i < 0:
			waits("not there yet")
		case what != "":
			waits(fmt.Sprintf("%s is %s, not %s yet", what, has, expects))
		case r.Report.Installed[i].Halted:
			set(NotDone, "it is there, and stopped")
		default:
			set(Arrived, "installed")
		}
		out = append(out, row)
	}
	return out
}

// Beyond gives the rows of an endpoint that has a queue, as the agent's own, and must not.
func Beyond(queue string, now Plan, r Record) []ProofRow {
	var out []ProofRow
	for _, i := range r.Report.Installed {
		if i.Own && i.Queue == queue && !slices.ContainsFunc(now.Wants, func(w Want) bool { return w.Key() == i.Key() }) {
			out = append(out, ProofRow{Machine: r.Report.Machine, User: i.User, Queue: queue, Kind: "loses", State: Surplus,
				Says: "it is there, and must not be"})
		}
	}
	return out
}

// A Tally counts the rows of a proof, and keeps the first of each standing: a change may ask something of every
// endpoint.
type Tally struct {
	most   int
	count  map[Standing]int
	kept   map[Standing][]ProofRow
	tested map[string]bool // folded machines
}

// NewTally makes one that keeps so many rows of each standing.
func NewTally(most int) *Tally {
	return &Tally{most, map[Standing]int{}, map[Standing][]ProofRow{}, map[string]bool{}}
}

// Full says whether no further row of a standing is kept, since there are as many of it and of those that come before
// it as are shown: such need only be counted.
func (t *Tally) Full(s Standing) bool {
	n := 0
	for _, before := range standings {
		n += len(t.kept[before])
		if before == s {
			break
		}
	}
	return n >= t.most
}

// Count counts rows of a standing without keeping them.
func (t *Tally) Count(s Standing, n int) { t.count[s] += n }

// Add counts a row, and keeps it unless there are enough.
func (t *Tally) Add(r ProofRow) {
	t.count[r.State]++
	if r.Tested != nil {
		t.tested[name.Fold(r.Machine)] = true
	}
	if !t.Full(r.State) {
		t.kept[r.State] = append(t.kept[r.State], r)
	}
}

// Close says what a tally comes to; as many rows are kept as its tally keeps of each standing. words, which may be nil,
// gives the rows that are kept what they say.
func (p Proof) Close(t *Tally, words func(rows []ProofRow)) Proof {
	n := t.count
	p.Arrived, p.Pending, p.Failed, p.Silent, p.Away, p.Past, p.Beyond, p.Tested = n[Arrived], n[Awaited], n[NotDone],
		n[Unheard], n[StaysOff], n[Overrun], n[Surplus], len(t.tested)
	p.Expected, p.Rows = -p.Beyond, []ProofRow{}
	for _, s := range standings {
		p.Expected += n[s]
		p.Rows = append(p.Rows, t.kept[s][:min(len(t.kept[s]), t.most-len(p.Rows))]...)
	}
	if words != nil {
		words(p.Rows)
	}
	p.Says = p.sentence()
	return p
}

func (p Proof) sentence() string {
	var parts []string
	say := func(n int, one, many string) {
		if n > 0 {
			parts = append(parts, words.Count(n, one, many))
		}
	}
	say(p.Pending, "is pending", "are pending")
	why := ""
	for _, r := range p.Rows {
		if r.State == NotDone {
			why = " because: " + r.Says
			break
		}
	}
	if p.Failed > 1 {
		why = strings.Replace(why, " because:", ", the first because:", 1)
	}
	if p.Failed > 0 {
		parts = append(parts, fmt.Sprintf("%d failed%s", p.Failed, why))
	}
	say(p.Silent, "is on an endpoint that says nothing", "are on endpoints that say nothing")
	say(p.Away, "was removed by the person", "were removed by the person")
	say(p.Past, "has been overtaken by a later change", "have been overtaken by a later change")
	out := fmt.Sprintf("%d of %d have arrived", p.Arrived, p.Expected)
	switch {
	case p.Expected == 0 && p.Queue != "":
		out = "no endpoint is to have it"
	case p.Expected == 0:
		out = "it asks nothing of any endpoint that has reported"
	case p.Expected == 1 && p.Arrived == 1:
		out = "it has arrived where it is expected"
	}
	if len(parts) > 0 {
		out += "; " + strings.Join(parts, "; ")
	}
	if p.Beyond > 0 {
		out += "; " + words.Count(p.Beyond, "has", "have") + " it and must not"
	} else if p.Queue != "" && p.Others > 0 {
		out += "; " + map[bool]string{true: "the one other endpoint does not have it",
			false: fmt.Sprintf("none of the other %d endpoints has it", p.Others)}[p.Others == 1]
	}
	if p.Absent > 0 {
		out += "; " + words.Count(p.Absent, "more machine receives it and has no agent", "more machines receive it and "+
			"have no agent")
	}
	if p.Expected > 0 {
		out += "; test pages from " + map[bool]string{true: "none", false: words.Count(p.Tested, "endpoint")}[p.Tested == 0]
	}
	return out
}

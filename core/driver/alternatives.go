package driver

import (
	"cmp"
	"fmt"
	"slices"
	"time"

	"cirque/core/estate"
)

// Plain stands for plain text as a substitute for any driver: what comes out then shows that everything else works.
const Plain = "plain"

// A Seen is what came out of a device of one model with one driver, once.
type Seen struct {
	Model   string    `json:"model"`
	Driver  string    `json:"driver" doc:"An exact name, driverless, or plain."`
	Result  string    `json:"result" enum:"good,garbled,nothing"`
	Machine string    `json:"machine"`
	Queue   string    `json:"queue"`
	By      string    `json:"by"`
	Note    string    `json:"note,omitempty"`
	At      time.Time `json:"at"`
}

// An Alternative is what may be tried where a queue's output is wrong.
type Alternative struct {
	Try  string `json:"try" doc:"What to hand to a trial: an exact name, driverless, or plain."`
	Now  bool   `json:"now" doc:"The queue has it now."`
	Last string `json:"last,omitempty" doc:"What came out with it last, on this model: good, garbled or nothing."`
	Why  string `json:"why"`
	Seen []Seen `json:"seen" doc:"What came out with it on this model, newest first."`
}

// Alternatives lists what to try for a model, in order: what is known to print well with it; then what nobody has
// tried, names made for the model first, then no driver at all, then plain text; last what came out wrong. choices are
// the names for the platform; formats are those that the device takes, nil where that is not known; seen is what is
// remembered of the model.
func Alternatives(choices []Choice, formats []string, now string, seen []Seen) []Alternative {
	of := map[string][]Seen{}
	for _, s := range seen {
		of[s.Driver] = append(of[s.Driver], s)
	}
	out := []Alternative{}
	add := func(try, why string) {
		if slices.ContainsFunc(out, func(a Alternative) bool { return a.Try == try }) {
			return
		}
		a := Alternative{Try: try, Now: try == now, Why: why, Seen: append([]Seen{}, of[try]...)}
		slices.SortFunc(a.Seen, func(x, y Seen) int { return y.At.Compare(x.At) })
		if len(a.Seen) > 0 {
			a.Last = a.Seen[0].Result
		}
		out = append(out, a)
	}
	for _, c := range choices {
		if c.Fits && len(c.Packages) > 0 {
			add(c.Exact, cmp.Or(c.Why, "it is made for this model"))
		}
	}
	takes := func(list ...string) string {
		i := slices.IndexFunc(list, func(f string) bool { return slices.Contains(formats, f) })
		if i < 0 {
			return ""
		}
		return list[i]
	}
	switch f := takes("application/pdf", "image/pwg-raster", "image/urf"); {
	case f != "":
		add(estate.Driverless, "the device says that it takes "+f+" as it is")
	case formats == nil:
		add(estate.Driverless, "whether the device can do without a driver is not known")
	}
	switch {
	case takes("text/plain") != "":
		add(Plain, "the device says that it takes plain text; where that comes out well, the driver is at fault")
	case formats == nil:
		add(Plain, "whether the device takes plain text is not known; where it comes out well, the driver is at fault")
	}
	if now != "" {
		add(now, "the queue has it now")
	}
	for _, c := range choices { // others that somebody has seen work
		if len(of[c.Exact]) > 0 && len(c.Packages) > 0 {
			add(c.Exact, "somebody has tried it with this model")
		}
	}
	for i := range out {
		a := &out[i]
		if len(a.Seen) > 0 {
			a.Why = remember(a.Seen) + "; " + a.Why
		}
	}
	slices.SortStableFunc(out, func(a, b Alternative) int { return cmp.Compare(lot[a.Last], lot[b.Last]) })
	return out
}

// lot orders by what came out last.
var lot = map[string]int{"good": 0, "": 1, "nothing": 2, "garbled": 2}

func remember(seen []Seen) string {
	n := map[string]int{}
	for _, s := range seen {
		n[s.Result]++
	}
	says := ""
	for _, p := range []struct{ result, says string }{{"good", "came out well"}, {"garbled", "came out garbled"},
		{"nothing", "nothing came out"}} {
		if n[p.result] == 0 {
			continue
		}
		if says != "" {
			says += ", "
		}
		times := "once"
		if n[p.result] > 1 {
			times = fmt.Sprintf("%d times", n[p.result])
		}
		says += p.says + " " + times
	}
	return says
}

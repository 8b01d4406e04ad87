package stock

import (
	"cmp"
	"fmt"
	"slices"

	"cirque/core/driver"
	"cirque/core/words"
)

// A Pair is one queue on two servers.
type Pair struct {
	Queue string   `json:"queue"`
	On    string   `json:"on" enum:"both,first,second"`
	Same  bool     `json:"same" doc:"Name, driver, device, defaults and sharing agree."`
	Says  []string `json:"says" doc:"What differs."`
}

// ComparePair compares the queues of two servers, deeper than by their names.
func ComparePair(a, b *Server) []Pair {
	out := []Pair{}
	first, second := a.ByName(), b.ByName()
	if a != nil {
		for _, q := range a.Queues {
			o := second[q.Name]
			p := Pair{Queue: q.Name, On: "both", Says: []string{}}
			if o == nil {
				p.On = "first"
				out = append(out, p)
				continue
			}
			p.Says = queueDiffers(q, *o)
			p.Same = len(p.Says) == 0
			out = append(out, p)
		}
	}
	if b != nil {
		for _, q := range b.Queues {
			if first[q.Name] == nil {
				out = append(out, Pair{Queue: q.Name, On: "second", Says: []string{}})
			}
		}
	}
	slices.SortFunc(out, func(x, y Pair) int { return cmp.Compare(x.Queue, y.Queue) })
	return out
}

// queueDiffers says in what two queues differ, but for their names.
func queueDiffers(q, o Queue) []string {
	out := []string{}
	if q.Model != o.Model {
		out = append(out, fmt.Sprintf("driver: %q and %q: %s", q.Model, o.Model, driver.Compare(q.Model, o.Model).Says))
	}
	if q.Device != o.Device {
		out = append(out, fmt.Sprintf("device: %s and %s", orNone(q.Device), orNone(o.Device)))
	}
	for _, k := range keysOf(q.Defaults, o.Defaults) {
		x, y := q.Defaults[k], o.Defaults[k]
		if x == nil || y == nil || Text(x) != Text(y) {
			out = append(out, fmt.Sprintf("default %s: %s and %s", k, orUnset(x), orUnset(y)))
		}
	}
	if q.Shared != nil && o.Shared != nil && *q.Shared != *o.Shared {
		out = append(out, "shared on one only")
	}
	if says := rightsDiffer(rightsOf(q), rightsOf(o)); says != "" {
		out = append(out, "who may print: "+says)
	}
	if q.Package != "" && o.Package != "" && q.Package != o.Package {
		out = append(out, fmt.Sprintf("driver package: %.12s and %.12s", q.Package, o.Package))
	}
	if q.Package != "" && o.Package != "" && q.Units != o.Units {
		out = append(out, fmt.Sprintf("fitted: %s and %s", cmp.Or(q.Units, "nothing said"), cmp.Or(o.Units, "nothing said")))
	}
	return out
}

// rights are who may print: those named, or everybody but them.
type rights struct {
	but   bool
	names []string
}

func rightsOf(q Queue) rights {
	named := func(list []string, word string) []string {
		list = slices.DeleteFunc(slices.Clone(list), func(n string) bool { return n == word })
		slices.Sort(list)
		return list
	}
	if only := named(q.Allowed, "all"); len(only) > 0 {
		return rights{false, only}
	}
	return rights{true, named(q.Denied, "none")}
}

func (r rights) String() string {
	switch few := words.Few(r.names, shownNames); {
	case !r.but:
		return few
	case few == "":
		return "everybody"
	default:
		return "everybody but " + few
	}
}

// shownNames is how many names stand in a sentence.
const shownNames = 5

// rightsDiffer says in what rights differ; "" where they do not.
func rightsDiffer(a, b rights) string {
	if a.but == b.but && slices.Equal(a.names, b.names) {
		return ""
	}
	x, y := a.String(), b.String()
	if x != y {
		return x + " and " + y
	}
	var one []string // what differs is not among the names that are shown
	for _, n := range a.names {
		if _, both := slices.BinarySearch(b.names, n); !both {
			one = append(one, n)
		}
	}
	for _, n := range b.names {
		if _, both := slices.BinarySearch(a.names, n); !both {
			one = append(one, n)
		}
	}
	return fmt.Sprintf("%s, and not alike in %s", x, words.Few(one, shownNames))
}

func keysOf(a, b map[string]any) []string {
	var out []string
	for k := range a {
		out = append(out, k)
	}
	for k := range b {
		if _, ok := a[k]; !ok {
			out = append(out, k)
		}
	}
	slices.Sort(out)
	return out
}

func orUnset(v any) string {
	if v == nil {
		return "unset"
	}
	return Text(v)
}

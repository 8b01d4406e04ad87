package stock

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"cirque/core/driver"
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
	if a != nil {
		for _, q := range a.Queues {
			o := b.Find(q.Name)
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
			if a.Find(q.Name) == nil {
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
	if x, y := rights(q), rights(o); x != y {
		out = append(out, fmt.Sprintf("who may print: %s and %s", x, y))
	}
	if q.Package != "" && o.Package != "" && q.Package != o.Package {
		out = append(out, fmt.Sprintf("driver package: %.12s and %.12s", q.Package, o.Package))
	}
	if q.Package != "" && o.Package != "" && q.Units != o.Units {
		out = append(out, fmt.Sprintf("fitted: %s and %s", cmp.Or(q.Units, "nothing said"), cmp.Or(o.Units, "nothing said")))
	}
	return out
}

// rights says who may print, in words.
func rights(q Queue) string {
	but := func(list []string, word string) []string {
		list = slices.DeleteFunc(slices.Clone(list), func(n string) bool { return n == word })
		slices.Sort(list)
		return list
	}
	if only := but(q.Allowed, "all"); len(only) > 0 {
		return strings.Join(only, ", ")
	}
	if not := but(q.Denied, "none"); len(not) > 0 {
		return "everybody but " + strings.Join(not, ", ")
	}
	return "everybody"
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

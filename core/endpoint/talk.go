package endpoint

import (
	"cmp"
	"slices"
)

// A Talk is where some queues of an endpoint lead just now, by its last report.
type Talk struct {
	Machine  string   `json:"machine"`
	Location string   `json:"location,omitempty"`
	Kind     string   `json:"kind" enum:"server,device,gateway,elsewhere"`
	Name     string   `json:"name,omitempty" doc:"Of the server or device; of what the estate does not know, the URI."`
	Queues   []string `json:"queues"`
}

// Talks groups an endpoint's own queues by where they lead; where says it of a URI.
func Talks(r Report, location string, where func(uri string) (kind, name string)) []Talk {
	at := map[[2]string]*Talk{}
	for _, i := range r.Installed {
		if !i.Own {
			continue
		}
		kind, name := where(i.URI)
		k := [2]string{kind, name}
		if at[k] == nil {
			at[k] = &Talk{Machine: r.Machine, Location: location, Kind: kind, Name: name}
		}
		if !slices.Contains(at[k].Queues, i.Queue) {
			at[k].Queues = append(at[k].Queues, i.Queue)
		}
	}
	out := []Talk{}
	for _, t := range at {
		slices.Sort(t.Queues)
		out = append(out, *t)
	}
	slices.SortFunc(out, func(a, b Talk) int { return cmp.Or(cmp.Compare(a.Kind, b.Kind), cmp.Compare(a.Name, b.Name)) })
	return out
}

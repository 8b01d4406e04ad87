package fleet

import "slices"

// LeadingTo gives the endpoints of which an own queue leads to a server.
func (f *Fleet) LeadingTo(server string) []*Judgement {
	var out []*Judgement
	for _, j := range f.All() {
		if slices.Contains(j.Servers, server) {
			out = append(out, j)
		}
	}
	return out
}

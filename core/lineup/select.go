package lineup

import (
	"slices"

	"cirque/core/estate"
)

// selection finds queues by label and place.
type selection struct {
	e       *Estate
	byLabel map[string][]int32
	byPlace []int32 // the queues that have a location, by location and then by number
}

func newSelection(e *Estate) *selection {
	s := &selection{e: e, byLabel: map[string][]int32{}}
	for i := range e.queues {
		for _, l := range e.queues[i].Labels {
			s.byLabel[l] = append(s.byLabel[l], int32(i))
		}
		if e.queues[i].loc != none {
			s.byPlace = append(s.byPlace, int32(i))
		}
	}
	slices.SortStableFunc(s.byPlace, func(a, b int32) int { return int(e.queues[a].loc - e.queues[b].loc) })
	return s
}

// all gives the queues that any of the selectors selects, ascending.
func (s *selection) all(selectors []string) []int32 {
	var out []int32
	for _, written := range selectors {
		out = append(out, s.one(written)...)
	}
	slices.Sort(out)
	return slices.Clip(slices.Compact(out))
}

func (s *selection) one(written string) []int32 {
	sel, err := estate.ParseSelector(written)
	if err != nil {
		return nil // Parse has refused it
	}
	var out []int32
	switch {
	case sel.Queue != "":
		if i, ok := s.e.queueByName[sel.Queue]; ok {
			out = append(out, i)
		}
	case sel.Within != "":
		at := s.e.tree.byPath[sel.Within]
		end := s.e.tree.locs[at].end
		i, _ := slices.BinarySearchFunc(s.byPlace, at, func(q, l int32) int { return int(s.e.queues[q].loc - l) })
		for ; i < len(s.byPlace) && s.e.queues[s.byPlace[i]].loc < end; i++ {
			out = append(out, s.byPlace[i])
		}
	default:
		for _, i := range s.byLabel[sel.Labels[0]] {
			if !slices.ContainsFunc(sel.Labels, func(l string) bool { return !slices.Contains(s.e.queues[i].Labels, l) }) {
				out = append(out, i)
			}
		}
	}
	return out
}

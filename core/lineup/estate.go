package lineup

import (
	"net/netip"
	"slices"

	"cirque/core/estate"
	"cirque/core/name"
)

// Document gives the compiled document, sorted; the caller must not change it.
func (e *Estate) Document() *estate.Document { return e.doc }

// Revision is the revision that answers name.
func (e *Estate) Revision() int { return e.revision }

// HasQueue gives the present name of a queue, which may be asked for by an old one.
func (e *Estate) HasQueue(called string) (string, bool) {
	i, ok := e.queueByName[called]
	if !ok {
		return "", false
	}
	return e.queues[i].Name, true
}

// Selecting names the grants that select a queue, by name.
func (e *Estate) Selecting(queue string) []string {
	out := []string{}
	if i, ok := e.queueByName[queue]; ok {
		for _, g := range e.selecting(i) {
			out = append(out, e.grants[g].more.Name)
		}
	}
	return out
}

// SelectingEach is Selecting for every queue of the document, in its order.
func (e *Estate) SelectingEach() [][]string {
	out := make([][]string, len(e.queues))
	for i := range out {
		out[i] = []string{}
	}
	for i := range e.grants {
		for _, q := range e.grants[i].more.queues {
			out[q] = append(out[q], e.grants[i].more.Name)
		}
	}
	return out
}

// selecting gives the grants that select a queue, ascending.
func (e *Estate) selecting(q int32) []int32 {
	var out []int32
	for i := range e.grants {
		if _, ok := slices.BinarySearch(e.grants[i].more.queues, q); ok {
			out = append(out, int32(i))
		}
	}
	return out
}

func (e *Estate) stations() {
	e.stationByName, e.stationByAddr = map[string]int32{}, map[netip.Addr]int32{}
	for i, s := range e.doc.Stations {
		e.stationByName[name.Fold(s.Name)] = int32(i)
		for _, a := range s.Addresses {
			if _, taken := e.stationByAddr[a]; !taken { // of two stations with one address, the first by name
				e.stationByAddr[a] = int32(i)
			}
		}
	}
}

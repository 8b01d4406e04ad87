package lineup

import (
	"slices"

	"cirque/core/estate"
)

// onlyAttached gives the first device of a queue all of whose devices are plugged into machines; nil where one is on
// the network, or there is none.
func (e *Estate) onlyAttached(q *queue) (first *estate.Device) {
	for _, name := range q.Devices {
		i := slices.IndexFunc(e.doc.Devices, func(d estate.Device) bool { return d.Name == name })
		if i < 0 || e.doc.Devices[i].Machine == "" {
			return nil
		}
		if first == nil {
			first = &e.doc.Devices[i]
		}
	}
	return first
}

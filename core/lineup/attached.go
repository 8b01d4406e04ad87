package lineup

import (
	"slices"
	"strings"

	"cirque/core/estate"
)

// onlyAttached gives the first device of a queue all of whose devices are plugged into machines; nil where one is on
// the network, or there is none.
func (e *Estate) onlyAttached(q *queue) (first *estate.Device) {
	for _, name := range q.Devices {
		i, ok := slices.BinarySearchFunc(e.doc.Devices, name, func(d estate.Device, n string) int {
			return strings.Compare(d.Name, n)
		})
		if !ok || e.doc.Devices[i].Machine == "" {
			return nil
		}
		if first == nil {
			first = &e.doc.Devices[i]
		}
	}
	return first
}

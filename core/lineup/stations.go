package lineup

import (
	"net/netip"
	"slices"

	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/name"
)

// Station gives the station of a name, compared folded; nil where there is none.
func (e *Estate) Station(called string) *estate.Station {
	i, ok := e.stationByName[name.Fold(called)]
	if !ok {
		return nil
	}
	return &e.doc.Stations[i]
}

// StationAt gives the station that has an address, of two the first by name; nil where none has it.
func (e *Estate) StationAt(a netip.Addr) *estate.Station {
	i, ok := e.stationByAddr[a]
	if !ok {
		return nil
	}
	return &e.doc.Stations[i]
}

// mostNear is how many names are offered for a machine that nobody knows.
const mostNear = 3

// NearMachines gives the machines of a directory and the stations of an estate that somebody may have meant by a name
// that neither has. It looks at all of them, so it is for mistakes alone.
func NearMachines(e *Estate, d *directory.Directory, called string) []string {
	near := d.Near("machine", called)
	for _, s := range e.doc.Stations {
		near = append(near, name.Near(called, slices.Values([]string{s.Name}), 1)...)
	}
	return near[:min(len(near), mostNear)]
}

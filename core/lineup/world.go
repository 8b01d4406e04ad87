package lineup

import (
	"slices"

	"cirque/core/directory"
	"cirque/core/live"
	"cirque/core/path"
)

// A World is an estate, a directory and live state that belong together.
type World struct {
	Estate    *Estate
	Directory *directory.Directory
	Live      live.State

	groupRef  []int32   // by directory.GroupID: the estate's ref, or none
	unitRef   []int32   // by directory.UnitID
	serving   []bool    // by server
	share     []float64 // by server: what of its people it takes; nil where every one takes all
	answering []bool    // by device
	lacks     lacks
}

// Bind joins the three parts; it is cheap enough to do at every change of any of them.
func Bind(e *Estate, d *directory.Directory, l live.State) *World {
	w := &World{Estate: e, Directory: d, Live: l, groupRef: make([]int32, len(d.Records().Groups)),
		unitRef: make([]int32, d.Units()),
		serving: make([]bool, len(e.doc.Servers)), answering: make([]bool, len(e.doc.Devices))}
	for i := range w.groupRef {
		w.groupRef[i] = none
	}
	for i := range w.unitRef {
		w.unitRef[i] = none
	}
	for i, r := range e.refs.groups {
		if id, ok := d.GroupID(r.written); ok {
			w.groupRef[id] = int32(i)
		}
	}
	for i, r := range e.refs.units {
		if id, ok := d.Unit(r.written); ok {
			w.unitRef[id] = int32(i)
		}
	}
	for i := range e.doc.Servers {
		w.serving[i] = path.Serving(l, e.doc.Servers[i].Name)
		if share := l.Share(e.doc.Servers[i].Name); share < 1 {
			if w.share == nil {
				w.share = slices.Repeat([]float64{1}, len(e.doc.Servers))
			}
			w.share[i] = share
		}
	}
	for i := range e.doc.Devices {
		w.answering[i] = path.Answering(l, e.doc.Devices[i].Name)
	}
	w.lacks = newLacks(e, l)
	return w
}

func (w *World) groupRefs(ids []directory.GroupID, into []int32) []int32 {
	for _, id := range ids {
		if r := w.groupRef[id]; r != none {
			into = append(into, r)
		}
	}
	return into
}

func (w *World) unitRefs(id directory.UnitID, into []int32) []int32 {
	for ; id != directory.NoUnit; id = w.Directory.UnitAbove(id) {
		if r := w.unitRef[id]; r != none {
			into = append(into, r)
		}
	}
	return into
}

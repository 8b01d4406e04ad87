package directory

import (
	"cirque/core/name"
)

// A UnitID numbers the units of one Directory, from 0; NoUnit stands for none.
type UnitID int32

// NoUnit is the unit of what is in none.
const NoUnit UnitID = -1

func (d *Directory) unitOf(path string) UnitID {
	if path == "" {
		return NoUnit
	}
	return d.units[name.Fold(path)]
}

// Unit finds a unit by path.
func (d *Directory) Unit(path string) (UnitID, bool) {
	id, ok := d.units[name.Fold(path)]
	return id, ok
}

// Units counts the units; UnitPath and UnitAbove take 0 to Units()-1.
func (d *Directory) Units() int { return len(d.unitPath) }

// UnitPath gives a unit's path.
func (d *Directory) UnitPath(id UnitID) string { return d.unitPath[id] }

// UnitEnd gives the number after the last unit under a unit: a is id or under it when id <= a && a < UnitEnd(id).
func (d *Directory) UnitEnd(id UnitID) UnitID { return d.unitEnd[id] }

// UnitAbove gives the unit that holds a unit, or NoUnit.
func (d *Directory) UnitAbove(id UnitID) UnitID { return d.unitUp[id] }

package directory

import "cirque/core/fault"

// MostNesting bounds how many pairs of a group and one that holds it, through any nesting, a directory may have: each
// takes four bytes for as long as the service runs. A large organisation of 5,000 nested groups has some 20,000.
const MostNesting = 20_000_000

// CheckNesting gives an Invalid fault where groups are nested so that working them out would exhaust the memory;
// nothing real is. Only nesting among the records themselves counts.
func (r Records) CheckNesting() error {
	if g := New(Records{Groups: r.Groups}).TooNested(); g != "" {
		return fault.New(fault.Invalid, "nesting-too-large", "look at the group "+g+" and those that hold it",
			"the groups are nested beyond all measure: %d of them", len(r.Groups))
	}
	return nil
}

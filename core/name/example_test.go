package name_test

import (
	"fmt"

	"cirque/core/name"
)

// Names of a directory are the same under simple case folding, whatever their writing.
func Example() {
	fmt.Println(name.Fold("Mira.SOLVANG") == name.Fold("mira.solvang"),
		name.Fold("ΟΔΥΣΣΕΥΣ") == name.Fold("οδυσσευς"))
	fmt.Println(name.Valid("Åse Lunde"), name.Valid("two\nlines"))
	parent, ok := name.UnitParent(`staff/harbour\/quay/booking`)
	fmt.Println(parent, ok)
	// Output:
	// true true
	// true false
	// staff/harbour\/quay true
}

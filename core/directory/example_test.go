package directory_test

import (
	"fmt"

	"cirque/core/directory"
)

// Groups of groups are worked out once, and a person has them under any writing of their name.
func Example() {
	d := directory.New(directory.Records{
		Users: []directory.User{{Name: "Mira", Unit: "staff/harbour"}},
		Groups: []directory.Group{
			{Name: "temps", Members: []string{"user:mira"}},
			{Name: "booking-clerks", Members: []string{"group:temps"}},
		},
	})
	mira := d.UserID("mira")
	for _, g := range d.UserGroups(mira) {
		fmt.Println(d.Group(g).Name)
	}
	fmt.Println(d.UnitPath(d.UserUnit(mira)))
	// Output:
	// temps
	// booking-clerks
	// staff/harbour
}

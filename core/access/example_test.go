package access_test

import (
	"fmt"

	"cirque/core/access"
)

// One table says who may do what; a scope of sites narrows what somebody does, not what they read.
func Example() {
	bjorn := &access.Principal{Name: "bjorn", Role: access.SiteAdmin, Sites: []string{"brannoy"}}
	for _, a := range []access.Action{access.ReadEstate, access.EditDraft, access.ManageAccounts} {
		fmt.Printf("%s: %v\n", a, access.Check(bjorn, a) == nil)
	}
	fmt.Println(access.Check(nil, access.ReadEstate))
	// Output:
	// read the estate: true
	// edit a draft: true
	// manage accounts and their roles: false
	// nobody is signed in; sign in, or send a token: Authorization: Bearer TOKEN
}

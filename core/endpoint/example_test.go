package endpoint_test

import (
	"fmt"

	"cirque/core/endpoint"
)

// What is wanted and what is installed give the steps that lead from one to the other: new before old, and nothing that
// somebody else installed is touched.
func ExampleSteps() {
	plan := endpoint.Plan{Wants: []endpoint.Want{{Queue: "hall", URI: "ipp://ps-1.example/printers/hall"}}}
	installed := []endpoint.Installed{
		{Want: endpoint.Want{Queue: "yard", URI: "ipp://ps-1.example/printers/yard"}, Own: true},
		{Want: endpoint.Want{Queue: "mine", URI: "ipp://10.0.0.9/ipp/print"}},
	}
	steps, _ := endpoint.Steps(plan, installed, nil, endpoint.Memory{})
	for _, s := range steps {
		fmt.Println(s.Do, s.Want.Queue)
	}
	// Output:
	// add hall
	// remove yard
}

package live_test

import (
	"fmt"

	"cirque/core/live"
)

// What is not mentioned is serving, and takes all of its people.
func Example() {
	state := live.State{Servers: map[string]live.Duty{"ps-1": live.Drained}, Shares: map[string]float64{"ps-2": .25}}
	fmt.Println(state.Server("ps-1"), state.Server("ps-2"), state.Device("hall-40"))
	fmt.Println(state.Share("ps-2"), state.Share("ps-3"))
	// Output:
	// drained serving serving
	// 0.25 1
}

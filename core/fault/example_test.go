package fault_test

import (
	"errors"
	"fmt"

	"cirque/core/fault"
)

// An error has a code for programs, a sentence for people, and the way out; whatever else arrives becomes one.
func Example() {
	err := fault.New(fault.Unknown, "queue-unknown", "see cirque queue list", "there is no queue %q", "hal")
	fmt.Println(err)
	fmt.Println(fault.As(err).Code, fault.Is(err, fault.Unknown), fault.Is(err, fault.Conflict))
	fmt.Println(fault.As(errors.New("a cable")).Code)
	// Output:
	// there is no queue "hal"; see cirque queue list
	// queue-unknown true false
	// internal
}

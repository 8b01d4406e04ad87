package lease_test

import (
	"context"
	"fmt"
	"time"

	"cirque/core/lease"
)

// What is done under no lease never ends by one; under a lease it sees when the lease has ended.
func Example() {
	ctx := context.Background()
	fmt.Println(lease.Ended(ctx.Value))
	until := time.Now().Add(-time.Second)
	held := lease.Held{Name: "health", Number: 3, Valid: func() bool { return time.Now().Before(until) }}
	fmt.Println(lease.Ended(context.WithValue(ctx, lease.Key{}, held).Value))
	// Output:
	// false
	// true
}

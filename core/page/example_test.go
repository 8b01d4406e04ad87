package page_test

import (
	"fmt"

	"cirque/core/page"
)

// A page says from where to go on: by the key of its last item, so that what comes or goes meanwhile repeats nothing.
func Example() {
	queues := []string{"accounts", "boarding", "cheques", "hall"}
	key := func(q *string) string { return *q }
	first := page.Cut(queues, page.Ask{Limit: 2}, key)
	fmt.Println(first.Items, first.Next, first.Total)
	fmt.Println(page.Cut(queues[1:], page.Ask{Limit: 2, After: first.Next}, key).Items)
	// Output:
	// [accounts boarding] boarding 4
	// [cheques hall]
}

package hours_test

import (
	"fmt"
	"time"

	"cirque/core/hours"
)

// A window that runs past midnight belongs to the day on which it began.
func Example() {
	night, err := hours.Parse([]string{"fri"}, "22:00", "06:00")
	if err != nil {
		fmt.Println(err)
		return
	}
	week := hours.Week{night}
	for _, at := range []time.Time{
		time.Date(2026, 11, 27, 23, 0, 0, 0, time.UTC), // a Friday
		time.Date(2026, 11, 28, 5, 0, 0, 0, time.UTC),
		time.Date(2026, 11, 28, 23, 0, 0, 0, time.UTC),
	} {
		fmt.Println(at.Format("Mon 15:04"), week.Open(hours.At(at, time.UTC)))
	}
	// Output:
	// Fri 23:00 true
	// Sat 05:00 true
	// Sat 23:00 false
}

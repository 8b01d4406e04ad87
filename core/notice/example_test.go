package notice_test

import (
	"fmt"
	"time"

	"cirque/core/estate"
	"cirque/core/notice"
	"cirque/core/span"
)

// A fault is told once it has lasted, once, and again when it is over.
func Example() {
	begin := time.Date(2026, 11, 23, 8, 0, 0, 0, time.UTC)
	notices := []estate.Notice{{Name: "harbour", Tell: []string{"mail:harbour@skerry.example"}, After: span.Span(5 * time.Minute)}}
	fault := notice.Fault{Key: "server ps-1", About: estate.AboutServers, Name: "ps-1", Since: begin,
		Says: "the server ps-1 does not answer"}
	var told []notice.Notified
	for _, minute := range []int{1, 6, 7, 20} {
		now := begin.Add(time.Duration(minute) * time.Minute)
		faults := []notice.Fault{fault}
		if minute == 20 {
			faults = nil
		}
		for _, m := range notice.Decide(notices, faults, told, 10, now) {
			fmt.Println("minute", minute, "new", len(m.New), "over", len(m.Over))
			told = notice.After(told, m, now)
		}
	}
	// Output:
	// minute 6 new 1 over 0
	// minute 20 new 0 over 1
}

package continuity

import "cirque/core/live"

// Fate says what becomes of a job that waits on a server: by the server's duty, what probing has found, whether the
// job's queue is stopped there, and whether people are led another way meanwhile.
func Fate(duty live.Duty, found Verdict, stopped, otherwise bool) string {
	again := "; whoever needs it now prints it again: the queue leads another way meanwhile"
	if !otherwise {
		again = "; nothing else serves the queue"
	}
	switch {
	case found == Gone:
		return "it waits on the server, and prints once that is back" + again
	case stopped:
		return "it waits until the queue is started on the server" + again
	case duty == live.Drained:
		return "it prints there before the server is empty"
	case found == Unproven:
		return "whether the server works is not proven; it prints in its turn if it does"
	}
	return "it prints in its turn"
}

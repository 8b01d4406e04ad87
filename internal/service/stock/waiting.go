package stock

import "time"

// How much is asked of what waits on a server: there is no end to some queues.
const (
	waitingQueues = 64
	waitingJobs   = 100 // of each
	waitingWithin = 10 * time.Second
	waitingAtOnce = 8 // queues
)

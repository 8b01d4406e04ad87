package test

import (
	"fmt"
	"runtime"
	"syscall"
	"testing"
	"time"
)

// TestCampaignDrain connects agents to one service and to two on one database, and drains one of the two servers that
// they share: until each has confirmed, and none was ever without a queue.
func TestCampaignDrain(t *testing.T) {
	sizes := []struct{ agents, services int }{{40, 1}, {60, 2}}
	if whole() {
		sizes = []struct{ agents, services int }{{10_000, 1}, {19_000, 1}, {30_000, 2}}
	} else {
		t.Parallel()
	}
	c := newCampaign(t, "drain", "One of two servers that share all endpoints is drained while every agent is connected.")
	var files syscall.Rlimit
	if err := syscall.Getrlimit(syscall.RLIMIT_NOFILE, &files); err != nil {
		t.Fatal(err)
	}
	c.say("A process has room for %d open files here, one for each agent that is connected (setrlimit(2)): more agents "+
		"take a second service.\n", files.Cur)
	c.say("| agents | services | connected within | moved | drained within | bar | without a queue | memory of a " +
		"service at " +
		"its largest, with what was before |\n|---|---|---|---|---|---|---|---|")
	for _, size := range sizes {
		t.Run(fmt.Sprintf("%d on %d", size.agents, size.services), func(t *testing.T) {
			begin := time.Now()
			f := newFleet(t, size.agents, size.services, "{return_over: 0s}")
			connected := time.Since(begin)
			for range 3 {
				took, moved := f.drain()
				if moved < size.agents/3 || moved > size.agents*2/3 {
					t.Errorf("%d of %d moved", moved, size.agents)
				}
				f.settled()
				_, _, without := f.counts()
				c.say("| %d | %d | %.0f s | %d | %.1f s | 10 s | %d | %.0f MiB |", size.agents, size.services,
					connected.Seconds(), moved, took.Seconds(), without, peak(t))
			}
		})
	}
	c.say("\nAgents run in %d processes on the same %d cores, and take most of these: a drain is as long as it "+
		"takes all of "+
		"them to put up a queue, take one away and say so.", crowdProcesses, runtime.NumCPU())
	c.keep()
}

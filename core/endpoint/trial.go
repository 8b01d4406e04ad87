package endpoint

import (
	"time"

	"cirque/core/estate"
)

// What a trial may try besides a driver's exact name.
const (
	TryDriverless = estate.Driverless
	TryPlain      = "plain" // plain text, as it is: what comes out then shows that everything but the driver works
)

// trialSuffix ends the name of the queue that an agent makes for a trial and takes away again.
const trialSuffix = "-trial"

const maxQueueName = 63

// Trial gives the queue through which a driver is tried: beside the real one, along the same path, for the same people,
// and with nothing set that the other driver may not know. It is nobody's default and does not come back when it is
// removed.
func (w Want) Trial(try string) Want {
	out := Want{Queue: w.Queue[:min(len(w.Queue), maxQueueName-len(trialSuffix))] + trialSuffix, User: w.User,
		Title: "Trial of " + w.Queue, URI: w.URI, Driver: estate.Driverless, Place: w.Place}
	if try != TryDriverless && try != TryPlain {
		out.Driver, out.Exact = "trial", try
	}
	return out
}

// A PrintResult is what somebody saw come out of a device.
type PrintResult struct {
	Result string    `json:"result" enum:"good,garbled,nothing"`
	By     string    `json:"by"`
	At     time.Time `json:"at"`
	Note   string    `json:"note,omitempty"`
}

// What may come out.
const (
	PrintGood    = "good"
	PrintGarbled = "garbled"
	PrintNothing = "nothing"
)

// Tries says whether a checkup prints with another driver than the queue's.
func (c Checkup) Tries() bool { return c.Try != "" }

// SetUpCheck is the check with which a trial begins.
const SetUpCheck = "Can a queue be set up with it?"

// TestCheck is the check that a test page is; a proof looks for it.
func TestCheck(queue, try string) string {
	if try == "" {
		return "Does a test page to " + queue + " come out?"
	}
	return "Does a test page to " + queue + " come out, with " + TryName(try) + "?"
}

// TryName says what is tried.
func TryName(try string) string {
	switch try {
	case TryPlain:
		return "plain text"
	case TryDriverless:
		return "no driver"
	}
	return "the driver " + try
}

// Tested says how the test page of a checkup went; nil where it had none, or has not been answered.
func (c Checkup) Tested() *Tested {
	if c.Queue == "" || c.Done == nil {
		return nil
	}
	for _, r := range c.Checks {
		if r.Check == TestCheck(c.Queue, c.Try) {
			return &Tested{Checkup: c.ID, By: c.Author, At: *c.Done, Result: r.Result, Says: r.Says, Try: c.Try,
				PrintResult: c.PrintResult}
		}
	}
	return nil
}

// A Tested is one test page from an endpoint, and what came out.
type Tested struct {
	Checkup     int64        `json:"checkup"`
	By          string       `json:"by"`
	At          time.Time    `json:"at"`
	Result      string       `json:"result" enum:"yes,no,unproven"`
	Says        string       `json:"says"`
	Try         string       `json:"try,omitempty" doc:"The driver that was tried instead of the queue's own."`
	PrintResult *PrintResult `json:"print_result,omitempty"`
}

// DriverOf says with which driver an endpoint has a queue: an exact name, or driverless; "" where it has it not.
func (r Report) DriverOf(queue string) string {
	for _, i := range r.Installed {
		if i.Own && i.Queue == queue {
			if i.Exact != "" {
				return i.Exact
			}
			return i.Driver
		}
	}
	return ""
}

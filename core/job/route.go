package job

import (
	"cmp"
	"fmt"
	"slices"
	"time"

	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/core/live"
)

// A Hop is one device behind the gateway.
type Hop struct {
	Device string
	URI    string
	Down   bool
}

// A Route is where the gateway may send a queue's jobs, what is not down first.
type Route struct {
	Queue   estate.Queue
	Hops    []Hop
	Refuses string     // why it takes no jobs just now: paused, or closed by its hours
	Paused  bool       // rather than closed
	Until   *time.Time // when its hours begin again; nil where it is paused or they never do
}

// Streams says whether jobs go straight through, and nothing is kept.
func (r Route) Streams() bool { return r.Queue.JobsOf().Take == estate.TakeStream }

// RouteOf finds the devices behind a queue that has a path through the gateway.
func RouteOf(w *lineup.World, called string, now time.Time) (Route, error) {
	queue, ok := w.Estate.HasQueue(called)
	if !ok {
		return Route{}, fault.New(fault.Unknown, "queue-unknown", "see cirque queue list",
			"the estate has no queue %q", called)
	}
	doc := w.Estate.Document()
	i, _ := slices.BinarySearchFunc(doc.Queues, queue, func(q estate.Queue, n string) int {
		return cmp.Compare(q.Name, n)
	})
	r := Route{Queue: doc.Queues[i]}
	r.Paused = r.Queue.Paused
	r.Refuses, r.Until = w.Refuses(queue, now)
	switch {
	case !r.Queue.HasGateway():
		return r, fault.New(fault.Unknown, "no-gateway-path", "add {gateway: true} to its paths", "the queue %s does not "+
			"go through the gateway", queue)
	case w.Estate.Retired(queue, now):
		return r, fault.New(fault.Denied, "queue-retired", "use another queue", "the queue %s is retired", queue)
	}
	behind := "no device"
	for _, usable := range []bool{true, false} { // what is known to be down is tried last
		for _, name := range r.Queue.Devices {
			j, ok := slices.BinarySearchFunc(doc.Devices, name, func(d estate.Device, n string) int {
				return cmp.Compare(d.Name, n)
			})
			if !ok {
				continue
			}
			down := w.Live.Device(name) == live.Down
			if attached := doc.Devices[j].Machine; attached != "" {
				behind = fmt.Sprintf("only devices that are plugged into machines, such as %s into %s", name, attached)
			} else if down != usable {
				r.Hops = append(r.Hops, Hop{name, doc.Devices[j].URI, down})
			}
		}
	}
	if len(r.Hops) == 0 && r.Queue.Purpose != estate.Practice {
		return r, fault.New(fault.Unavailable, "no-device", "name devices on the network behind it in the estate",
			"the queue %s has %s", queue, behind)
	}
	return r, nil
}

// ReleaseAt gives the devices at which a held job of the queue may be had: those that it names and those that lie where
// it says, else its own.
func ReleaseAt(doc *estate.Document, q *estate.Queue) []string {
	jobs := q.JobsOf()
	if len(jobs.ReleaseAt) == 0 {
		return q.Devices
	}
	var out []string
	for i := range doc.Devices {
		d := &doc.Devices[i]
		if d.Machine == "" && slices.ContainsFunc(jobs.ReleaseAt, func(s string) bool { return holdsAt(s, d) }) {
			out = append(out, d.Name)
		}
	}
	return out
}

func holdsAt(s string, d *estate.Device) bool {
	sel, err := estate.ParseSelector(s)
	return err == nil && (sel.Queue == d.Name || sel.Within != "" && estate.Within(d.Location, sel.Within))
}

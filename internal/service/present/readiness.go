package present

import (
	"context"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/readiness"
)

// A Doctor looks how the database and this machine do.
type Doctor interface {
	// Look looks at the database; room says that also whether its disk has room is looked at. It fails where the
	// database does not answer.
	Look(ctx context.Context, room bool) (readiness.Database, error)
	// Disk tells of the disk on which the service keeps its files: how many bytes are free, and why nothing could be
	// written there.
	Disk() (dir string, free int64, failed string)
}

// How often it is looked, and how often whether there is room.
const (
	lookEvery = 2 * time.Second
	roomEvery = 5 // looks
)

// unreadMost is how much that could not be read is remembered one by one.
const unreadMost = 200

// known is how old what is here may be, and what stands in the way of more.
type known struct {
	asOf      atomic.Pointer[time.Time] // what is here was so then, by this process's own clock
	listening atomic.Bool               // Listen has begun: before, nothing ages

	mu         sync.Mutex
	unread     map[string]event.Signal // what could not be read again, by what it names; guarded by mu
	facts      readiness.Facts         // as last looked; guarded by mu
	conditions []readiness.Condition   // as last drawn; guarded by mu
	look       chan struct{}           // looks at once
}

// AsOf gives when what is here was so.
func (p *Present) AsOf() time.Time {
	if at := p.known.asOf.Load(); at != nil {
		return *at
	}
	return time.Now()
}

// Age gives how old what is here may be: longer than an instant only where notices of changes do not come.
func (p *Present) Age() time.Duration { return p.AgeOf(p.AsOf()) }

// AgeOf gives how old an answer is that was made from what was here, after AsOf gave a time.
func (p *Present) AgeOf(asOf time.Time) time.Duration {
	if !p.known.listening.Load() {
		return 0
	}
	return max(time.Since(asOf), 0)
}

// Current gives an Unavailable fault where what is known here is too old to say who may do what.
func (p *Present) Current() error {
	age := p.Age()
	if age <= readiness.RefusedAfter {
		return nil
	}
	return fault.New(fault.Unavailable, "not-current", "wait until the database answers again; /readyz says what is wrong",
		"what is known here is %d s old: nothing but one's own lineups is given meanwhile", int(age/time.Second))
}

// current notes that everything that was sent before a moment has come. What could not be read then is tried again
// first.
func (p *Present) current(ctx context.Context, at time.Time) {
	k := &p.known
	k.mu.Lock()
	again := make([]event.Signal, 0, len(k.unread))
	for _, n := range k.unread {
		again = append(again, n)
	}
	clear(k.unread)
	k.mu.Unlock()
	for _, n := range again {
		p.follow(ctx, n)
	}
	k.mu.Lock()
	behind := len(k.unread) > 0
	k.mu.Unlock()
	if !behind {
		k.asOf.Store(&at)
	}
}

// missed notes what could not be read.
func (p *Present) missed(n event.Signal) {
	k := &p.known
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.unread == nil || len(k.unread) >= unreadMost {
		k.unread = map[string]event.Signal{}
		n = event.Signal{What: event.Lost} // everything
	}
	k.unread[n.What+" "+n.Subject] = n
}

// Watch looks again and again how the service does, until ctx is done.
func (p *Present) Watch(ctx context.Context) error {
	tick := time.NewTicker(lookEvery)
	defer tick.Stop()
	for n := 0; ctx.Err() == nil; n++ {
		p.Look(ctx, n%roomEvery == 0)
		p.dropStale(ctx)
		select {
		case <-ctx.Done():
		case <-p.known.look:
		case <-tick.C:
		}
	}
	return nil
}

// lookNow has Watch look at once.
func (p *Present) lookNow() {
	select {
	case p.known.look <- struct{}{}:
	default:
	}
}

// Look looks once.
func (p *Present) Look(ctx context.Context, room bool) {
	if p.cfg.Doctor == nil {
		return
	}
	within, cancel := context.WithTimeout(ctx, 2*readiness.SaidAfter)
	defer cancel()
	seen, err := p.cfg.Doctor.Look(within, room)
	if ctx.Err() != nil {
		return
	}
	k := &p.known
	k.mu.Lock()
	defer k.mu.Unlock()
	f := readiness.Facts{Looked: time.Now(), Failed: fault.As(err), Seen: seen, LeaderlessSince: k.facts.LeaderlessSince}
	if !room && err == nil && seen.Write == nil {
		f.Seen.Full = k.facts.Seen.Full // as last looked
	}
	switch {
	case err == nil && len(seen.Leaderless) == 0:
		f.LeaderlessSince = time.Time{}
	case f.LeaderlessSince.IsZero():
		f.LeaderlessSince = f.Looked
	}
	f.DiskOf, f.DiskFree, f.DiskFailed = p.cfg.Doctor.Disk()
	before := k.conditions
	k.facts = f
	p.draw(k)
	p.tell(before, k.conditions)
}

// draw brings conditions and ages up to the moment; the caller holds mu.
func (p *Present) draw(k *known) {
	k.facts.Now, k.facts.AsOf = time.Now(), p.AsOf()
	if !k.listening.Load() {
		k.facts.AsOf = k.facts.Now
	}
	k.conditions = readiness.Keep(k.conditions, readiness.Of(k.facts), k.facts.Now.UTC())
}

// tell writes down which conditions are new, and which are over.
func (p *Present) tell(before, now []readiness.Condition) {
	is := func(list []readiness.Condition, code string) bool {
		return slices.ContainsFunc(list, func(c readiness.Condition) bool { return c.Code == code })
	}
	for _, c := range now {
		if !is(before, c.Code) {
			p.cfg.Log.Error("a condition has come", "condition", c.Code, "says", c.Says, "fix", c.Fix)
		}
	}
	for _, c := range before {
		if !is(now, c.Code) {
			p.cfg.Log.Info("a condition is over", "condition", c.Code, "since", c.Since)
		}
	}
}

// Readiness says how the service does now, by what was seen last.
func (p *Present) Readiness() readiness.Report {
	k := &p.known
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.facts.Looked.IsZero() { // nobody looks here
		k.facts.Looked = time.Now()
		defer func() { k.facts.Looked = time.Time{} }()
	}
	p.draw(k)
	return readiness.Sum(k.facts, slices.Clone(k.conditions))
}

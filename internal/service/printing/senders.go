package printing

import (
	"context"
	"slices"
	"sync"
	"time"

	"cirque/core/job"
	"cirque/internal/service/worker"
)

// each is how many jobs a device is given at a time: while it prints one, the next is on its way.
const each = 2

// A sender gives jobs to devices, and follows them there.
type sender struct {
	*common
	lately lately
}

// senders are the jobs that this process has in hand.
type senders struct {
	mu    sync.Mutex
	at    map[int64]*sending   // by job; guarded by mu, as are the rest
	busy  map[string]int       // how many there are by device
	began map[string]time.Time // when one last began there
	rest  map[string]rest      // devices that took nothing lately

	all sync.WaitGroup
}

// rest is a device that is left alone for a while.
type rest struct {
	until time.Time
	tries int
}

// sending is one job in hand, under a lease.
type sending struct {
	id, fence int64
	device    string
	ctx       context.Context // ends before the lease does
	cancel    context.CancelFunc
	until     time.Time // when it ends, unless it is renewed; guarded by senders.mu

	once sync.Once
	stop chan struct{} // closed once somebody wants it cancelled
}

// hold takes a job in hand whose lease was taken at a time.
func (r *sender) hold(ctx context.Context, j *job.Job, taken time.Time) *sending {
	s := &sending{id: j.ID, fence: j.Fence, device: j.Device, until: taken.Add(r.cfg.Lasts * 4 / 5),
		stop: make(chan struct{})}
	s.ctx, s.cancel = context.WithCancel(context.WithoutCancel(ctx))
	if j.Stopping {
		s.halt()
	}
	m := &r.hands
	m.mu.Lock()
	defer m.mu.Unlock()
	m.at[j.ID] = s
	m.busy[s.device]++
	m.all.Add(1)
	return s
}

func (s *sending) halt() { s.once.Do(func() { close(s.stop) }) }

// drop gives it out of hand.
func (r *sender) drop(s *sending) {
	s.cancel()
	m := &r.hands
	m.mu.Lock()
	delete(m.at, s.id)
	m.leaves(s.device)
	m.mu.Unlock()
	m.all.Done()
	r.look() // there is room for another
}

// leaves counts one less at a device; mu is held.
func (m *senders) leaves(device string) {
	if m.busy[device]--; m.busy[device] <= 0 {
		delete(m.busy, device)
	}
}

// goes has it counted for another device.
func (r *sender) goes(s *sending, device string) {
	m := &r.hands
	m.mu.Lock()
	defer m.mu.Unlock()
	m.leaves(s.device)
	s.device = device
	m.busy[device]++
}

// halt tells whoever has a job in hand here that somebody wants it cancelled.
func (m *senders) halt(id int64) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if s := m.at[id]; s != nil {
		s.halt()
	}
}

// begins notes that a job begins at a device.
func (m *senders) begins(device string, at time.Time) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.began[device] = at
	delete(m.rest, device)
}

// rests leaves a device alone for a while, longer each time.
func (m *senders) rests(device string, now time.Time) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.rest == nil {
		m.rest = map[string]rest{}
	}
	t := m.rest[device]
	t.tries++
	t.until = now.Add(min(time.Second<<min(t.tries-1, 6), 30*time.Second))
	m.rest[device] = t
}

// state gives what this process knows of a device.
func (m *senders) state(device string, now time.Time) (busy int, began time.Time, resting bool) {
	m.mu.Lock()
	defer m.mu.Unlock()
	return m.busy[device], m.began[device], m.rest[device].until.After(now)
}

// renew keeps the leases of what is in hand, and lets go of what is not this process's any more.
func (r *sender) renew(ctx context.Context) error {
	tick := time.NewTicker(r.cfg.Lasts / 12)
	defer tick.Stop()
	for n := 0; ; n++ {
		select {
		case <-ctx.Done():
			return nil
		case <-tick.C:
		}
		r.letGo()
		if n%3 != 0 {
			continue
		}
		m := &r.hands
		m.mu.Lock()
		any := len(m.at) > 0
		m.mu.Unlock()
		if !any {
			continue
		}
		sent := time.Now()
		within, cancel := context.WithTimeout(ctx, r.cfg.Lasts/4)
		held, err := r.work.RenewJobs(within, r.cfg.Process, r.cfg.Lasts)
		cancel()
		if err != nil {
			r.log.Warn("holds of jobs were not renewed", "error", err)
			continue // they end by themselves
		}
		m.mu.Lock()
		for id, s := range m.at {
			if l, ours := held[id]; ours && l.Fence == s.fence {
				s.until = sent.Add(r.cfg.Lasts * 4 / 5)
				if l.Stopping {
					s.halt()
				}
			}
		}
		m.mu.Unlock()
	}
}

// letGo ends what is done under leases that are about to end.
func (r *sender) letGo() {
	m := &r.hands
	m.mu.Lock()
	defer m.mu.Unlock()
	for _, s := range m.at {
		if time.Now().After(s.until) {
			s.cancel()
		}
	}
}

// stopsWithin is how long documents that are under way may take once the service stops.
const stopsWithin = 2 * time.Second

// dispatch looks for jobs that a device can take, and for those that another process has left.
func (r *sender) dispatch(ctx context.Context) error {
	tick := time.NewTicker(r.cfg.Every)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			r.leave(ctx)
			return nil
		case <-tick.C:
			r.takeLeft(ctx)
		case <-r.wake:
		}
		r.takeReady(ctx)
	}
}

// leave gives what is in hand to other processes, or to this one when it starts again.
func (r *sender) leave(ctx context.Context) {
	m := &r.hands
	within, cancel := context.WithTimeout(context.WithoutCancel(ctx), stopsWithin)
	defer cancel()
	done := make(chan struct{})
	go func() { m.all.Wait(); close(done) }()
	select {
	case <-done:
		return
	case <-within.Done():
	}
	m.mu.Lock()
	for _, s := range m.at {
		s.cancel()
	}
	m.mu.Unlock()
	again, stop := context.WithTimeout(context.WithoutCancel(ctx), time.Second)
	defer stop()
	_, _ = r.work.RenewJobs(again, r.cfg.Process, 0) // else they end by themselves
}

// takeReady gives jobs that wait to devices that can take them.
func (r *sender) takeReady(ctx context.Context) {
	list, err := r.work.ReadyJobs(ctx, 4*each)
	if err != nil || len(list) == 0 {
		r.failed(ctx, "jobs that wait were not found", err)
		return
	}
	loads, err := r.work.JobLoads(ctx)
	if err != nil {
		r.failed(ctx, "what devices have to do is not known", err)
		return
	}
	slices.SortFunc(list, func(a, b job.Job) int { return int(a.ID - b.ID) })
	for i := range list {
		if ctx.Err() != nil {
			return
		}
		r.give(ctx, &list[i], loads)
	}
}

func (r *common) failed(ctx context.Context, what string, err error) {
	if err != nil && ctx.Err() == nil {
		r.log.Warn(what, "error", err)
		worker.Pause(ctx, r.cfg.Every)
	}
}

// candidates are the devices of a route as they are known now; limited says that each takes only so many at a time.
func (r *common) candidates(route job.Route, loads map[string]job.Load, limited bool) []job.Candidate {
	st, now := r.present.Stock(), time.Now()
	var out []job.Candidate
	for _, h := range route.Hops {
		busy, began, resting := r.hands.state(h.Device, now)
		l := loads[h.Device]
		if resting || limited && max(l.Active, busy) >= each {
			continue
		}
		c := job.Candidate{Device: h.Device, Down: h.Down, Busy: max(l.Busy, busy), Began: l.Began}
		if began.After(c.Began) {
			c.Began = began
		}
		c.Refuses = r.refuses(h.Device, st)
		out = append(out, c)
	}
	return out
}

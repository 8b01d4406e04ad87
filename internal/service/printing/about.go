package printing

import (
	"context"
	"sync"
	"time"

	"cirque/core/job"
	"cirque/core/stock"
	"cirque/internal/service/present"
)

// abouts are what devices said of themselves lately when jobs went there.
type abouts struct {
	mu  sync.Mutex
	at  map[string]aboutAt // by device; guarded by mu, as is asking
	ask map[string]time.Time
}

type aboutAt struct {
	job.About
	at time.Time
}

// aboutLasts is for how long it need not be asked anew before a job that streams.
const aboutLasts = 10 * time.Second

// about asks a device about itself; within a while of the last answer that serves, where old says so.
func (r *common) about(ctx context.Context, h job.Hop, key *stock.Key, old bool) (job.About, error) {
	if old {
		r.abouts.mu.Lock()
		a, ok := r.abouts.at[h.Device]
		r.abouts.mu.Unlock()
		if ok && a.Connected == h.URI && time.Since(a.at) < aboutLasts {
			return a.About, nil
		}
	}
	within, cancel := context.WithTimeout(ctx, aboutWithin)
	defer cancel()
	a, err := r.cfg.Devices.About(within, h.URI, key)
	if err == nil {
		r.abouts.mu.Lock()
		r.abouts.at[h.Device] = aboutAt{a, time.Now()}
		r.abouts.mu.Unlock()
	}
	return a, err
}

// aboutWithin is how long a device may take to say something of itself.
const aboutWithin = 10 * time.Second

// refuses says whether a device takes no jobs, as it said last: to its readings, or when a job went there.
func (r *common) refuses(device string, st *present.Stock) bool {
	k := st.Device(device)
	r.abouts.mu.Lock()
	a, ok := r.abouts.at[device]
	r.abouts.mu.Unlock()
	if ok && (k.Device == nil || a.at.After(k.Device.At)) {
		return a.Refuses
	}
	return k.Device != nil && k.Check.OK && k.Device.Refuses
}

// askAgain asks those devices of a route that took no jobs last whether they do now, now and then.
func (r *common) askAgain(ctx context.Context, route job.Route) {
	st := r.present.Stock()
	for _, h := range route.Hops {
		if !r.refuses(h.Device, st) {
			continue
		}
		r.abouts.mu.Lock()
		if r.abouts.ask == nil {
			r.abouts.ask = map[string]time.Time{}
		}
		due := time.Since(r.abouts.ask[h.Device]) > askedEvery
		if due {
			r.abouts.ask[h.Device] = time.Now()
		}
		r.abouts.mu.Unlock()
		if due {
			go func() {
				if a, err := r.about(ctx, h, r.signIn(h.Device, h.URI), false); err == nil && !a.Refuses {
					r.look()
				}
			}()
		}
	}
}

const askedEvery = 3 * time.Second

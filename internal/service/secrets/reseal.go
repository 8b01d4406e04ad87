package secrets

import (
	"context"
	"time"

	"cirque/core/stock"
	"cirque/internal/service/worker"
)

// resealEvery is how often it is looked for what a former key has sealed.
const resealEvery = 2 * time.Second

// reseal seals with the current key what a former one has sealed, until ctx is done. What a next key has sealed is
// left: another service rotates already.
func (s *Room) reseal(ctx context.Context) error {
	var done Ring
	for ctx.Err() == nil {
		ring := s.sealing.Load().ring
		if !ring.same(done) && ring.hasFormer() {
			if err := s.resealAll(ctx, ring); err != nil {
				s.log.Warn("what a former key has sealed could not be sealed anew", "error", err)
			} else {
				done = ring
			}
		}
		worker.Pause(ctx, resealEvery)
	}
	return nil
}

func (r Ring) hasFormer() bool {
	for _, k := range r {
		if k.State == Former {
			return true
		}
	}
	return false
}

func (s *Room) resealAll(ctx context.Context, ring Ring) error {
	kept, err := s.store.KeptSealed(ctx)
	if err != nil {
		return err
	}
	n := 0
	for _, k := range kept {
		i, plain := ring.open(k.Under(), k.Body)
		if i <= 0 || ring[i].State != Former {
			continue
		}
		body, err := ring[0].seal(k.Under(), plain)
		if err != nil {
			return err
		}
		if err := s.store.Reseal(ctx, k, body); err != nil {
			return err
		}
		n++
	}
	if n > 0 {
		s.log.Info("what a former key had sealed was sealed anew", "how many", n)
	}
	return nil
}

// Uses says how much of what is sealed each key of a ring has sealed, by its place, and how much none of them opens.
func (r Ring) Uses(kept []stock.Sealed) (uses []int, lost int) {
	uses = make([]int, len(r))
	for _, k := range kept {
		if i, _ := r.open(k.Under(), k.Body); i >= 0 {
			uses[i]++
		} else {
			lost++
		}
	}
	return uses, lost
}

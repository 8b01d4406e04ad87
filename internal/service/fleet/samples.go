package fleet

import (
	"context"
	"time"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/core/fleet"
	"cirque/internal/service/worker"
)

// noteSamples notes how the fleet fares, until ctx is done.
func (s *Room) noteSamples(ctx context.Context) error {
	for ctx.Err() == nil {
		noted, err := s.sample(ctx)
		if err != nil && ctx.Err() == nil {
			s.log.Warn("how the fleet fares could not be noted", "error", err)
		}
		if noted || err != nil {
			worker.Pause(ctx, endpoint.SampleEvery)
		} else {
			worker.Pause(ctx, endpoint.SampleEvery/20) // nobody has reported yet
		}
	}
	return nil
}

func (s *Room) sample(ctx context.Context) (noted bool, err error) {
	now, err := s.standing(ctx)
	if err != nil || now == (endpoint.Sample{At: now.At}) {
		return false, err
	}
	return true, s.store.AddSample(ctx, now)
}

// standing counts how all endpoints stand now.
func (s *Room) standing(ctx context.Context) (endpoint.Sample, error) {
	out := endpoint.Sample{At: s.now().UTC().Truncate(time.Second)}
	_, err := s.look(ctx, func(f *fleet.Fleet, _ time.Time) {
		n := f.States()
		out.Converged, out.Behind, out.Failing, out.Silent = n[endpoint.Converged], n[endpoint.Behind],
			n[endpoint.Failing], n[endpoint.Silent]
	})
	return out, err
}

const samplesShown = 240

// Fleet gives how the fleet stands, and how it stood for some hours.
func (s *Room) Fleet(ctx context.Context, p *access.Principal, hours int) (endpoint.Fleet, error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return endpoint.Fleet{}, err
	}
	f := endpoint.Fleet{Waiting: s.present.Agents.Polls(), Pace: s.Otherwise()}
	var err error
	if f.Now, err = s.standing(ctx); err != nil {
		return f, err
	}
	if n := f.Now.Converged + f.Now.Behind + f.Now.Failing + f.Now.Silent; n > 0 {
		part := float64(f.Now.Converged) / float64(n)
		f.Part = &part
	}
	list, err := s.store.Samples(ctx, f.Now.At.Add(-time.Duration(hours)*time.Hour))
	if err != nil {
		return f, err
	}
	f.Samples = []endpoint.Sample{}
	for i, every := 0, max(1, len(list)/samplesShown); i < len(list); i++ {
		if i%every == 0 || i == len(list)-1 {
			f.Samples = append(f.Samples, list[i])
		}
	}
	return f, nil
}

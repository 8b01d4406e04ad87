package proofs

import (
	"context"
	"fmt"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/words"
)

// Checklist gives the steps that make a queue whole, each with whether it is done.
func (s *Room) Checklist(ctx context.Context, p *access.Principal, called string) ([]endpoint.Check, error) {
	q, err := s.cfg.Queues.Queue(ctx, p, called)
	if err != nil {
		return nil, err
	}
	t := endpoint.Task{Queue: q.Name, Given: q.Given}
	if t.Proof, err = s.Proof(ctx, p, 0, q.Name, 1); err != nil {
		return nil, err
	}
	snap := s.present.View()
	for _, f := range s.present.Remarks(snap.World, nil, snap.Findings()) {
		if f.At == (estate.Ref{List: "queues", Name: q.Name}) {
			t.Findings = append(t.Findings, f)
		}
	}
	for _, d := range q.Devices {
		if v, ok := snap.Document().Find(estate.Ref{List: "devices", Name: d}).(*estate.Device); ok {
			c, err := s.answers(ctx, *v)
			if err != nil {
				return nil, err
			}
			t.Devices = append(t.Devices, c)
		}
	}
	return t.Steps(), nil
}

// answers says whether a device answers, by what was last read of it, or by what the machine tells into which it is
// plugged.
func (s *Room) answers(ctx context.Context, d estate.Device) (endpoint.Check, error) {
	c := endpoint.Check{Check: fmt.Sprintf("Does its device %s answer?", d.Name), By: "service"}
	if d.Machine != "" {
		rec, err := s.store.Endpoint(ctx, d.Machine)
		if err != nil && !fault.Is(err, fault.Unknown) {
			return c, err
		}
		told := endpoint.PluggedIn(rec.Report, d, s.now())
		told.Check = c.Check
		return told, nil
	}
	k := s.present.Stock().Device(d.Name)
	switch {
	case k.Check.At.IsZero():
		c.Result, c.Says, c.Fix = endpoint.Unproven, "nobody has read it", "cirque device read "+d.Name
	case !k.Check.OK:
		c.Result, c.Says, c.Fix = endpoint.No, k.Check.Says, k.Check.Fix
	default:
		c.Result, c.Says = endpoint.Yes, fmt.Sprintf("it was read %s ago", words.Span(s.now().Sub(k.Check.At)))
	}
	return c, nil
}

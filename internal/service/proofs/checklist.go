package proofs

import (
	"context"
	"fmt"
	"time"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/core/estate"
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
			t.Devices = append(t.Devices, s.answers(ctx, *v))
		}
	}
	return t.Steps(), nil
}

// answers says whether a device answers, by what was last read of it, or by what the machine tells into which it is
// plugged.
func (s *Room) answers(ctx context.Context, d estate.Device) endpoint.Check {
	c := endpoint.Check{Check: fmt.Sprintf("Does its device %s answer?", d.Name), By: "service"}
	if d.Machine != "" {
		c.Result, c.By = endpoint.Unproven, "endpoint"
		c.Says, c.Fix = "no agent of "+d.Machine+" has reported", "invite it: cirque enrol token"
		rec, err := s.store.Endpoint(ctx, d.Machine)
		for _, a := range endpoint.AsDevices(rec.Report, []estate.Device{d}) {
			if err == nil && a.Device != "" && a.Says == "" {
				c.Result, c.Fix = endpoint.Yes, ""
				c.Says = fmt.Sprintf("it is plugged into %s, as that told %s ago", d.Machine, s.since(rec.LastSeen))
				return c
			}
		}
		if err == nil {
			c.Says, c.Fix = d.Machine+" does not tell of it", "see what is plugged in: cirque endpoint attached "+d.Machine
			if rec.Report.Attached != nil {
				c.Result = endpoint.No
			}
		}
		return c
	}
	k := s.present.Stock().Device(d.Name)
	switch {
	case k.Check.At.IsZero():
		c.Result, c.Says, c.Fix = endpoint.Unproven, "nobody has read it", "cirque device read "+d.Name
	case !k.Check.OK:
		c.Result, c.Says, c.Fix = endpoint.No, k.Check.Says, k.Check.Fix
	default:
		c.Result, c.Says = endpoint.Yes, fmt.Sprintf("it was read %s ago", s.since(k.Check.At))
	}
	return c
}

func (s *Room) since(t time.Time) string { return words.Span(s.now().Sub(t)) }

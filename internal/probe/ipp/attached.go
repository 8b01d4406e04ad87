package ipp

import (
	"context"

	"cirque/core/endpoint"
	"cirque/internal/ipp"
)

// attachedWithin is how long the spooler looks, in seconds.
const attachedWithin = 10

// Attached lists what the spooler finds plugged into its machine. What it could find on networks is not asked for.
func (s *Spooler) Attached(ctx context.Context) ([]endpoint.Attached, error) {
	m := s.ipp.requestAs(s.ipp.peer, ipp.ListAttached, s.base+"/", ipp.Strs(ipp.Name, "include-schemes", "usb",
		"parallel", "serial"), ipp.Attr("timeout", ipp.Int(ipp.Integer, attachedWithin)))
	answer, err := s.ipp.exchange(ctx, s.base+"/", m, nil, asking{header: listHeader, attributes: listAttributes})
	if err != nil && ipp.Status(answer.Code) != ipp.NotFound { // so it says that it finds nothing
		return nil, err
	}
	out := []endpoint.Attached{}
	for _, g := range answer.Groups {
		if g.Tag != ipp.PrinterGroup || len(out) == endpoint.MaxAttached {
			continue
		}
		one := g.One()
		text := func(a string) string { return one.Text(ipp.PrinterGroup, a) }
		if a, ok := endpoint.NewAttached(text("device-uri"), text("device-make-and-model"), text("device-id")); ok {
			out = append(out, a)
		}
	}
	return out, nil
}

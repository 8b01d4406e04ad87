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
	m := ipp.NewRequest(ipp.ListAttached, s.ipp.id.Add(1), s.base+"/", ipp.Strs(ipp.Name, "include-schemes", "usb",
		"parallel", "serial"), ipp.Attr("timeout", ipp.Int(ipp.Integer, attachedWithin)))
	if u := s.ipp.peer; u != "" {
		m.Groups[0].Attributes = append(m.Groups[0].Attributes, ipp.Attr("requesting-user-name", ipp.Str(ipp.Name, u)))
	}
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

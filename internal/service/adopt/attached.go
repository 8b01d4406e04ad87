package adopt

import (
	"cmp"
	"context"
	"slices"

	"cirque/core/adopt"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/stock"
)

// attached takes what is plugged into a machine for the queues that it would be; what says of itself that it is no
// printer is left out unless it is named.
func (s *Room) attached(ctx context.Context, sel adopt.Selection) ([]adopt.Found, error) {
	rec, err := s.cfg.Endpoints.Endpoint(ctx, sel.From)
	if err != nil {
		return nil, err
	}
	if rec.Report.Attached == nil {
		return nil, endpoint.AttachedUntold(sel.From)
	}
	v, location := s.present.View(), ""
	if m, ok := v.World.Directory.Machine(sel.From); ok {
		location = m.Location
	}
	if at := v.World.Estate.Station(sel.From); location == "" && at != nil {
		location = at.Location
	}
	var out []adopt.Found
	for _, a := range rec.Report.Attached {
		named := slices.Contains(sel.Found, a.URI)
		if !estate.Attached(a.URI) { // whatever its agent says
			continue
		}
		if !named && (len(sel.Found) > 0 || a.Model == "" || a.Printer != nil && !*a.Printer) {
			continue
		}
		out = append(out, adopt.Found{From: rec.Report.Machine, Kind: adopt.KindAttached,
			Queue: stock.Queue{Name: cmp.Or(a.Model, stock.Scheme(a.URI)) + " " + rec.Report.Machine, Model: a.Model,
				Device: a.URI, Location: location}})
	}
	for _, uri := range sel.Found {
		if !slices.ContainsFunc(out, func(f adopt.Found) bool { return f.Queue.Device == uri }) {
			return nil, fault.New(fault.Unknown, "attached-unknown", "see cirque endpoint attached "+sel.From,
				"nothing at %q is plugged into %s", uri, sel.From)
		}
	}
	return out, nil
}

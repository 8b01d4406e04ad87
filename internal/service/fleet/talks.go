package fleet

import (
	"context"
	"strings"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/stock"
	"cirque/internal/service/present"
)

// Talks says which server, device or gateway each endpoint at a site leads to now, by its last report; of all where
// site is empty.
func (s *Room) Talks(ctx context.Context, p *access.Principal, site string) ([]endpoint.Talk, error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return nil, err
	}
	all, err := s.store.Endpoints(ctx)
	if err != nil {
		return nil, err
	}
	doc := s.present.View().Document()
	known := map[string][2]string{} // by URI: endpoints of one site lead to the same few
	where := func(uri string) (kind, name string) {
		if k, ok := known[uri]; ok {
			return k[0], k[1]
		}
		kind, name = "elsewhere", uri
		if strings.HasPrefix(uri, "/") {
			kind, name = "gateway", ""
		}
		for _, v := range doc.Devices {
			if v.URI == uri {
				kind, name = "device", v.Name
			}
		}
		for _, v := range doc.Servers {
			if stock.SameAuthority(uri, v.URI) {
				kind, name = "server", v.Name
			}
		}
		known[uri] = [2]string{kind, name}
		return kind, name
	}
	out := []endpoint.Talk{}
	for _, r := range all {
		location := lineup.LocationOf(s.present.View().Lineups(r, s.now()))
		if site != "" && estate.Site(location) != site {
			continue
		}
		if ctx.Err() != nil {
			return nil, present.Stopped()
		}
		out = append(out, endpoint.Talks(r.Report, location, where)...)
	}
	return out, nil
}

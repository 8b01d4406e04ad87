package fleet

import (
	"context"
	"slices"
	"strings"
	"time"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/core/fleet"
	"cirque/core/page"
)

// Leads tells which queues lead to a server.
type Leads struct{ *Room }

// Led counts, by queue, the endpoints of which an own queue leads to a server by their last report.
func (s Leads) Led(ctx context.Context, server string) (map[string]int, error) {
	to := s.addresses(s.present.View().Document())
	out := map[string]int{}
	_, err := s.look(ctx, func(f *fleet.Fleet, _ time.Time) {
		for _, j := range f.LeadingTo(server) {
			met := map[string]bool{}
			for _, i := range j.Record().Report.Installed {
				if i.Own && !met[i.Queue] && slices.Contains(to.Servers(i.URI), server) {
					met[i.Queue] = true
					out[i.Queue]++
				}
			}
		}
	})
	return out, err
}

// Talks says which server, device or gateway each endpoint leads to now, by its last report. A page is of
// endpoints, each with all that it leads to.
func (s *Room) Talks(ctx context.Context, p *access.Principal, by fleet.Filter,
	ask page.Ask) (out page.Page[endpoint.Talk], err error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return out, err
	}
	to := s.addresses(s.present.View().Document())
	where := func(uri string) (kind, name string) {
		if strings.HasPrefix(uri, "/") {
			return "gateway", ""
		}
		if servers := to.Servers(uri); len(servers) > 0 {
			return "server", servers[len(servers)-1]
		}
		if device := to.Device(uri); device != "" {
			return "device", device
		}
		return "elsewhere", uri
	}
	out.Items = []endpoint.Talk{}
	_, err = s.look(ctx, func(f *fleet.Fleet, now time.Time) {
		some := f.Page(by, ask, now)
		for _, j := range some.Items {
			out.Items = append(out.Items, endpoint.Talks(j.Record().Report, j.Location, where)...)
		}
		out.Next, out.Total = some.Next, some.Total
	})
	return out, err
}

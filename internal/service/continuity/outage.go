package continuity

import (
	"context"
	"slices"
	"strings"
	"time"

	"cirque/core/access"
	"cirque/core/continuity"
	"cirque/core/decommission"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/live"
	"cirque/core/snapshot"
)

// outageWithin is for how long a planned outage is remembered after its end, and how old a snapshot may be before it.
const outageWithin = 24 * time.Hour

// Outage gives the checklist of a server's planned outage: it ticks itself.
func (s *Room) Outage(ctx context.Context, p *access.Principal, server string) ([]endpoint.Check, error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return nil, err
	}
	snap := s.present.View()
	doc := snap.Document()
	if doc.Find(estate.Ref{List: "servers", Name: server}) == nil {
		return nil, unknownServer(doc, server)
	}
	d := decommission.DependentsOf(doc, server, snap.World.Live.Lacks)
	o := continuity.Outage{Server: server, Only: d.Only, Lacked: d.Lacked,
		Duty: live.Note{Duty: snap.World.Live.Server(server)}}
	for _, set := range doc.ServerSets {
		if !slices.Contains(set.Members, server) {
			continue
		}
		for _, m := range set.Members {
			if m != server && snap.World.Live.Lists[m] == nil && !slices.Contains(o.Unread, m) {
				o.Unread = append(o.Unread, m)
			}
		}
	}
	now := s.now()
	before := now
	out, was, err := s.store.LastOut(ctx, server, now.Add(-outageWithin))
	if err != nil {
		return nil, err
	}
	if was {
		o.WentOut, o.LeadingThen, before = true, out.Moving, out.Since
		if o.Duty.Duty != live.Serving {
			o.Duty = out
		}
	}
	moves, err := s.Moves(ctx, p)
	if err != nil {
		return nil, err
	}
	if i := slices.IndexFunc(moves, func(m continuity.Move) bool { return m.Name == server }); i >= 0 {
		o.Move, o.Health = &moves[i], moves[i].Health
	} else {
		healths, err := s.store.Healths(ctx)
		if err != nil {
			return nil, err
		}
		o.Health = continuity.VerdictOf(s.present.Proven(healths), server)
	}
	leading, err := s.cfg.Fleet.Leading(ctx)
	if err != nil {
		return nil, err
	}
	o.Leading = leading[server][0]
	snapshots, err := s.store.Snapshots(ctx)
	if err != nil {
		return nil, err
	}
	if i := slices.IndexFunc(snapshots, func(k snapshot.Snapshot) bool {
		return k.At.Before(before) && before.Sub(k.At) < outageWithin
	}); i >= 0 {
		o.Snapshot = snapshots[i].Name
		c, err := s.cfg.Snapshots.CompareSnapshots(ctx, p, o.Snapshot, "", server, 10000)
		if err != nil {
			return nil, err
		}
		for _, d := range c.List {
			if (d.Kind == "server" && d.Name == server && d.Fact != "duty") || d.Kind == "queue on a server" &&
				strings.HasSuffix(d.Name, " on "+server) {
				o.Otherwise++
			}
		}
	}
	return o.Checklist(), nil
}

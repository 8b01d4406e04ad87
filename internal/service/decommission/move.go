package decommission

import (
	"context"
	"fmt"
	"slices"
	"time"

	"cirque/core/access"
	"cirque/core/decommission"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/span"
	"cirque/core/stock"
)

// MoveQueues rewrites queues in one's own draft so that they lead elsewhere than through a server; with dry it only
// says which. With stay the path through the server stays behind the new one, and it is said how far the move is.
func (s *Room) MoveQueues(ctx context.Context, p *access.Principal, draft string, w decommission.Wave, stay,
	dry bool) (moved []decommission.Moved, far *decommission.Progress, d estate.DraftSheet, err error) {
	if err := access.Check(p, access.EditDraft); err != nil {
		return nil, nil, d, err
	}
	if d, err = s.cfg.Drafts.Draft(ctx, p, draft); err != nil {
		return nil, nil, d, err
	}
	read := map[string]*stock.Device{}
	for _, l := range s.present.Watched(stock.KindDevice) {
		read[l.Name] = l.Reading
	}
	var edits []estate.Edit
	if stay {
		far = new(decommission.Progress)
		edits, moved, *far, err = w.Edits(d.Document, read)
	} else {
		edits, moved, err = decommission.Leave(d.Document, w.From, w.To, w.Only, read)
	}
	if err != nil || dry || len(edits) == 0 {
		return moved, far, d, err
	}
	d, err = s.cfg.Edits.Edit(ctx, p, draft, &d.Version, edits)
	return moved, far, d, err
}

// Quiet is for how long nobody has to have printed through a queue that goes, where nobody says.
const Quiet = 14 * 24 * time.Hour

// EndServer takes the paths through a server out of the queues in one's own draft that nothing leads there by, and
// through which nobody has printed for a while; with dry it only says which.
func (s *Room) EndServer(ctx context.Context, p *access.Principal, draft, server string, quiet time.Duration,
	dry bool) ([]decommission.Moved, estate.DraftSheet, error) {
	if err := access.Check(p, access.EditDraft); err != nil {
		return nil, estate.DraftSheet{}, err
	}
	d, err := s.cfg.Drafts.Draft(ctx, p, draft)
	if err != nil {
		return nil, d, err
	}
	if err := s.ReadUse(ctx, server); err != nil {
		return nil, d, err
	}
	uses, known, err := s.cfg.Uses.Uses(ctx, server, usesShown)
	if err != nil {
		return nil, d, err
	}
	led, err := s.cfg.Fleet.Led(ctx, server)
	if err != nil {
		return nil, d, err
	}
	e := decommission.End{From: server, Quiet: quiet, Known: known, Uses: uses,
		Led: func(q string) int { return led[q] }, Now: s.cfg.Now()}
	edits, moved, err := e.Edits(d.Document)
	if err != nil || dry || len(edits) == 0 {
		return moved, d, err
	}
	d, err = s.cfg.Edits.Edit(ctx, p, draft, &d.Version, edits)
	return moved, d, err
}

// Used lists who printed through a server, as it is kept, the latest first.
func (s *Room) Used(ctx context.Context, p *access.Principal, server string) ([]decommission.Use, error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return nil, err
	}
	if _, err := s.present.WatchedOne(stock.KindServer, server); err != nil {
		return nil, err
	}
	list, _, err := s.cfg.Uses.Uses(ctx, server, usesShown)
	return list, err
}

// kept adds what is kept of who printed to what the server tells just now.
func (s *Room) kept(ctx context.Context, server string, out *decommission.Leaving) (decommission.Known, error) {
	list, known, err := s.cfg.Uses.Uses(ctx, server, usesShown)
	if fault.Is(err, fault.Unavailable) {
		return known, nil // what the server itself tells is worth saying
	}
	if err != nil {
		return known, err
	}
	for _, u := range list {
		i := slices.IndexFunc(out.Lately, func(l decommission.LateUse) bool {
			return l.Queue == u.Queue && l.Owner == u.Owner && l.From == u.From
		})
		last := u.Last
		if i < 0 {
			out.Lately = append(out.Lately, decommission.LateUse{Queue: u.Queue, Owner: u.Owner, From: u.From, Jobs: u.Jobs,
				Last: &last})
			continue
		}
		l := &out.Lately[i]
		l.Jobs = max(l.Jobs, u.Jobs)
		if l.Last == nil || last.After(*l.Last) {
			l.Last = &last
		}
	}
	slices.SortStableFunc(out.Lately, func(a, b decommission.LateUse) int {
		if a.Last == nil || b.Last == nil {
			return 0
		}
		return b.Last.Compare(*a.Last)
	})
	if known.Told && !known.Since.IsZero() {
		out.Kept = &known.Since
		out.Told += fmt.Sprintf("; who printed is kept since %s", known.Since.UTC().Format(time.DateOnly))
	}
	return known, nil
}

// quiet says for how long nobody has printed through a server to which nothing leads.
func (s *Room) quiet(out decommission.Leaving, known decommission.Known) string {
	for _, u := range out.Lately {
		if u.Last != nil {
			return fmt.Sprintf(" The last who printed there did so %s ago: see the list.",
				span.Format(max(0, s.cfg.Now().Sub(*u.Last)).Round(time.Minute)))
		}
	}
	if len(out.Lately) > 0 {
		return " Yet it remembers jobs of late: see the list."
	}
	if out.Kept != nil && known.Says != "" {
		return fmt.Sprintf(" Nobody had printed there for %s when its lists were last read, %s ago.",
			span.Format(max(0, known.Read.Sub(known.Since)).Round(time.Minute)),
			span.Format(max(0, s.cfg.Now().Sub(known.Read)).Round(time.Minute)))
	}
	if out.Kept != nil {
		return fmt.Sprintf(" Nobody has printed there for %s, as far as that is kept.",
			span.Format(max(0, s.cfg.Now().Sub(*out.Kept)).Round(time.Minute)))
	}
	return ""
}

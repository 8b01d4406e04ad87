package adopt

import (
	"context"
	"maps"
	"slices"

	"cirque/core/access"
	"cirque/core/adopt"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/stock"
	"cirque/core/words"
	"cirque/internal/service/present"
)

// Propose says what found queues and devices would be in the estate, on top of one's own draft.
// Names are by a pattern unless it is empty.
func (s *Room) Propose(ctx context.Context, p *access.Principal, draft, pattern string,
	selections []adopt.Selection) ([]adopt.Proposal, error) {
	if err := access.Check(p, access.KeepStock); err != nil {
		return nil, err
	}
	d, err := s.cfg.Drafts.Draft(ctx, p, draft)
	if err != nil {
		return nil, err
	}
	st := s.present.Stock()
	servers := map[string]*stock.Server{}
	devices := map[string]*stock.Device{} // by host
	for k, v := range st.Kept.All() {
		if k.Kind == stock.KindServer {
			servers[k.Name] = v.Server
		}
	}
	for _, l := range s.present.Watched(stock.KindDevice) {
		devices[stock.Host(l.URI)] = l.Reading
	}
	for i := range st.Found {
		if h := st.Found[i].Address; devices[h] == nil {
			devices[h] = &st.Found[i].Reading
		}
	}
	proposer := adopt.NewProposer(d.Document, st.Packages, servers, s.present.View().Platforms(d.Document),
		slices.Collect(maps.Values(st.Watches)))
	if err := proposer.NamedBy(pattern); err != nil {
		return nil, err
	}
	out := []adopt.Proposal{}
	for _, sel := range selections {
		found, err := s.foundFor(ctx, sel, st, servers)
		if err != nil {
			return nil, err
		}
		for _, f := range found {
			if f.Device == nil {
				f.Device = devices[stock.Host(f.Queue.Device)]
			}
			out = append(out, proposer.Propose(f))
		}
	}
	return out, nil
}

// A Language says which queue is to have a second one on the same devices, called how, in which page language.
type Language struct{ Queue, Called, Title, Language string }

// Second proposes another queue on the devices of one, in another page language, and puts it into one's own draft
// unless it is only to be said what it would be.
func (s *Room) Second(ctx context.Context, p *access.Principal, draft string, want Language, dry bool) (adopt.Proposal,
	estate.DraftSheet, error) {
	if err := access.Check(p, access.EditDraft); err != nil {
		return adopt.Proposal{}, estate.DraftSheet{}, err
	}
	d, err := s.cfg.Drafts.Draft(ctx, p, draft)
	if err != nil {
		return adopt.Proposal{}, d, err
	}
	q, err := d.Document.QueueCalled(want.Queue)
	if err != nil {
		return adopt.Proposal{}, d, err
	}
	st := s.present.Stock()
	model, _ := st.Behind(d.Document, q.Name)
	proposer := adopt.NewProposer(d.Document, st.Packages, nil, s.present.View().Platforms(d.Document), nil)
	made, err := proposer.Second(*q, model, want.Called, want.Title, want.Language)
	if err != nil || dry {
		return made, d, err
	}
	edits, err := adopt.Edits([]adopt.Proposal{made})
	if err != nil {
		return made, d, err
	}
	d, err = s.cfg.Edits.Edit(ctx, p, draft, &d.Version, edits)
	return made, d, err
}

func (s *Room) foundFor(ctx context.Context, sel adopt.Selection, st *present.Stock,
	servers map[string]*stock.Server) ([]adopt.Found, error) {
	var queues []stock.Queue
	var watch *stock.Watch
	switch sel.Kind {
	case stock.KindServer:
		l, err := s.present.WatchedOne(stock.KindServer, sel.From)
		if err != nil {
			return nil, err
		}
		watch = &l.Watch
		if r := servers[sel.From]; r != nil {
			queues = r.Queues
		} else {
			return nil, fault.New(fault.Conflict, "server-unread", "read it first: cirque server read "+sel.From,
				"the server %s has not been read yet", sel.From)
		}
	case adopt.KindCapture:
		i := slices.IndexFunc(st.Captures, func(c stock.Capture) bool { return c.Machine == sel.From })
		if i < 0 {
			return nil, fault.New(fault.Unknown, "capture-unknown", "run cirque-agent capture on it",
				"nothing was captured of a machine %q", sel.From)
		}
		queues = st.Captures[i].Queues
	case adopt.KindAttached:
		return s.attached(ctx, sel)
	case stock.KindDevice:
		f, err := s.foundDevice(sel.From, st)
		if err != nil {
			return nil, err
		}
		return []adopt.Found{f}, nil
	default:
		return nil, fault.New(fault.Invalid, "selection-kind", "write server, capture, device or attached",
			"%q is nothing that can be adopted", sel.Kind)
	}
	var out []adopt.Found
	for _, q := range queues {
		if len(sel.Found) == 0 || slices.Contains(sel.Found, q.Name) {
			out = append(out, adopt.Found{From: sel.From, Kind: sel.Kind, Queue: q, Watch: watch})
		}
	}
	for _, n := range sel.Found {
		if !slices.ContainsFunc(queues, func(q stock.Queue) bool { return q.Name == n }) {
			return nil, fault.New(fault.Unknown, "queue-unknown", "see its queues", "%s has no queue %q", sel.From, n)
		}
	}
	return out, nil
}

// foundDevice takes a device for the queue that it would be.
func (s *Room) foundDevice(called string, st *present.Stock) (adopt.Found, error) {
	f := adopt.Found{From: called, Kind: stock.KindDevice}
	if l, err := s.present.WatchedOne(stock.KindDevice, called); err == nil {
		f.Watch, f.Device = &l.Watch, l.Reading
		f.Queue = stock.Queue{Name: l.Name, Title: l.Title, Device: l.URI, Location: l.Location}
	} else if i := slices.IndexFunc(st.Found, func(u stock.Unlisted) bool { return u.Address == called }); i >= 0 {
		u := &st.Found[i]
		f.Device = &u.Reading
		f.Queue = stock.Queue{Name: u.Reading.Name, Device: u.URI, Location: u.Reading.Location}
		if f.Queue.Name == "" {
			f.Queue.Name = u.Reading.Model + " " + u.Address
		}
	} else {
		return f, fault.New(fault.Unknown, "device-unknown", "see cirque device list and cirque device found",
			"there is no device %q", called)
	}
	if d := f.Device; d != nil {
		f.Queue.Model, f.Queue.Defaults, f.Queue.Supported, f.Queue.Formats = d.Model, d.Defaults, d.Supported, d.Formats
	}
	return f, nil
}

// Adopt puts proposals, as they are now, into one's own draft: all or none.
func (s *Room) Adopt(ctx context.Context, p *access.Principal, draft string,
	proposals []adopt.Proposal) (estate.DraftSheet, error) {
	if err := access.Check(p, access.KeepStock); err != nil {
		return estate.DraftSheet{}, err
	}
	edits, err := adopt.Edits(proposals)
	if err != nil {
		return estate.DraftSheet{}, err
	}
	if len(edits) == 0 {
		return estate.DraftSheet{}, fault.New(fault.Invalid, "nothing-chosen", "choose what is to be adopted",
			"nothing was chosen")
	}
	return s.cfg.Edits.Edit(ctx, p, draft, nil, edits)
}

// HandIn keeps what a reference machine has.
func (s *Room) HandIn(ctx context.Context, p *access.Principal, c stock.Capture) (stock.Capture, error) {
	if err := access.Check(p, access.Capture); err != nil {
		return c, err
	}
	if err := s.present.View().CheckMachine(p, c.Machine); err != nil {
		return c, err
	}
	if c.Machine == "" || len(c.Queues) > 2000 {
		return c, fault.New(fault.Invalid, "capture-invalid", "run cirque-agent capture on the machine",
			"a capture names its machine, and has at most 2000 queues")
	}
	c.Author, c.At = p.Name, s.now().UTC()
	if err := s.store.SaveCapture(ctx, c, event.Event{Kind: event.Captured, Subject: c.Machine,
		Author: p.Name}.Saying(
		"Captured: {queues} of {machine}", "queues", words.Count(len(c.Queues), "queue"), "machine",
		c.Machine)); err != nil {
		return c, err
	}
	s.present.Show(ctx, event.Signal{What: event.Stock, Subject: "captures"})
	return c, nil
}

// Captures lists what was handed in of reference machines.
func (s *Room) Captures(_ context.Context, p *access.Principal) ([]stock.Capture, error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return nil, err
	}
	return append([]stock.Capture{}, s.present.Stock().Captures...), nil
}

package adopt

import (
	"context"
	"fmt"
	"slices"

	"cirque/core/access"
	"cirque/core/adopt"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/stock"
)

// Complete proposes in one's own draft what makes the members of a server set alike: queues that lead through one
// member alone, or that only one has, lead through the set; with dry it only says what. What the estate says already,
// and a member lacks, is told with who sees to it.
func (s *Room) Complete(ctx context.Context, p *access.Principal, draft, called string,
	dry bool) ([]adopt.Completion, estate.DraftSheet, error) {
	if err := access.Check(p, access.EditDraft); err != nil {
		return nil, estate.DraftSheet{}, err
	}
	d, err := s.cfg.Drafts.Draft(ctx, p, draft)
	if err != nil {
		return nil, d, err
	}
	i := slices.IndexFunc(d.Document.ServerSets, func(x estate.ServerSet) bool { return x.Name == called })
	if i < 0 {
		return nil, d, fault.New(fault.Unknown, "set-unknown", "see cirque server set", "the estate has no server set %q",
			called)
	}
	st := s.present.Stock()
	c := adopt.Completer{Doc: d.Document, Set: d.Document.ServerSets[i],
		Read: func(name string) *stock.Server { return st.Server(name).Server }}
	edits, out, err := c.Members()
	if err != nil {
		return nil, d, err
	}
	strays := c.Strays()
	for _, m := range c.Set.Members {
		if len(strays[m]) == 0 {
			continue
		}
		list, err := s.Propose(ctx, p, draft, "", []adopt.Selection{{Kind: stock.KindServer, From: m, Found: strays[m]}})
		if err != nil {
			return nil, d, err
		}
		for i := range list {
			c.ThroughSet(&list[i])
			out = append(out, adopt.Completion{Queue: list[i].Found, Done: true, Says: fmt.Sprintf(
				"%s alone has it: it is taken into the estate as %s, through the set", m, list[i].Queue.Name)})
		}
		more, err := adopt.Edits(list)
		if err != nil {
			return nil, d, err
		}
		edits = append(edits, more...)
	}
	out = append(out, c.Left()...)
	if dry || len(edits) == 0 {
		return out, d, nil
	}
	d, err = s.cfg.Edits.Edit(ctx, p, draft, &d.Version, edits)
	return out, d, err
}

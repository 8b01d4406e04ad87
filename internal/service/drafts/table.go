package drafts

import (
	"context"
	"slices"

	"cirque/core/access"
	"cirque/core/bulk"
	"cirque/core/estate"
)

// QueueTable writes the queues of one's own draft, or some of them, as CSV.
func (s *Room) QueueTable(ctx context.Context, p *access.Principal, draft string, names []string) (string, error) {
	d, err := s.Draft(ctx, p, draft)
	if err != nil {
		return "", err
	}
	queues := d.Document.Sorted().Queues
	if len(names) > 0 {
		var wanted []estate.Queue
		for _, n := range names {
			q, err := d.Document.QueueCalled(n)
			if err != nil {
				return "", err
			}
			if !slices.ContainsFunc(wanted, func(o estate.Queue) bool { return o.Name == q.Name }) {
				wanted = append(wanted, *q)
			}
		}
		queues = wanted
	}
	return bulk.QueueTable(queues), nil
}

// ApplyQueueTable puts a table of queues into one's own draft; with dry it gives the draft as it would be.
func (s *Room) ApplyQueueTable(ctx context.Context, p *access.Principal, draft, name, text string,
	dry bool) (estate.DraftSheet, error) {
	if err := access.Check(p, access.EditDraft); err != nil {
		return estate.DraftSheet{}, err
	}
	d, err := s.Draft(ctx, p, draft)
	if err != nil {
		return d, err
	}
	edits, err := bulk.QueueEdits(d.Document, name, text)
	if err != nil {
		return d, err
	}
	if dry {
		return changed(p, d, s.edited(edits))
	}
	return s.Edit(ctx, p, draft, &d.Version, edits)
}

// Rename gives queues new names by a pattern, in one's own draft; with dry it only says which.
func (s *Room) Rename(ctx context.Context, p *access.Principal, draft string, names []string, pattern string,
	dry bool) ([]bulk.Renaming, estate.DraftSheet, error) {
	if err := access.Check(p, access.EditDraft); err != nil {
		return nil, estate.DraftSheet{}, err
	}
	d, err := s.Draft(ctx, p, draft)
	if err != nil {
		return nil, d, err
	}
	edits, list, err := bulk.Rename(d.Document, names, pattern)
	if err != nil || dry || len(edits) == 0 {
		return list, d, err
	}
	d, err = s.Edit(ctx, p, draft, &d.Version, edits)
	return list, d, err
}

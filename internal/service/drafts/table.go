package drafts

import (
	"cmp"
	"context"
	"encoding/json"
	"slices"
	"strconv"
	"strings"

	"cirque/core/access"
	"cirque/core/bulk"
	"cirque/core/estate"
	"cirque/core/fault"
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
	return s.applied(ctx, p, draft, dry, func(d estate.DraftSheet) ([]estate.Edit, error) {
		return bulk.QueueEdits(d.Document, name, text)
	})
}

// applied puts a table's edits into one's own draft, or with dry says how it would be.
func (s *Room) applied(ctx context.Context, p *access.Principal, draft string, dry bool,
	read func(estate.DraftSheet) ([]estate.Edit, error)) (estate.DraftSheet, error) {
	if err := access.Check(p, access.EditDraft); err != nil {
		return estate.DraftSheet{}, err
	}
	d, err := s.Draft(ctx, p, draft)
	if err != nil {
		return d, err
	}
	edits, err := read(d)
	if err != nil {
		_, more := s.edited(edits)(d)
		return d, alsoWrong(err, more)
	}
	if dry {
		return changed(p, d, s.edited(edits))
	}
	return s.Edit(ctx, p, draft, &d.Version, edits)
}

// Objects lists the objects of a list of one's own draft as they are there, in the order of export. only names some of
// them; what is not there is left out.
func (s *Room) Objects(ctx context.Context, p *access.Principal, draft, list string,
	only []string) ([]estate.Drafted, error) {
	d, err := s.Draft(ctx, p, draft)
	if err != nil {
		return nil, err
	}
	return estate.DraftedOf(d, list, only)
}

// Table writes objects of one's own draft as CSV.
func (s *Room) Table(ctx context.Context, p *access.Principal, draft, list string, only []string) (string, error) {
	all, err := s.Objects(ctx, p, draft, list, only)
	if err != nil {
		return "", err
	}
	var objects []json.RawMessage
	for _, o := range all {
		objects = append(objects, o.Object)
	}
	return bulk.ObjectTable(list, objects)
}

// ApplyTable puts a table of a list's objects into one's own draft; with dry it gives the draft as it would be.
func (s *Room) ApplyTable(ctx context.Context, p *access.Principal, draft, list, name, text string,
	dry bool) (estate.DraftSheet, error) {
	return s.applied(ctx, p, draft, dry, func(d estate.DraftSheet) ([]estate.Edit, error) {
		was, err := estate.DraftedOf(d, list, nil)
		if err != nil {
			return nil, err
		}
		by := make(map[string]json.RawMessage, len(was)) // a table may name them all
		for _, o := range was {
			by[o.Name] = o.Object
		}
		return bulk.ObjectEdits(list, func(called string) json.RawMessage { return by[called] }, name, text)
	})
}

// alsoWrong adds to what is wrong with lines of a table what is wrong with the objects of the others, so that all is
// told at once.
func alsoWrong(err, more error) error {
	if more == nil {
		return err
	}
	f := fault.As(err)
	all := append(f.Details, fault.As(more).Details...)
	slices.SortStableFunc(all, func(a, b fault.Detail) int { return cmp.Compare(line(a), line(b)) })
	return f.With(all)
}

// line is the number at the end of a problem's place.
func line(d fault.Detail) int {
	n, _ := strconv.Atoi(d.Place[strings.LastIndexByte(d.Place, ':')+1:]) // 0 where it has none
	return n
}

// Rename gives queues new names by a pattern, in one's own draft; with dry it only says which.
func (s *Room) Rename(ctx context.Context, p *access.Principal, draft string, to bulk.NewNames,
	dry bool) ([]bulk.Renaming, estate.DraftSheet, error) {
	if err := access.Check(p, access.EditDraft); err != nil {
		return nil, estate.DraftSheet{}, err
	}
	d, err := s.Draft(ctx, p, draft)
	if err != nil {
		return nil, d, err
	}
	edits, list, err := to.Edits(d.Document)
	if err != nil || dry || len(edits) == 0 {
		return list, d, err
	}
	d, err = s.Edit(ctx, p, draft, &d.Version, edits)
	return list, d, err
}

package drivers

import (
	"context"

	"cirque/core/access"
	"cirque/core/driver"
)

// Alternatives lists what to try where a queue's output is wrong, for the platform of an endpoint or one that is named.
func (s *Room) Alternatives(ctx context.Context, p *access.Principal, queue, machine, platform string) (model string,
	list []driver.Alternative, err error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return "", nil, err
	}
	doc := s.present.View().Document()
	q, err := doc.QueueCalled(queue)
	if err != nil {
		return "", nil, err
	}
	now := ""
	if machine != "" {
		rec, err := s.store.Endpoint(ctx, machine)
		if err != nil {
			return "", nil, err
		}
		platform = rec.Report.Platform
		now = rec.Report.DriverOf(q.Name)
	}
	model, formats := s.present.Stock().Behind(s.present.View().Document(), q.Name)
	var seen []driver.Seen
	if model != "" {
		if seen, err = s.store.PrintResults(ctx, model); err != nil {
			return model, nil, err
		}
	}
	choices := driver.Choices(s.present.Stock().Packages, doc, s.registeredNames(),
		driver.Wanted{Model: model, Platform: platform})
	return model, driver.Alternatives(choices, formats, now, seen), nil
}

// PrintResults gives what is remembered of drivers with a model, or with all, newest first.
func (s *Room) PrintResults(ctx context.Context, p *access.Principal, model string) ([]driver.Seen, error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return nil, err
	}
	list, err := s.store.PrintResults(ctx, model)
	if list == nil {
		list = []driver.Seen{}
	}
	return list, err
}

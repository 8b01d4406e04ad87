package places

import (
	"cmp"
	"context"
	"path"
	"slices"
	"strings"

	"cirque/core/access"
	"cirque/core/driver"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/words"
)

// look asks a place for its list. What the place says wrongly is an Invalid fault, silence an Unavailable one.
func (s *Room) look(ctx context.Context, v driver.Place) (driver.Look, error) {
	w, err := s.ways()
	if err != nil {
		return driver.Look{}, err
	}
	l, err := w.Look(ctx, v)
	if err != nil {
		return driver.Look{}, err
	}
	words.Clean(&l)
	l.At = s.cfg.Now().UTC()
	l.Tried = l.At
	return l, nil
}

// KeepPlace tries a place, and keeps it unless only tried.
func (s *Room) KeepPlace(ctx context.Context, p *access.Principal, v driver.Place, onlyTry bool) (driver.PlaceView,
	[]driver.Offered, error) {
	out := driver.PlaceView{}
	if err := access.Check(p, access.KeepStock); err != nil {
		return out, nil, err
	}
	if !estate.ValidName(v.Name) {
		return out, nil, fault.New(fault.Invalid, "place-name", "write lower-case letters, digits and dashes",
			"%q is no name for a place", v.Name)
	}
	if err := v.Check(); err != nil {
		return out, nil, err
	}
	before, err := s.place(ctx, v.Name)
	if err != nil && !fault.Is(err, fault.Unknown) {
		return out, nil, err
	}
	known := err == nil
	l, err := s.look(ctx, v)
	if err != nil {
		return out, nil, err
	}
	into, err := s.store.LookedInto(ctx)
	if err != nil {
		return out, nil, err
	}
	v.Author, v.At = p.Name, s.cfg.Now().UTC()
	out.Place, out.Look = v, l
	list := s.judge(&out, into)
	if onlyTry {
		return out, list, nil
	}
	var was any
	if known {
		was = before.Place
	}
	return out, list, s.store.SavePlace(ctx, v, l, event.Event{Kind: event.PlaceKept, Subject: v.Name,
		Author: p.Name}.Saying("The place {place} that drivers are fetched from was kept: {url}, with {offers}", "place",
		v.Name, "url", v.URL, "offers", words.Count(len(l.Offers), v.Unit())).With(was, v))
}

// LookAt asks a place anew for its list, and keeps what came of it.
func (s *Room) LookAt(ctx context.Context, p *access.Principal, name string) (driver.PlaceView, []driver.Offered,
	error) {
	if err := access.Check(p, access.KeepStock); err != nil {
		return driver.PlaceView{}, nil, err
	}
	v, err := s.place(ctx, name)
	if err == nil {
		var failed error
		failed, err = s.lookAgain(ctx, v, p.Name)
		err = cmp.Or(failed, err)
	}
	if err != nil {
		return v, nil, err
	}
	return s.Place(ctx, p, name)
}

// lookAgain looks at a place and keeps what came of it: a failure, which failed tells, beside what was seen before.
func (s *Room) lookAgain(ctx context.Context, v driver.PlaceView, author string) (failed, err error) {
	l, failed := s.look(ctx, v.Place)
	if ctx.Err() != nil {
		return failed, nil
	}
	var events []event.Event
	tell := func(kind, pattern string, pairs ...any) {
		events = append(events, event.Event{Kind: kind, Subject: v.Name, Author: author}.Saying(pattern, pairs...))
	}
	if failed != nil {
		f := fault.As(failed)
		was := v.Look.Error
		l = v.Look
		l.Tried, l.Error = s.cfg.Now().UTC(), &fault.Detail{What: f.What, Fix: f.Fix}
		if was == nil {
			tell(event.PlaceBad, "The place {place} that drivers are fetched from fails: {reason}", "place", v.Name,
				"reason", f.What)
		}
	} else {
		if v.Look.Error != nil {
			tell(event.PlaceGood, "The place {place} that drivers are fetched from answers again", "place", v.Name)
		}
		if more := notAmong(l.Offers, v.Look.Offers); len(more) > 0 {
			tell(event.PlaceOffers, "The place {place} offers {count} that it did not before: {names}", "place", v.Name,
				"count", words.Count(len(more), v.Unit()), "names", strings.Join(more[:min(len(more), 5)], ", "))
		}
	}
	return failed, s.store.SaveLook(ctx, v.Place, l, events...)
}

// notAmong names the offers of a list that another has not, or not with that checksum.
func notAmong(list, before []driver.Offer) []string {
	had := map[driver.Offer]bool{}
	for _, o := range before {
		had[o] = true
	}
	var out []string
	for _, o := range list {
		if !had[o] {
			out = append(out, o.Called())
		}
	}
	return out
}

// RemovePlace forgets a place. The packages that came from it stay.
func (s *Room) RemovePlace(ctx context.Context, p *access.Principal, name string) error {
	if err := access.Check(p, access.KeepStock); err != nil {
		return err
	}
	return s.store.RemovePlace(ctx, name, event.Event{Kind: event.PlaceGone, Subject: name, Author: p.Name}.Saying(
		"The place {place} that drivers are fetched from was removed", "place", name))
}

// Fetch asks for an archive of a place, to be kept as a package or, with dry, only to be looked into. It goes on in the
// background.
func (s *Room) Fetch(ctx context.Context, p *access.Principal, place, file, called string, dry bool) (driver.Fetch,
	error) {
	if err := access.Check(p, access.KeepStock); err != nil {
		return driver.Fetch{}, err
	}
	if _, err := s.ways(); err != nil {
		return driver.Fetch{}, err
	}
	v, err := s.place(ctx, place)
	if err != nil {
		return driver.Fetch{}, err
	}
	i := slices.IndexFunc(v.Look.Offers, func(o driver.Offer) bool { return o.File == file || o.Called() == file })
	if i < 0 {
		files := make([]string, len(v.Look.Offers))
		for i, o := range v.Look.Offers {
			files[i] = o.Called()
		}
		fix := "see cirque driver place show " + place + ", or look again: cirque driver place look " + place
		if near := driver.Nearest(file, files); near != "" {
			fix = "write " + near + ", if that is meant"
		}
		return driver.Fetch{}, fault.New(fault.Unknown, "offer-unknown", fix, "the place %s offers no %q", place, file)
	}
	o := v.Look.Offers[i]
	file = o.File
	if called = strings.TrimSpace(called); called == "" {
		called = cmp.Or(o.Title, strings.TrimSuffix(path.Base(file), path.Ext(file)))
	}
	if len(called) > 200 {
		called = called[:200]
	}
	what := "to be kept"
	if dry {
		what = "to be looked into"
	}
	return s.store.AddFetch(ctx, driver.Fetch{Place: place, File: file, SHA256: o.SHA256, Dry: dry,
		Name: called, Author: p.Name}, event.Event{Kind: event.FetchBegan, Subject: place, Author: p.Name}.Saying(
		"{file} is fetched from {place}, {what}", "file", file, "place", place, "what", what))
}

// FetchOf gives one fetch, with what is in the archive once that is known.
func (s *Room) FetchOf(ctx context.Context, p *access.Principal, place string, id int64) (driver.Fetch, error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return driver.Fetch{}, err
	}
	return s.store.FetchOf(ctx, place, id)
}

// StopFetch stops a fetch, whichever process works at it; nothing of it is kept.
func (s *Room) StopFetch(ctx context.Context, p *access.Principal, place string, id int64) error {
	if err := access.Check(p, access.KeepStock); err != nil {
		return err
	}
	return s.store.StopFetch(ctx, place, id, event.Event{Kind: event.FetchStopped, Subject: place,
		Author: p.Name}.Saying("What is fetched from {place} was told to stop", "place", place))
}

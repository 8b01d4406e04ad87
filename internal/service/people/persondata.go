package people

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/name"
	"cirque/core/person"
	"cirque/core/words"
)

// accountsOf gives the accounts of a person that are of directories, and the one that is local.
func (s *Room) accountsOf(names []string) (of []access.Account, local *access.Account) {
	for _, a := range s.present.Access().Accounts {
		if !slices.Contains(names, name.Fold(a.User())) {
			continue
		}
		if a.Source == "" {
			local = &a
		} else {
			of = append(of, a)
		}
	}
	return of, local
}

// PersonData gathers all that is kept of a person, for them to have.
func (s *Room) PersonData(ctx context.Context, p *access.Principal, called string) (person.Kept, error) {
	if err := access.Check(p, access.ExportPerson); err != nil {
		return person.Kept{}, err
	}
	if !name.Valid(called) {
		return person.Kept{}, fault.New(fault.Invalid, "person-missing", "say whose data it is", "%q names no person", called)
	}
	out := person.Kept{Names: s.present.View().NamesOf(called), Sessions: []access.Session{},
		Endpoints: []endpoint.Presence{},
		Revisions: []int{}}
	var err error
	if out.PersonData, err = s.store.PersonData(ctx, out.Names); err != nil {
		return out, err
	}
	accounts, local := s.accountsOf(out.Names)
	known := slices.Clone(out.Names)
	for _, a := range accounts {
		known = append(known, name.Fold(a.Name))
		out.Account = &a
	}
	if local != nil {
		out.Account = local
	}
	for _, ses := range s.present.Access().Sessions {
		if slices.Contains(known, ses.Account) {
			out.Sessions = append(out.Sessions, ses)
		}
	}
	if out.Requests, err = s.store.Requests(ctx, out.Names, 10000); err != nil {
		return out, err
	}
	where, err := s.cfg.Fleet.OfUsers(ctx, out.Names)
	if err != nil {
		return out, err
	}
	for _, j := range where {
		out.Endpoints = append(out.Endpoints, endpoint.Presences(j.Record().Report, "user", out.Names...)...)
	}
	if out.Events, err = s.store.EventsOf(ctx, known); err != nil {
		return out, err
	}
	if out.Revisions, err = s.store.RevisionsNaming(ctx, out.Names); err != nil {
		return out, err
	}
	if out.Account == nil &&
		len(out.Directory)+len(out.Picks)+len(out.Links)+len(out.Printing)+len(out.Jobs)+len(out.Sessions)+len(out.Requests)+
			len(out.Endpoints)+len(out.Events)+len(out.Revisions) == 0 {
		return out, s.unknownPerson(called)
	}
	return out, nil
}

// unknownPerson is told where nothing is kept of somebody.
func (s *Room) unknownPerson(called string) error {
	fix := name.DidYouMean(s.present.View().World.Directory.Near("user", called), "see cirque directory find")
	return fault.New(fault.Unknown, "user-unknown", fix, "nothing is kept of a person %q", called)
}

// ErasePerson erases what is kept of a person. What a source says of them now stays until they are gone from there.
func (s *Room) ErasePerson(ctx context.Context, p *access.Principal, called, reason string) (person.Erased, error) {
	if err := access.Check(p, access.ErasePerson); err != nil {
		return person.Erased{}, err
	}
	if reason = strings.TrimSpace(reason); reason == "" {
		return person.Erased{}, fault.New(fault.Invalid, "reason-missing", "say in a few words why",
			"erasing needs a reason; do "+
				"not name the person in it")
	}
	names := s.present.View().NamesOf(called)
	if slices.ContainsFunc(names, func(n string) bool { return strings.Contains(name.Fold(reason), n) }) {
		return person.Erased{}, fault.New(fault.Invalid, "reason-names", "write a reason without the name",
			"the reason names the "+
				"person, and is kept")
	}
	accounts, local := s.accountsOf(names)
	if local != nil {
		return person.Erased{}, fault.New(fault.Conflict, "account-there", "remove it first: cirque "+
			"account remove "+local.Name,
			"%s has an account here", local.Name)
	}
	data, err := s.store.PersonData(ctx, names)
	if err != nil {
		return person.Erased{}, err
	}
	events, err := s.store.EventsOf(ctx, names)
	if err != nil {
		return person.Erased{}, err
	}
	if len(data.Directory)+len(data.Picks)+len(data.Links)+len(events)+len(accounts) == 0 {
		return person.Erased{}, fault.New(fault.Unknown, "user-unknown", "see cirque directory find",
			"nothing is kept of %q", called)
	}
	out := person.Erased{Remarks: []string{}}
	if out.Revisions, err = s.store.RevisionsNaming(ctx, names); err != nil {
		return out, err
	}
	var keys []string
	for _, a := range accounts {
		keys = append(keys, name.Fold(a.Name))
	}
	if out.Stands, err = s.store.ErasePerson(ctx, names, keys, p.Name, reason); err != nil {
		return out, err
	}
	for _, row := range data.Directory {
		if row.To == nil {
			out.Remarks = append(out.Remarks, fmt.Sprintf("The directory %s has %s still: what it says now stays until they "+
				"are gone from there", row.Source, row.Name))
		}
	}
	if n := len(out.Revisions); n > 0 {
		out.Remarks = append(out.Remarks, fmt.Sprintf("%s of the estate name them; revisions are never altered",
			words.Count(n, "revision")))
	}
	for _, what := range []string{event.Access, event.Directory, event.Live} {
		s.present.Show(ctx, event.Signal{What: what})
	}
	return out, nil
}

// forgetEvery is how often history that is older than the estate permits is looked for.
const forgetEvery = 6 * time.Hour

// forgetHistory forgets what people had longer ago than the estate's settings permit.
func (s *Room) forgetHistory(ctx context.Context) error {
	notices, stop := s.present.Hub.Subscribe(event.Estate)
	defer stop()
	for ctx.Err() == nil {
		if kept := s.present.View().Document().PeopleKept(); kept > 0 {
			if _, err := s.store.ForgetBefore(ctx, s.now().Add(-kept)); err != nil && ctx.Err() == nil {
				s.log.Warn("people's history could not be shortened", "error", err)
			}
		}
		t := time.NewTimer(forgetEvery)
		for again := false; !again && ctx.Err() == nil; {
			select {
			case <-ctx.Done():
			case <-t.C:
				again = true
			case <-notices:
				again = true // the setting may have changed
			}
		}
		t.Stop()
	}
	return nil
}

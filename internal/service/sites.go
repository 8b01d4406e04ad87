package service

import (
	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/name"
)

// checkAt gives a Denied fault unless somebody may do something to an object of the estate, by the site at which it
// lies.
func (s *Service) checkAt(p *access.Principal, a access.Action, doc *estate.Document, r estate.Ref) error {
	location := ""
	switch o := doc.Find(r).(type) {
	case *estate.Server:
		location = o.Location
	case *estate.Device:
		location = o.Location
	case *estate.Queue:
		location = o.Location
	}
	return access.CheckAt(p, a, estate.Site(location), "the "+r.String())
}

// siteOfMachine gives the site at which a machine stands, by what its agent last reported; "" where that is not known.
func (s *Service) siteOfMachine(r endpoint.Report) string {
	w := s.Snapshot().World
	for _, q := range r.Contexts {
		if c, err := q.Context(s.now()); err == nil {
			if at := w.Location(c); at != "" {
				return estate.Site(at)
			}
		}
	}
	return ""
}

// isPerson says whether somebody is the person of a name.
func (s *Service) isPerson(p *access.Principal, person string) bool {
	if p == nil || p.Role == access.Agent || person == "" {
		return false
	}
	return s.leadName(p.Person()) == s.leadName(person)
}

// namesOf gives a person's folded names, the one that stands for them first.
func (s *Service) namesOf(called string) []string {
	d := s.Snapshot().World.Directory
	lead := s.leadName(called)
	return append([]string{lead}, d.Names(d.UserID(lead))...)
}

// leadName gives the folded name that stands for a person, whichever of theirs is given.
func (s *Service) leadName(called string) string {
	if u, ok := s.Snapshot().World.Directory.Person(called); ok {
		called = u.Name
	}
	return name.Fold(called)
}

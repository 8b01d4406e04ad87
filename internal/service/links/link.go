package links

import (
	"context"
	"slices"
	"strings"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/document"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/name"
)

// Links tells how it is decided who is one person.
func (s *Room) Links(_ context.Context, p *access.Principal) (directory.Linked, error) {
	if err := access.Check(p, access.ReadDirectory); err != nil {
		return directory.Linked{}, err
	}
	return linked(s.present.View().World.Directory), nil
}

func linked(d *directory.Directory) directory.Linked {
	out := directory.Linked{Links: d.Records().Links, People: d.Several(), Remarks: append([]string{}, d.Unlinked()...)}
	out.Sources = []string{}
	for _, u := range d.Records().Users { // they come source by source
		if n := len(out.Sources); n == 0 || out.Sources[n-1] != u.Source {
			out.Sources = append(out.Sources, u.Source)
		}
	}
	if out.ByHand == nil {
		out.ByHand = []directory.Link{}
	}
	return out
}

// SetLinkRule turns a rule on or off: address or employee. With dry it only says what would come of it.
func (s *Room) SetLinkRule(ctx context.Context, p *access.Principal, rule string, on,
	dry bool) (directory.Linked, error) {
	if err := access.Check(p, access.LinkPeople); err != nil {
		return directory.Linked{}, err
	}
	if rule != "address" && rule != "employee" {
		return directory.Linked{}, fault.New(fault.Invalid, "link-rule", "write address or employee", "%q is no rule", rule)
	}
	if dry {
		records := s.present.View().World.Directory.Records()
		if rule == "address" {
			records.Links.ByAddress = on
		} else {
			records.Links.ByEmployee = on
		}
		return linked(directory.New(records)), nil
	}
	state := map[bool]string{true: "one person now", false: "no longer one person"}[on]
	_, err := s.store.SetLinkRule(ctx, rule, on, event.Event{Kind: event.LinkRule, Subject: rule,
		Author: p.Name}.Saying("Accounts of different sources with one {what} are {state}", "what",
		map[string]string{"address": "address", "employee": "employee number"}[rule], "state", state))
	if err != nil {
		return directory.Linked{}, err
	}
	s.present.Show(ctx, event.Signal{What: event.Directory})
	return s.Links(ctx, p)
}

// SetPrimary says which source's account stands for a person who has several; "" leaves it to the first by name.
func (s *Room) SetPrimary(ctx context.Context, p *access.Principal, source string) (directory.Linked, error) {
	if err := access.Check(p, access.LinkPeople); err != nil {
		return directory.Linked{}, err
	}
	e := event.Event{Kind: event.LinkRule, Subject: "primary", Author: p.Name}.Saying(
		"The source that comes first by " +
			"name stands for people who have several names")
	if source != "" {
		if !slices.ContainsFunc(s.present.View().World.Directory.Records().Users, func(u directory.User) bool {
			return u.Source == source
		}) {
			return directory.Linked{}, fault.New(fault.Unknown, "source-unknown", "see where people come from: cirque "+
				"person NAME",
				"no user comes from a source %q", source)
		}
		e = e.Saying("People who have several names go by the one that {source} has", "source", source)
	}
	if err := s.store.SetPrimary(ctx, source, e); err != nil {
		return directory.Linked{}, err
	}
	s.present.Show(ctx, event.Signal{What: event.Directory})
	return s.Links(ctx, p)
}

// Link says that two names are one person, or, unlink, that they are two. A name is SOURCE/NAME or NAME; the first must
// be somebody of the directory, the second may be a name that no directory has.
func (s *Room) Link(ctx context.Context, p *access.Principal, a, b string, unlink bool,
	reason string) (directory.Link, error) {
	if err := access.Check(p, access.LinkPeople); err != nil {
		return directory.Link{}, err
	}
	j := directory.Link{Unlinked: unlink, Reason: strings.TrimSpace(reason), Author: p.Name}
	var err error
	if j.A, err = s.account(a, false); err != nil {
		return j, err
	}
	if j.B, err = s.account(b, !unlink); err != nil {
		return j, err
	}
	switch {
	case name.Fold(j.A.Name) == name.Fold(j.B.Name):
		return j, fault.New(fault.Invalid, "link-same", "rename one of the two in its directory",
			"%s and %s have one name, and whoever asks gives no more than a name: they are one person", j.A.String(),
			j.B.String())
	case unlink && j.A.Source == "" || unlink && j.B.Source == "":
		return j, fault.New(fault.Invalid, "link-accounts", "name two accounts of directories",
			"only accounts can be unlinked")
	}
	are := map[bool]string{false: "one person", true: "two people"}[unlink]
	if j, err = s.store.AddLink(ctx, j, event.Event{Kind: event.Linked, Subject: j.A.Name, Author: p.Name}.Saying(
		"{one} and {other} are {what}", "one", j.A.String(), "other", j.B.String(), "what", are)); err != nil {
		return j, err
	}
	s.present.Show(ctx, event.Signal{What: event.Directory})
	return j, nil
}

// RemoveLink takes back what somebody said of two names.
func (s *Room) RemoveLink(ctx context.Context, p *access.Principal, id int64) error {
	if err := access.Check(p, access.LinkPeople); err != nil {
		return err
	}
	if err := s.store.RemoveLink(ctx, id, p.Name); err != nil {
		return err
	}
	s.present.Show(ctx, event.Signal{What: event.Directory})
	return nil
}

// account finds an account by SOURCE/NAME or NAME; free lets a name through that no directory has.
func (s *Room) account(called string, free bool) (directory.Account, error) {
	d := s.present.View().World.Directory
	if source, plain, of := strings.Cut(called, "/"); of {
		if u, ok := d.UserOf(source, plain); ok && u.Source == source {
			return directory.Account{Source: u.Source, ID: u.ExternalID, Name: u.Name}, nil
		}
	}
	if u, ok := d.User(called); ok && name.Fold(u.Name) == name.Fold(called) {
		return directory.Account{Source: u.Source, ID: u.ExternalID, Name: u.Name}, nil
	}
	if free && name.Valid(called) {
		return directory.Account{Name: called}, nil
	}
	fix := "see cirque directory find"
	var names []string
	for _, u := range d.Records().Users {
		names = append(names, u.Name)
	}
	if k := document.Nearest(called, names); k != "" {
		fix = "did you mean " + k + "?"
	}
	return directory.Account{}, fault.New(fault.Unknown, "user-unknown", fix, "the directory has no user %q", called)
}

// Unmatched lists names that agents report and that no directory knows.
func (s *Room) Unmatched(ctx context.Context, p *access.Principal) ([]directory.UnmatchedName, error) {
	if err := access.Check(p, access.ReadDirectory); err != nil {
		return nil, err
	}
	d := s.present.View().World.Directory
	unknown, err := s.cfg.Fleet.Unlisted(ctx, func(folded string) bool { return d.Listed(d.UserID(folded)) })
	if err != nil {
		return nil, err
	}
	out := make([]directory.UnmatchedName, 0, len(unknown))
	for folded, where := range unknown {
		v := directory.UnmatchedName{Machines: make([]string, 0, len(where)), Near: s.near(folded)}
		for _, j := range where {
			v.Machines = append(v.Machines, j.Machine())
			for _, q := range j.Report().Contexts {
				if v.Name == "" && q.User != nil && name.Fold(*q.User) == folded {
					v.Name = *q.User
				}
			}
		}
		out = append(out, v)
	}
	slices.SortFunc(out, func(a, b directory.UnmatchedName) int { return strings.Compare(a.Name, b.Name) })
	return out, nil
}

// near finds users whom an unknown name may stand for: the same without its domain, the same address, or off by little.
func (s *Room) near(called string) []string {
	d := s.present.View().World.Directory
	bare := name.Fold(called)
	if i := strings.LastIndexByte(bare, '\\'); i >= 0 {
		bare = bare[i+1:]
	}
	local, _, _ := strings.Cut(bare, "@")
	out := []string{}
	var names []string
	for _, u := range d.Records().Users {
		if f := name.Fold(u.Name); f == bare || f == local || u.Email != "" && name.Fold(u.Email) == bare {
			out = append(out, u.Name)
		}
		names = append(names, u.Name)
	}
	if k := document.Nearest(local, names); len(out) == 0 && k != "" {
		out = append(out, k)
	}
	return out
}

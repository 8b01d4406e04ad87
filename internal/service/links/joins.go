package links

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/document"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/name"
)

// Joins tells how it is decided who is one person.
func (s *Room) Joins(_ context.Context, p *access.Principal) (directory.Joined, error) {
	if err := access.Check(p, access.ReadDirectory); err != nil {
		return directory.Joined{}, err
	}
	return joined(s.present.View().World.Directory), nil
}

func joined(d *directory.Directory) directory.Joined {
	out := directory.Joined{Joins: d.Records().Joins, People: d.Several(), Remarks: append([]string{}, d.Unjoined()...)}
	out.Sources = []string{}
	for _, u := range d.Records().Users { // they come source by source
		if n := len(out.Sources); n == 0 || out.Sources[n-1] != u.Source {
			out.Sources = append(out.Sources, u.Source)
		}
	}
	if out.ByHand == nil {
		out.ByHand = []directory.Join{}
	}
	return out
}

// SetJoinRule turns a rule on or off: address or employee. With dry it only says what would come of it.
func (s *Room) SetJoinRule(ctx context.Context, p *access.Principal, rule string, on,
	dry bool) (directory.Joined, error) {
	if err := access.Check(p, access.JoinPeople); err != nil {
		return directory.Joined{}, err
	}
	if rule != "address" && rule != "employee" {
		return directory.Joined{}, fault.New(fault.Invalid, "join-rule", "write address or employee", "%q is no rule", rule)
	}
	if dry {
		records := s.present.View().World.Directory.Records()
		if rule == "address" {
			records.Joins.ByAddress = on
		} else {
			records.Joins.ByEmployee = on
		}
		return joined(directory.New(records)), nil
	}
	says := map[bool]string{true: "Accounts of different sources with one %s are one person now",
		false: "Accounts of different sources with one %s are no longer one person"}[on]
	_, err := s.store.SetJoinRule(ctx, rule, on, event.Event{Kind: event.JoinRule, Subject: rule, Author: p.Name,
		Says: fmt.Sprintf(says, map[string]string{"address": "address", "employee": "employee number"}[rule])})
	if err != nil {
		return directory.Joined{}, err
	}
	if err := s.present.Refresh(ctx, event.Notice{What: event.Directory}); err != nil {
		return directory.Joined{}, err
	}
	return s.Joins(ctx, p)
}

// SetLead says which source's account stands for a person who has several; "" leaves it to the first by name.
func (s *Room) SetLead(ctx context.Context, p *access.Principal, source string) (directory.Joined, error) {
	if err := access.Check(p, access.JoinPeople); err != nil {
		return directory.Joined{}, err
	}
	says := "The source that comes first by name stands for people who have several names"
	if source != "" {
		if !slices.ContainsFunc(s.present.View().World.Directory.Records().Users, func(u directory.User) bool {
			return u.Source == source
		}) {
			return directory.Joined{}, fault.New(fault.Unknown, "source-unknown", "see where people come from: cirque "+
				"person NAME",
				"no user comes from a source %q", source)
		}
		says = fmt.Sprintf("People who have several names go by the one that %s has", source)
	}
	if err := s.store.SetLead(ctx, source, event.Event{Kind: event.JoinRule, Subject: "lead", Author: p.Name,
		Says: says}); err != nil {
		return directory.Joined{}, err
	}
	if err := s.present.Refresh(ctx, event.Notice{What: event.Directory}); err != nil {
		return directory.Joined{}, err
	}
	return s.Joins(ctx, p)
}

// Join says that two names are one person, or, apart, that they are two. A name is SOURCE/NAME or NAME; the first must
// be somebody of the directory, the second may be a name that no directory has.
func (s *Room) Join(ctx context.Context, p *access.Principal, a, b string, apart bool,
	reason string) (directory.Join, error) {
	if err := access.Check(p, access.JoinPeople); err != nil {
		return directory.Join{}, err
	}
	j := directory.Join{Apart: apart, Reason: strings.TrimSpace(reason), Author: p.Name}
	var err error
	if j.A, err = s.account(a, false); err != nil {
		return j, err
	}
	if j.B, err = s.account(b, !apart); err != nil {
		return j, err
	}
	switch {
	case name.Fold(j.A.Name) == name.Fold(j.B.Name):
		return j, fault.New(fault.Invalid, "join-same", "rename one of the two in its directory",
			"%s and %s have one name, and whoever asks gives no more than a name: they are one person", j.A.String(),
			j.B.String())
	case apart && j.A.Source == "" || apart && j.B.Source == "":
		return j, fault.New(fault.Invalid, "join-apart", "name two accounts of directories",
			"only accounts can be kept apart")
	}
	says := fmt.Sprintf("%s and %s are one person", j.A.String(), j.B.String())
	if apart {
		says = fmt.Sprintf("%s and %s are two people", j.A.String(), j.B.String())
	}
	if j, err = s.store.AddJoin(ctx, j, event.Event{Kind: event.JoinKept, Subject: j.A.Name, Author: p.Name,
		Says: says}); err != nil {
		return j, err
	}
	return j, s.present.Refresh(ctx, event.Notice{What: event.Directory})
}

// EndJoin takes back what somebody said of two names.
func (s *Room) EndJoin(ctx context.Context, p *access.Principal, id int64) error {
	if err := access.Check(p, access.JoinPeople); err != nil {
		return err
	}
	if err := s.store.EndJoin(ctx, id, p.Name); err != nil {
		return err
	}
	return s.present.Refresh(ctx, event.Notice{What: event.Directory})
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

// Strangers lists names that agents report and that no directory knows.
func (s *Room) Strangers(ctx context.Context, p *access.Principal) ([]directory.Stranger, error) {
	if err := access.Check(p, access.ReadDirectory); err != nil {
		return nil, err
	}
	d := s.present.View().World.Directory
	unknown, err := s.cfg.Fleet.Unlisted(ctx, func(folded string) bool { return d.Listed(d.UserID(folded)) })
	if err != nil {
		return nil, err
	}
	out := make([]directory.Stranger, 0, len(unknown))
	for folded, where := range unknown {
		v := directory.Stranger{Machines: make([]string, 0, len(where)), Near: s.near(folded)}
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
	slices.SortFunc(out, func(a, b directory.Stranger) int { return strings.Compare(a.Name, b.Name) })
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

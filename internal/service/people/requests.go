package people

import (
	"context"
	"slices"
	"strings"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/name"
	"cirque/internal/service/present"
)

// requestsShown is how many requests are listed.
const requestsShown = 500

// RequestQueue asks for a queue, for oneself. An unknown queue is an Unknown fault.
func (s *Room) RequestQueue(ctx context.Context, p *access.Principal, queue, reason string) (access.Request, error) {
	if err := access.Check(p, access.RequestOwn); err != nil {
		return access.Request{}, err
	}
	if p.User == "" {
		return access.Request{}, fault.New(fault.Conflict, "no-person", "sign in with a name and password",
			"%s is nobody who could have a queue", p.Name)
	}
	if reason = strings.TrimSpace(reason); reason == "" {
		return access.Request{}, fault.New(fault.Invalid, "reason-missing", "say in a few words what it is for",
			"a request needs a reason")
	}
	q, err := s.present.View().Queue(queue)
	if err != nil {
		return access.Request{}, err
	}
	return s.store.AddRequest(ctx, access.Request{Person: p.User, Queue: q.Name, Reason: reason})
}

// Requests lists requests: all for whoever may read who has what, else one's own.
func (s *Room) Requests(ctx context.Context, p *access.Principal) ([]access.Request, error) {
	var persons []string
	if !p.May(access.ReadDirectory) {
		if err := access.Check(p, access.RequestOwn); err != nil {
			return nil, err
		}
		persons = s.present.View().NamesOf(p.Person())
	}
	list, err := s.store.Requests(ctx, persons, requestsShown)
	return append([]access.Request{}, list...), err
}

// requestGrant is the name of the grant by which requests for a queue are granted.
func requestGrant(queue string) string {
	const prefix = "asked-for-"
	return (prefix + queue)[:min(len(prefix)+len(queue), 63)]
}

// AnswerRequest grants a request or declines it. Granting puts the person into a grant of the answerer's draft, which
// is rehearsed and published like any other change; it gives the draft then.
func (s *Room) AnswerRequest(ctx context.Context, p *access.Principal, id int64, grant bool,
	says string) (access.Request, *estate.DraftSheet, error) {
	if err := access.Check(p, access.AnswerRequests); err != nil {
		return access.Request{}, nil, err
	}
	r, err := s.store.Request(ctx, id)
	if err != nil {
		return r, nil, err
	}
	doc := s.present.View().Document()
	if err := access.CheckObject(p, access.AnswerRequests, doc, estate.Ref{List: "queues", Name: r.Queue}); err != nil {
		return r, nil, err
	}
	if r.State != access.RequestOpen {
		return r, nil, fault.New(fault.Conflict, "request-answered", "see cirque request list", "the request %d was %s by %s",
			id, r.State, r.AnsweredBy)
	}
	says = strings.TrimSpace(says)
	if !grant {
		if says == "" {
			return r, nil, fault.New(fault.Invalid, "reason-missing", "say in a few words why not",
				"declining needs a reason: the person reads it")
		}
		r, err = s.store.AnswerRequest(ctx, id, access.RequestDeclined, p.Name, says)
		return r, nil, err
	}
	d, err := s.cfg.Changes.Change(ctx, p, present.MainDraft, nil, func(d estate.DraftSheet) (*estate.Document, error) {
		ref := estate.Ref{List: "grants", Name: requestGrant(r.Queue)}
		before := d.Document.Find(ref)
		g := estate.Grant{Name: ref.Name, Title: "Asked for", Effect: estate.Offer, Queues: []string{r.Queue},
			Note: "Requests that were granted"}
		if have, ok := before.(*estate.Grant); ok {
			g = *have
		}
		entry := string(estate.User) + ":" + r.Person
		if !slices.ContainsFunc(g.To, func(e string) bool { return name.Fold(e) == name.Fold(entry) }) {
			g.To = append(slices.Clone(g.To), entry)
		}
		return d.Document.With([]estate.Change{{Ref: ref, Before: before, After: &g}}), nil
	})
	if err != nil {
		return r, nil, err
	}
	r, err = s.store.AnswerRequest(ctx, id, access.RequestGranted, p.Name, says)
	return r, &d, err
}

// WithdrawRequest takes one's own request back.
func (s *Room) WithdrawRequest(ctx context.Context, p *access.Principal, id int64) error {
	if err := access.Check(p, access.RequestOwn); err != nil {
		return err
	}
	r, err := s.store.Request(ctx, id)
	if err == nil && !s.present.View().IsPerson(p, r.Person) {
		err = fault.New(fault.Unknown, "request-unknown", "see cirque request list", "there is no request %d of yours", id)
	}
	if err != nil {
		return err
	}
	_, err = s.store.AnswerRequest(ctx, id, access.RequestWithdrawn, p.Name, "")
	return err
}

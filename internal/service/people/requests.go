package people

import (
	"context"
	"slices"
	"strings"
	"time"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/lineup"
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
	q, err := s.present.View().Queue(queue, s.now())
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

// An Answered is a request that was answered.
type Answered struct {
	Request access.Request
	Draft   *estate.DraftSheet // where it was granted in a draft
	Remarks []string           // what keeps the queue from the person all the same
}

// AnswerRequest grants a request or declines it. Granting puts the person into a grant of the answerer's draft, which
// is rehearsed and published like any other change; the request stays open until that, or anything else that gives them
// the queue, is published. Where it is given to them already, it is granted at once.
func (s *Room) AnswerRequest(ctx context.Context, p *access.Principal, id int64, grant bool,
	says string) (Answered, error) {
	if err := access.Check(p, access.AnswerRequests); err != nil {
		return Answered{}, err
	}
	r, err := s.store.Request(ctx, id)
	if err != nil {
		return Answered{Request: r}, err
	}
	v := s.present.View()
	if q, err := v.Document().QueueCalled(r.Queue); err == nil {
		r.Queue = q.Name // it may have been renamed since
	}
	if err := access.CheckObject(p, access.AnswerRequests, v.Document(), estate.Ref{List: "queues",
		Name: r.Queue}); err != nil {
		return Answered{Request: r}, err
	}
	if r.State != access.RequestOpen {
		return Answered{Request: r}, fault.New(fault.Conflict, "request-answered", "see cirque request list",
			"the request %d was %s by %s", id, r.State, r.AnsweredBy)
	}
	says = strings.TrimSpace(says)
	if !grant {
		if says == "" {
			return Answered{Request: r}, fault.New(fault.Invalid, "reason-missing", "say in a few words why not",
				"declining needs a reason: the person reads it")
		}
		r, err = s.store.AnswerRequest(ctx, id, access.RequestDeclined, p.Name, says)
		return Answered{Request: r}, err
	}
	if lineup.Gives(v.World, r.Person, r.Queue, s.now()) {
		out := Answered{Remarks: remarks(v.World, r, s.now())}
		out.Request, err = s.store.AnswerRequest(ctx, id, access.RequestGranted, p.Name, says)
		return out, err
	}
	return s.grantInDraft(ctx, p, r, says)
}

// grantInDraft puts the person of a request into a grant of one's own draft.
func (s *Room) grantInDraft(ctx context.Context, p *access.Principal, r access.Request, says string) (Answered, error) {
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
		return Answered{Request: r}, err
	}
	out := Answered{Draft: &d}
	if d.Document != nil {
		w := s.present.View().World
		out.Remarks = remarks(lineup.Bind(lineup.Compile(d.Document, 0, s.present.Compiling()), w.Directory, w.Live), r,
			s.now())
	}
	out.Request, err = s.store.DraftRequest(ctx, r.ID, p.Name, says)
	return out, err
}

// remarks says what keeps a queue from the person of a request though a grant gives it.
func remarks(w *lineup.World, r access.Request, now time.Time) []string {
	if !lineup.Offers(w, r.Person, r.Queue, now) {
		return nil // it is placed for them
	}
	if err := lineup.CheckPick(w, r.Person, r.Queue, now); err != nil {
		f := fault.As(err)
		return []string{f.What + "; " + f.Fix}
	}
	return nil
}

// settleRequests grants what was granted in drafts, once it is published.
func (s *Room) settleRequests(ctx context.Context, w *lineup.World) error {
	list, err := s.store.Drafted(ctx)
	if err != nil {
		return err
	}
	for _, r := range list {
		if !lineup.Gives(w, r.Person, r.Queue, s.now()) {
			continue
		}
		if _, err := s.store.AnswerRequest(ctx, r.ID, access.RequestGranted, r.DraftedBy,
			r.DraftedSays); err != nil && !fault.Is(err, fault.Conflict) {
			return err // a conflict: somebody else was first
		}
	}
	return nil
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

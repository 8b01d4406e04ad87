package alerts

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/name"
	"cirque/core/notice"
	"cirque/core/page"
	"cirque/core/stock"
	"cirque/internal/service/worker"
)

const (
	noticesEvery   = 10 * time.Second
	endpointsEvery = time.Minute // they all have to be judged
	toldMost       = 100         // addresses of one notice, of a group's members above all
	unsentAgain    = time.Minute // what reached nobody is tried again after so long
)

// notifyAll tells people of faults, until ctx is done.
func (s *Room) notifyAll(ctx context.Context) error {
	for ctx.Err() == nil {
		if err := s.notify(ctx, &s.watch); err != nil && ctx.Err() == nil {
			s.log.Warn("people could not be told of faults", "error", err)
		}
		worker.Pause(ctx, s.noticesEvery())
	}
	return nil
}

func (s *Room) noticesEvery() time.Duration {
	if s.cfg.NoticesEvery > 0 {
		return s.cfg.NoticesEvery
	}
	return noticesEvery
}

// watch is what telling remembers between two looks. The worker alone reads and writes it; it outlasts a lease, so that
// what did not arrive before a short absence is still known after it.
type watch struct {
	ends   []aFault
	all    int
	endsAt time.Time
	looked time.Time
	again  map[string]time.Time // by audience: what reached nobody is not tried before then
	failed map[string]bool      // by audience: it was said that it does not arrive
}

// notify looks at what is wrong, and tells whoever is to know.
func (s *Room) notify(ctx context.Context, w *watch) error {
	now := s.now().UTC()
	notices := notice.Holding(s.present.View().Document().Notices, now)
	told, err := s.store.Notified(ctx)
	if err != nil || len(notices)+len(told) == 0 && now.Sub(w.looked) < 6*s.noticesEvery() {
		return err // nobody is to be told; it is only kept since when what is wrong
	}
	w.looked = now
	list, err := s.faults(ctx)
	if err != nil {
		return err
	}
	if slices.ContainsFunc(notices, func(n estate.Notice) bool {
		return len(n.About) == 0 || slices.Contains(n.About, estate.AboutEndpoints)
	}) && (w.endsAt.IsZero() || now.Sub(w.endsAt) >= min(endpointsEvery, 6*s.noticesEvery())) {
		if w.ends, w.all, err = s.endpointFaults(ctx); err != nil {
			return err
		}
		w.endsAt = now
	}
	list = append(list, w.ends...)
	keys := []string{}
	for _, f := range list {
		keys = append(keys, f.Key)
	}
	seen, err := s.store.SeenSince(ctx, keys, now)
	if err != nil {
		return err
	}
	faults := make([]notice.Fault, 0, len(list))
	for i := range list {
		list[i].since(seen, now)
		faults = append(faults, list[i].Fault)
	}
	if w.again == nil {
		w.again, w.failed = map[string]time.Time{}, map[string]bool{}
	}
	// What was told by a notice that is gone, or has ended, is over without a word.
	kept := slices.DeleteFunc(slices.Clone(told), func(t notice.Notified) bool {
		return !slices.ContainsFunc(notices, func(n estate.Notice) bool { return n.Name == t.Notice })
	})
	changed := len(kept) != len(told)
	var failed error
	for _, m := range notice.Decide(notices, faults, kept, w.all, now) {
		if now.Before(w.again[audience(m)]) {
			continue
		}
		arrived, err := s.send(ctx, m, now, w)
		if err != nil {
			failed = err
			break
		}
		if !arrived {
			w.again[audience(m)] = now.Add(unsentAgain)
			continue
		}
		kept, changed = notice.After(kept, m, now), true
	}
	if !changed {
		return failed
	}
	// Also where the rest could not be sent: nobody is to be told twice.
	return errors.Join(failed, s.store.SaveNotified(context.WithoutCancel(ctx), kept))
}

// audience tells the messages of a notice apart: an owner whose mailbox is gone keeps nobody else from being told.
func audience(m notice.Message) string { return m.Notice + " " + m.Person }

// send sends one message to all whom it is for, and keeps how that went. arrived says that at least one has it, or that
// it has nothing to say to anybody.
func (s *Room) send(ctx context.Context, m notice.Message, now time.Time, w *watch) (arrived bool, err error) {
	open := m
	open.Over = slices.DeleteFunc(slices.Clone(m.Over), notice.Notified.Private)
	if len(open.New)+len(open.Still)+len(open.Over) == 0 || len(m.To) == 0 {
		return true, nil
	}
	sent := s.sendTo(ctx, open, false, now)
	var events []event.Event
	why := "it reaches nobody"
	for _, x := range sent {
		arrived = arrived || x.OK
		if !x.OK {
			why = x.To + ": " + x.Says
		}
	}
	turned := w.failed[audience(m)] == arrived
	if turned {
		e := event.Event{Kind: event.NoticeBad, Subject: m.Notice, Author: "notices"}.Saying(
			"The notice {notice} does not arrive: {reason}", "notice", m.Notice, "reason", why)
		if arrived {
			e.Kind = event.NoticeGood
			e = e.Saying("The notice {notice} arrives again", "notice", m.Notice)
		}
		events = append(events, e)
	}
	if ctx.Err() != nil {
		return false, ctx.Err()
	}
	if err := s.store.AddSent(ctx, sent, events); err != nil {
		return arrived, err
	}
	if turned { // once it is said: what could not be kept is said the next time
		w.failed[audience(m)] = !arrived
	}
	return arrived, nil
}

// sendTo sends a message along each way; one that leads nowhere is a failure of its own.
func (s *Room) sendTo(ctx context.Context, m notice.Message, trial bool, now time.Time) []notice.Sent {
	var out []notice.Sent
	add := func(to, says string, err error) {
		x := notice.Sent{Notice: m.Notice, To: to, Subject: m.Subject(), Body: m.Text(now), Trial: trial, OK: err == nil,
			Says: says, At: now}
		if err != nil {
			x.Says = fault.As(err).What
			if fix := fault.As(err).Fix; fix != "" {
				x.Says += "; " + fix
			}
		}
		out = append(out, x)
	}
	mailed := map[string]bool{}
	mail := func(called, address string) {
		if mailed[strings.ToLower(address)] || len(mailed) >= toldMost {
			return
		}
		mailed[strings.ToLower(address)] = true
		says, err := s.mail(ctx, address, m, now)
		add(called, says, err)
	}
	for _, to := range m.To {
		t, what, _ := estate.ParseRecipient(to)
		switch {
		case what != "":
			add(to, "", fault.New(fault.Invalid, "tell-invalid", "mend it in the estate", "%s", what))
		case t.Mail != "":
			mail(to, t.Mail)
		case t.User != "":
			if a := s.present.View().MailOf(t.User); a != "" {
				mail(to, a)
			} else {
				add(to, "", fault.New(fault.Unknown, "no-mail", "give them one in the directory, or write mail:ADDRESS",
					"the directory has no mail address of %s", t.User))
			}
		case t.Group != "":
			list := s.mailsOf(t.Group)
			if len(list) == 0 {
				add(to, "", fault.New(fault.Unknown, "no-mail", "see who is in it, and their addresses", "nobody in the group %s "+
					"has a mail address here", t.Group))
			}
			for _, a := range list {
				mail(to+" ("+a+")", a)
			}
		default:
			body, err := json.Marshal(struct {
				notice.Message
				Subject string    `json:"subject"`
				Text    string    `json:"text"`
				Trial   bool      `json:"trial"`
				At      time.Time `json:"at"`
			}{m, m.Subject(), m.Text(now), trial, now})
			says := ""
			if err == nil {
				keys := s.cfg.Keys.KeysFor(stock.Watch{Kind: stock.ForNotice, Name: m.Notice, URI: t.Post})
				says, err = s.cfg.Sender.Post(ctx, t.Post, body, stock.SignInOf(keys), s.cfg.Signs.NoticeKey())
			}
			add(to, says, err)
		}
	}
	return out
}

func (s *Room) mail(ctx context.Context, to string, m notice.Message, now time.Time) (string, error) {
	set, ok := s.present.View().Document().Mail()
	if !ok {
		return "", fault.New(fault.Conflict, "no-relay", "write settings.mail in the estate: relay and from",
			"the estate names no mail relay")
	}
	keys := s.cfg.Keys.KeysFor(stock.Watch{Kind: stock.ForMail, URI: set.Server})
	says, err := s.cfg.Sender.Mail(ctx, notice.Mail{Relay: set.Server, From: set.From, To: to, Subject: m.Subject(),
		Body: m.Text(now), At: now}, stock.SignInOf(keys))
	s.cfg.KeyNotes.NoteKeys(ctx, keys)
	return says, err
}

// mailsOf gives the mail addresses of a group's people, nested ones included.
func (s *Room) mailsOf(group string) []string {
	d := s.present.View().World.Directory
	id, ok := d.GroupID(name.Fold(group))
	if !ok {
		return nil
	}
	var out []string
	d.EachUserIn(id, func(m directory.MemberID) {
		if d.Listed(m) && len(out) < toldMost {
			if a := s.present.View().MailOf(d.Records().Users[m].Name); a != "" {
				out = append(out, a)
			}
		}
	})
	slices.Sort(out)
	return out
}

// Notices lists the estate's notices with how they stand.
func (s *Room) Notices(ctx context.Context, p *access.Principal) ([]notice.View, error) {
	faults, err := s.Faults(ctx, p)
	if err != nil {
		return nil, err
	}
	told, err := s.store.Notified(ctx)
	if err != nil {
		return nil, err
	}
	out := []notice.View{}
	last, err := s.store.LastSent(ctx)
	if err != nil {
		return nil, err
	}
	for _, n := range s.present.View().Document().Notices {
		v := notice.View{Notice: n, Faults: []notice.Fault{}, Told: []notice.Notified{}}
		for _, f := range faults {
			if notice.Concerns(n, f) {
				v.Faults = append(v.Faults, f)
			}
		}
		for _, t := range told {
			if t.Notice == n.Name {
				v.Told = append(v.Told, t)
			}
		}
		if x, ok := last[n.Name]; ok {
			v.Last = &x
		}
		out = append(out, v)
	}
	return out, nil
}

// SentNotices lists what was sent, newest first; of one notice where it is named.
func (s *Room) SentNotices(ctx context.Context, p *access.Principal, of string, ask page.Ask,
	word string) (page.Page[notice.Sent], error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return page.Page[notice.Sent]{}, err
	}
	return s.store.Sent(ctx, of, ask, word)
}

// TryNotice sends a trial along each way of a notice, and says how each went.
func (s *Room) TryNotice(ctx context.Context, p *access.Principal, called string) ([]notice.Sent, error) {
	if err := access.Check(p, access.Publish); err != nil {
		return nil, err
	}
	if s.cfg.Sender == nil {
		return nil, fault.New(fault.Unavailable, "no-telling", "start the service with telling", "this service tells nobody")
	}
	doc := s.present.View().Document()
	n, ok := doc.Find(estate.Ref{List: "notices", Name: called}).(*estate.Notice)
	if !ok || n == nil {
		return nil, fault.New(fault.Unknown, "notice-unknown", "see cirque notice list; one of a draft is tried once it "+
			"is published", "the estate has no notice %q", called)
	}
	if err := access.CheckChanges(p, access.Publish, doc, doc, []estate.Change{{Ref: estate.Ref{List: "notices",
		Name: n.Name}, Before: n, After: n}}); err != nil {
		return nil, err
	}
	sent := s.sendTo(ctx, notice.Message{Notice: n.Name, To: n.Tell, New: []notice.Fault{}, Still: []notice.Fault{},
		Over: []notice.Notified{}}, true, s.now().UTC())
	if sent == nil {
		sent = []notice.Sent{}
	}
	return sent, s.store.AddSent(ctx, sent, []event.Event{{Kind: event.NoticeTried, Subject: n.Name, Author: p.Name,
		Says: fmt.Sprintf("The notice %s was tried", n.Name)}})
}

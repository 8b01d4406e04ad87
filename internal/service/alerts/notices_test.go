package alerts

import (
	"context"
	"crypto/ed25519"
	"errors"
	"fmt"
	"strings"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"cirque/core/advert"
	"cirque/core/continuity"
	"cirque/core/directory"
	"cirque/core/endpoint"
	"cirque/core/event"
	"cirque/core/fleet"
	"cirque/core/notice"
	"cirque/core/stock"
	"cirque/internal/testkit/rooms"
)

const told = `
estate: 1
servers: [{name: ps-1, uri: "ipp://ps-1.example/"}]
queues: [{name: hall, paths: [{server: ps-1}]}]
notices: [{name: desk, about: [servers], after: 1m, tell: ["mail:desk@skerry.example"]}]
settings: {mail: {server: "smtp://mail.skerry.example:25", from: "cirque@skerry.example"}}
`

type store struct {
	Store
	mu     sync.Mutex
	health []continuity.Health
	told   []notice.Notified
	loses  int // so many times what was sent is not kept
	events []event.Event
	sent   []notice.Sent
}

func (s *store) Unwell(context.Context) ([]continuity.Health, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.health, nil
}

func (s *store) Sources(context.Context) ([]directory.Source, map[string][]byte, error) {
	return nil, nil, nil
}

func (s *store) EndedRuns(context.Context) (map[string]directory.Run, error) { return nil, nil }

func (s *store) Listings(context.Context) ([]advert.Listing, error) { return nil, nil }

func (s *store) Endpoints(context.Context) ([]endpoint.Record, error) { return nil, nil }

func (s *store) SeenSince(context.Context, []string, time.Time) (map[string]time.Time, error) {
	return nil, nil
}

func (s *store) Notified(context.Context) ([]notice.Notified, error) { return s.told, nil }

func (s *store) SaveNotified(_ context.Context, list []notice.Notified) error {
	s.told = list
	return nil
}

func (s *store) AddSent(_ context.Context, list []notice.Sent, events []event.Event) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.loses > 0 {
		s.loses--
		return errors.New("the database is away")
	}
	s.sent, s.events = append(s.sent, list...), append(s.events, events...)
	return nil
}

// sender keeps letters, or refuses them.
type sender struct {
	mu      sync.Mutex
	refuses bool
	letters []notice.Mail
}

func (p *sender) Mail(_ context.Context, m notice.Mail, _ *stock.Key) (string, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.refuses {
		return "", errors.New("no such mailbox")
	}
	p.letters = append(p.letters, m)
	return "250 ok", nil
}

func (p *sender) Post(context.Context, string, []byte, *stock.Key, ed25519.PrivateKey) (string, error) {
	return "200", nil
}

func (*sender) KeysFor(stock.Watch) []stock.Key { return nil }

func (*sender) Leading(context.Context) (map[string][2]int, error) { return nil, nil }

func (*sender) Troubled(context.Context) (failing, silent []*fleet.Judgement, all int, err error) {
	return nil, nil, 0, nil
}

func (*sender) NoteKeys(context.Context, []stock.Key) {}

// TestToldAcrossLeases: what does not arrive is said once, also where the worker loses its lease and takes it again, or
// the database is away when it is to be said, and so is that it arrives after all.
func TestToldAcrossLeases(t *testing.T) {
	// What could not be kept as sent is sent again.
	for loses, letters := range map[int]int{0: 1, 1: 2} {
		t.Run(fmt.Sprint(loses), func(t *testing.T) { toldAcrossLeases(t, loses, letters) })
	}
}

func toldAcrossLeases(t *testing.T, loses, letters int) {
	synctest.Test(t, func(t *testing.T) {
		w := rooms.New(t, told, directory.Records{})
		s := &store{health: []continuity.Health{{Kind: stock.KindServer, Name: "ps-1", Verdict: continuity.Gone,
			Since: rooms.Start.Add(-time.Hour), Says: "refused"}}}
		p := &sender{refuses: true}
		r := New(Config{Store: s, Present: w.Present, Log: rooms.Quiet, Drafts: noDrafts{}, Now: func() time.Time {
			return rooms.Start.Add(time.Since(time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC)))
		}, Sender: p, Keys: p, KeyNotes: p, Fleet: p, NoticesEvery: time.Second})
		turn := func(lasts time.Duration) {
			ctx, cancel := context.WithTimeout(t.Context(), lasts)
			defer cancel()
			if err := r.Workers()[0].Run(ctx); err != nil {
				t.Error(err)
			}
		}
		turn(3 * time.Minute)
		turn(3 * time.Minute)
		p.mu.Lock()
		p.refuses = false
		p.mu.Unlock()
		s.loses = loses
		turn(3 * time.Minute)
		var kinds []string
		for _, e := range s.events {
			kinds = append(kinds, e.Kind)
		}
		if got := strings.Join(kinds, " "); got != "notice.fails notice.arrives" {
			t.Error(got)
		}
		if len(p.letters) != letters || !strings.Contains(p.letters[0].Body, "the server ps-1 does not answer") {
			t.Errorf("%+v", p.letters)
		}
	})
}

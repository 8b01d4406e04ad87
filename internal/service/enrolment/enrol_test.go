package enrolment

import (
	"context"
	"crypto/sha256"
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/name"
	"cirque/core/page"
	"cirque/internal/testkit/rooms"
)

const twoSites = `estate: 1
locations: [{path: north, cut: 40d}, {path: south}]
subnets: [{cidr: 10.1.0.0/16, location: north}, {cidr: 10.2.0.0/16, location: south}]
settings: {agents: {user_from: ask}}`

// aStore keeps tokens and certificates in memory.
type aStore struct {
	Store
	tokens []access.EnrolToken
	certs  []access.Enrolled
	events []event.Event
}

func (s *aStore) AddEnrolToken(_ context.Context, t access.EnrolToken) (access.EnrolToken, error) {
	t.ID = int64(len(s.tokens) + 1)
	s.tokens = append(s.tokens, t)
	return t, nil
}

func (s *aStore) EnrolTokens(context.Context) ([]access.EnrolToken, error) { return s.tokens, nil }

func (s *aStore) EnrolTokenBy(_ context.Context, hash [32]byte) (access.EnrolToken, error) {
	for _, t := range s.tokens {
		if t.Hash == hash {
			return t, nil
		}
	}
	return access.EnrolToken{}, fault.New(fault.Denied, "enrol-token-unknown", "have one made", "no such token")
}

func (s *aStore) RevokeEnrolToken(_ context.Context, called, _ string) error {
	for i := range s.tokens {
		if s.tokens[i].Name == called {
			s.tokens[i].RevokedAt = new(rooms.Start)
		}
	}
	return nil
}

func (s *aStore) AddEvent(_ context.Context, e event.Event) error {
	s.events = append(s.events, e)
	return nil
}

func (s *aStore) Enrol(_ context.Context, token int64, e access.Enrolled) (access.Enrolled, error) {
	s.tokens[token-1].Used++
	s.certs = append(s.certs, e)
	return e, nil
}

func (s *aStore) Renew(_ context.Context, _ string, e access.Enrolled) (access.Enrolled, error) {
	s.certs = append(s.certs, e)
	return e, nil
}

func (s *aStore) GoodCertificates(_ context.Context, machine string) (out []access.Enrolled, err error) {
	for _, c := range s.certs {
		if c.RevokedAt == nil && (machine == "" || name.Fold(c.Machine) == name.Fold(machine)) {
			out = append(out, c)
		}
	}
	return out, nil
}

func (s *aStore) LastEnrolled(_ context.Context, machine string) (access.Enrolled, bool, error) {
	for _, c := range slices.Backward(s.certs) {
		if name.Fold(c.Machine) == name.Fold(machine) {
			return c, true, nil
		}
	}
	return access.Enrolled{}, false, nil
}

func (s *aStore) Revoke(_ context.Context, machine, _ string) error {
	for i := range s.certs {
		if name.Fold(s.certs[i].Machine) == name.Fold(machine) {
			s.certs[i].RevokedAt = new(rooms.Start)
		}
	}
	return nil
}

func (s *aStore) Enrolled(context.Context, page.Ask, string) (page.Page[access.Enrolled], error) {
	return page.Page[access.Enrolled]{Items: s.certs}, nil
}

// anAuthority numbers what it issues.
type anAuthority struct{ issued int }

func (*anAuthority) Fingerprint() string { return "abc123" }
func (*anAuthority) Trust() []byte       { return []byte("authority") }
func (*anAuthority) Issuing() string     { return "abc123" }
func (*anAuthority) Alone() bool         { return true }

func (a *anAuthority) Issue(request []byte, machine string, lasts time.Duration, _ bool, now time.Time) (
	access.Certificate, error) {
	if string(request) != "request" {
		return access.Certificate{}, fault.New(fault.Invalid, "request-certificate", "", "no request")
	}
	a.issued++
	return access.Certificate{PEM: []byte("for " + machine), Serial: fmt.Sprint(a.issued), Key: "k",
		ExpiresAt: now.Add(lasts)}, nil
}

func furnish(t *testing.T, authority Authority) (*Room, *aStore, *rooms.World) {
	t.Helper()
	w := rooms.New(t, twoSites, directory.Records{Users: []directory.User{{Name: "ida"}},
		Machines: []directory.Machine{{Name: "Till-07", Location: "north"}}})
	s := &aStore{}
	r, err := New(t.Context(), Config{Authority: authority, Store: s, Present: w.Present, Log: rooms.Quiet, Now: w.Now})
	if err != nil {
		t.Fatal(err)
	}
	return r, s, w
}

func (s *aStore) kinds() (out []string) {
	for _, e := range s.events {
		out = append(out, e.Kind)
	}
	return out
}

// TestEnrol: a token lets as many machines in as it says, until it ends; the certificate lets its machine in until it
// is revoked or over, and a site whose line may be cut for long has longer ones.
func TestEnrol(t *testing.T) {
	t.Parallel()
	r, s, w := furnish(t, &anAuthority{})
	admin := rooms.Who(access.Administrator)
	made, secret, err := r.MakeEnrolToken(t.Context(), admin, access.EnrolToken{Name: "tills", Uses: 2})
	if err != nil || !strings.HasPrefix(secret, enrolPrefix) || !strings.HasSuffix(secret, ".abc123") ||
		!made.ExpiresAt.Equal(w.Now().Add(access.EnrolLasts)) {
		t.Fatalf("%+v %q %v", made, secret, err)
	}
	if hash := sha256.Sum256([]byte(secret)); made.Hash == hash || strings.Contains(fmt.Sprint(s.tokens), secret) {
		t.Error("the secret is kept")
	}
	in := Enrolment{Token: secret, Machine: "TILL-07", Request: []byte("request"), Remote: "10.1.0.9"}
	got, err := r.Enrol(t.Context(), in)
	if err != nil || got.Machine != "Till-07" || got.Site != "north" || string(got.Certificate) != "for Till-07" ||
		string(got.Authority) != "authority" {
		t.Fatalf("%+v %v", got, err)
	}
	if want := w.Now().Add(3 * 40 * 24 * time.Hour); !got.ExpiresAt.Equal(want) {
		t.Errorf("it ends on %v, want %v", got.ExpiresAt, want)
	}
	p, err := r.ByCertificate(got.Serial, "Till-07")
	if err != nil || p.Role != access.Agent || p.Machine != "Till-07" || p.Serial != got.Serial {
		t.Errorf("%+v %v", p, err)
	}
	if again, err := r.RenewCertificate(t.Context(), p, []byte("request"),
		true); err != nil || again.Serial == got.Serial ||
		again.Machine != "Till-07" || !r.CertificateGood(again.Serial) {
		t.Errorf("renewed: %+v %v", again, err)
	}
	in.Machine = "desk-1"
	if _, err := r.Enrol(t.Context(), in); err != nil {
		t.Error("the second machine:", err)
	}
	in.Machine = "desk-2"
	if _, err := r.Enrol(t.Context(), in); !fault.Is(err, fault.Denied) || fault.As(err).Code != "enrol-token-over" {
		t.Error("the third machine:", err)
	}
	if err := r.Revoke(t.Context(), admin, "till-07"); err != nil || r.CertificateGood(got.Serial) {
		t.Error("revoked, and still good:", err)
	}
	if _, err := r.ByCertificate(got.Serial, "Till-07"); !fault.Is(err, fault.Unsigned) {
		t.Error(err)
	}
	if _, err := r.RenewCertificate(t.Context(), p, []byte("request"), true); !fault.Is(err, fault.Unsigned) {
		t.Error("renewed after it was revoked:", err)
	}
	last := s.certs[len(s.certs)-1]
	w.Pass(last.ExpiresAt.Sub(w.Now()))
	if _, err := r.ByCertificate(last.Serial, last.Machine); !fault.Is(err, fault.Unsigned) {
		t.Error("over, and still good:", err)
	}
}

// TestEnrolRefuses and records what it refuses; whoever comes without a good token is slowed down.
func TestEnrolRefuses(t *testing.T) {
	t.Parallel()
	r, s, _ := furnish(t, &anAuthority{})
	admin := rooms.Who(access.Administrator)
	_, north, err := r.MakeEnrolToken(t.Context(), admin, access.EnrolToken{Name: "north", Site: "north", Uses: 9})
	if err != nil {
		t.Fatal(err)
	}
	_, gone, err := r.MakeEnrolToken(t.Context(), admin, access.EnrolToken{Name: "gone"})
	if err != nil || r.RevokeEnrolToken(t.Context(), admin, "gone") != nil {
		t.Fatal(err)
	}
	here := []netip.Addr{netip.MustParseAddr("10.1.0.5")}
	for what, c := range map[string]struct {
		in   Enrolment
		code string
	}{
		"a revoked token": {Enrolment{Token: gone, Machine: "a", Request: []byte("request"), Remote: "10.1.0.1"},
			"enrol-token-over"},
		"another site": {Enrolment{Token: north, Machine: "a", Request: []byte("request"), Remote: "10.2.0.1",
			Addresses: here}, "enrol-other-site"},
		"no name": {Enrolment{Token: north, Machine: "a\x1b", Request: []byte("request"),
			Remote: "10.1.0.1"}, "machine-name"},
		"no request": {Enrolment{Token: north, Machine: "a", Request: []byte("x"), Remote: "10.1.0.1"},
			"request-certificate"},
		"a token that is none": {Enrolment{Token: "x", Machine: "a", Request: []byte("request"), Remote: "10.1.0.77"},
			"enrol-token-unknown"},
	} {
		before := len(s.events)
		if _, err := r.Enrol(t.Context(), c.in); fault.As(err) == nil || fault.As(err).Code != c.code {
			t.Errorf("%s: %v", what, err)
		}
		if len(s.events) != before+1 || s.events[before].Kind != event.EnrolRefused {
			t.Errorf("%s is not recorded: %v", what, s.kinds())
		}
	}
	if len(s.certs) != 0 {
		t.Errorf("%+v", s.certs)
	}
	slowed := false
	for range 30 {
		_, err := r.Enrol(t.Context(), Enrolment{Token: "guess", Machine: "a", Request: []byte("request"),
			Remote: "10.1.0.78"})
		slowed = slowed || fault.Is(err, fault.TooMany)
	}
	if n := len(s.events); !slowed || n > 25 {
		t.Errorf("slowed down: %v, after %d events", slowed, n)
	}
	if _, err := r.Enrol(t.Context(), Enrolment{Token: north, Machine: "a", Request: []byte("request"),
		Remote: "10.1.0.9"}); err != nil {
		t.Error("somebody else is slowed down as well:", err)
	}
}

// TestEnrolPermission: tokens and machines of a site are its administrator's, and nobody else's who may not.
func TestEnrolPermission(t *testing.T) {
	t.Parallel()
	r, _, _ := furnish(t, &anAuthority{})
	south := rooms.Who(access.SiteAdmin, "south")
	make1 := func(p *access.Principal, site string) error {
		_, _, err := r.MakeEnrolToken(t.Context(), p, access.EnrolToken{Name: "of " + site, Site: site, Uses: 2})
		return err
	}
	if err := make1(south, "south"); err != nil {
		t.Error(err)
	}
	for _, site := range []string{"north", ""} {
		if err := make1(south, site); !fault.Is(err, fault.Denied) {
			t.Errorf("at %q: %v", site, err)
		}
	}
	if err := make1(rooms.Who(access.HelpDesk), "south"); !fault.Is(err, fault.Denied) {
		t.Error(err)
	}
	if err := make1(rooms.Who(access.Owner), "west"); !fault.Is(err, fault.Invalid) {
		t.Error("a site that there is not:", err)
	}
	_, secret, err := r.MakeEnrolToken(t.Context(), rooms.Who(access.Owner), access.EnrolToken{Name: "n", Site: "north"})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := r.Enrol(t.Context(), Enrolment{Token: secret, Machine: "desk-1", Request: []byte("request"),
		Remote: "10.1.0.9"}); err != nil {
		t.Fatal(err)
	}
	if err := r.Revoke(t.Context(), south, "desk-1"); !fault.Is(err, fault.Denied) {
		t.Error(err)
	}
	if err := r.RevokeEnrolToken(t.Context(), south, "n"); !fault.Is(err, fault.Denied) {
		t.Error(err)
	}
	if err := r.Revoke(t.Context(), rooms.Who(access.SiteAdmin, "north"), "desk-1"); err != nil {
		t.Error(err)
	}
	plain, _, _ := furnish(t, nil)
	if _, _, err := plain.MakeEnrolToken(t.Context(), rooms.Who(access.Owner),
		access.EnrolToken{Name: "x"}); !fault.Is(err,
		fault.Unavailable) {
		t.Error("without an authority:", err)
	}
}

// checked finds who somebody is by their password, which is their name.
type checked struct{}

func (checked) CheckAccount(_ context.Context, _, _, called, password string) (access.Account, error) {
	if called != password {
		return access.Account{}, fault.New(fault.Unsigned, "sign-in-wrong", "", "no")
	}
	return access.Account{Name: called}, nil
}

// TestSaidWho: where people are asked, what they say is checked and recorded; where not, nobody is.
func TestSaidWho(t *testing.T) {
	t.Parallel()
	r, s, w := furnish(t, nil)
	r.cfg.Accounts = checked{}
	agent := &access.Principal{Name: "agent", Role: access.Agent, Machine: "till-07"}
	who, err := r.PeopleAt(t.Context(), agent, []string{"ida", "local-admin"})
	if err != nil || who.UserFrom != "ask" || !slices.Equal(who.Unknown, []string{"local-admin"}) {
		t.Errorf("%+v %v", who, err)
	}
	if got, err := r.SaidWho(t.Context(), agent, "10.1.0.9", "local-admin", "ida", "ida"); err != nil || got != "ida" ||
		!slices.Equal(s.kinds(), []string{event.SaidWho}) {
		t.Errorf("%q %v %v", got, err, s.kinds())
	}
	if _, err := r.SaidWho(t.Context(), agent, "10.1.0.9", "local-admin", "ida", "wrong"); !fault.Is(err,
		fault.Unsigned) ||
		len(s.events) != 1 {
		t.Error(err)
	}
	w.Publish(t, "{estate: 1, settings: {agents: {user_from: system}}}")
	w.Refresh(t)
	if _, err := r.SaidWho(t.Context(), agent, "10.1.0.9", "x", "ida", "ida"); !fault.Is(err, fault.Conflict) {
		t.Error("nobody is asked here:", err)
	}
}

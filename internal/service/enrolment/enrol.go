package enrolment

import (
	"cmp"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"net/netip"
	"slices"
	"strings"
	"sync"
	"time"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/name"
	"cirque/core/page"
	"cirque/core/words"
)

// certificates are those that let machines in, in memory, so that it works while the database is away.
type certificates struct {
	mu      sync.RWMutex
	good    map[string]access.Enrolled // by serial. Guarded by mu, as is of.
	of      map[string][]string        // serials by folded machine
	reading sync.Mutex                 // held while they are read
}

func (c *certificates) get(serial string) *access.Enrolled {
	c.mu.RLock()
	defer c.mu.RUnlock()
	if e, ok := c.good[serial]; ok {
		return &e
	}
	return nil
}

// read takes a machine's certificates from the store anew, or all.
func (c *certificates) read(ctx context.Context, store Store, machine string) error {
	c.reading.Lock()
	defer c.reading.Unlock()
	list, err := store.GoodCertificates(ctx, machine)
	if err != nil {
		return err
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if machine == "" || c.good == nil {
		c.good, c.of = make(map[string]access.Enrolled, len(list)), make(map[string][]string, len(list))
	}
	for _, serial := range c.of[name.Fold(machine)] {
		delete(c.good, serial)
	}
	delete(c.of, name.Fold(machine))
	for _, e := range list {
		c.good[e.Serial] = e
		c.of[name.Fold(e.Machine)] = append(c.of[name.Fold(e.Machine)], e.Serial)
	}
	return nil
}

// readCertificates reads anew what a notice names.
func (s *Room) readCertificates(ctx context.Context, n event.Signal) error {
	switch n.What {
	case event.Lost:
		return s.certificates.read(ctx, s.store, "")
	case event.Enrolment:
		return s.certificates.read(ctx, s.store, n.Subject)
	}
	return nil
}

// CertificateGood says whether a certificate lets its machine in.
func (s *Room) CertificateGood(serial string) bool { return s.certificates.get(serial) != nil }

// ByCertificate finds whose a verified certificate is, by its serial number; machine is the name in it.
func (s *Room) ByCertificate(serial, machine string) (*access.Principal, error) {
	e := s.certificates.get(serial)
	if e == nil || !s.now().Before(e.ExpiresAt) {
		return nil, access.Revoked(machine)
	}
	return &access.Principal{Name: "the agent on " + e.Machine, Role: access.Agent, Machine: e.Machine,
		Serial: serial}, nil
}

// enrolPrefix makes an enrolment token recognisable. What follows is its secret and, after a dot, the fingerprint of
// the authority by which the agent knows this service.
const enrolPrefix = "cirque-enrol_"

// MakeEnrolToken makes an enrolment token, and gives what a person hands to agents; it is kept nowhere.
func (s *Room) MakeEnrolToken(ctx context.Context, p *access.Principal, want access.EnrolToken) (access.EnrolToken,
	string, error) {
	if err := access.CheckAt(p, access.Enrol, want.Site, "the enrolment token"); err != nil {
		return want, "", err
	}
	if s.cfg.Authority == nil {
		return want, "", noAuthority()
	}
	want.Uses = cmp.Or(want.Uses, 1)
	if want.ExpiresAt.IsZero() {
		want.ExpiresAt = s.now().Add(access.EnrolLasts)
	}
	if err := access.ValidEnrolToken(want, s.now(), s.present.View().Document().HasSite); err != nil {
		return want, "", err
	}
	secret := rand.Text()
	want.Author, want.Hash = p.Name, sha256.Sum256([]byte(secret))
	t, err := s.store.AddEnrolToken(ctx, want)
	return t, enrolPrefix + secret + "." + s.cfg.Authority.Fingerprint(), err
}

func noAuthority() error {
	return fault.New(fault.Unavailable, "enrol-needs-tls", "run the service with TLS, without --plain-http; until then "+
		"an agent has a token: cirque token create --role agent", "this service has no certificate authority, so agents "+
		"cannot enrol")
}

// EnrolTokens lists enrolment tokens.
func (s *Room) EnrolTokens(ctx context.Context, p *access.Principal) ([]access.EnrolToken, error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return nil, err
	}
	list, err := s.store.EnrolTokens(ctx)
	return append([]access.EnrolToken{}, list...), err
}

// RevokeEnrolToken ends an enrolment token.
func (s *Room) RevokeEnrolToken(ctx context.Context, p *access.Principal, called string) error {
	list, err := s.EnrolTokens(ctx, p)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(list, func(t access.EnrolToken) bool { return t.Name == called })
	site := ""
	if i >= 0 {
		site = list[i].Site
	}
	if err := access.CheckAt(p, access.Enrol, site, "the enrolment token "+called); err != nil {
		return err
	}
	return s.store.RevokeEnrolToken(ctx, called, p.Name)
}

// Enrolled lists the machines whose agents have certificates.
func (s *Room) Enrolled(ctx context.Context, p *access.Principal, ask page.Ask,
	word string) (page.Page[access.Enrolled], error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return page.Page[access.Enrolled]{}, err
	}
	return s.store.Enrolled(ctx, ask, word)
}

// Revoke ends a machine's certificates, at once.
func (s *Room) Revoke(ctx context.Context, p *access.Principal, machine string) error {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return err
	}
	site := ""
	last, ok, err := s.store.LastEnrolled(ctx, machine)
	if err != nil {
		return err
	}
	if ok {
		site = cmp.Or(last.Site, s.present.View().SiteOf(last.Machine, nil, s.now()))
	}
	if err := access.CheckAt(p, access.Enrol, site, "the machine "+machine); err != nil {
		return err
	}
	if err := s.store.Revoke(ctx, machine, p.Name); err != nil {
		return err
	}
	err = s.certificates.read(ctx, s.store, machine)
	s.present.Agents.Wake(machine) // whoever waits with it waits no more
	return err
}

// An Enrolment is what an agent asks with.
type Enrolment struct {
	Token, Machine string
	Request        []byte // PKCS #10 as PEM
	Addresses      []netip.Addr
	Remote         string // from where it comes
	Follows        bool   // it takes the authorities that it is given
}

// Enrolling is what an agent is given.
type Enrolling struct {
	access.Enrolled
	Certificate, Authority []byte // PEM
}

// Enrol lets an agent in by an enrolment token. Whatever is refused is recorded.
func (s *Room) Enrol(ctx context.Context, in Enrolment) (out Enrolling, err error) {
	try, err := s.guard.Begin(ctx, words.Clip(name.Fold(in.Machine), 256), in.Remote, s.now)
	if err != nil {
		return out, err
	}
	invited := false // came with a token that is good
	defer func() {
		no := refuses(err)
		try.End(fault.As(err) == nil, no && !invited, s.now()) // else whoever likes could fill the audit
		err = s.record(ctx, in.Machine, in.Remote, err)
	}()
	if s.cfg.Authority == nil {
		return out, noAuthority()
	}
	if !name.Valid(in.Machine) || len(in.Machine) > 255 {
		return out, access.NoMachineName(in.Machine)
	}
	secret, _, _ := strings.Cut(strings.TrimPrefix(strings.TrimSpace(in.Token), enrolPrefix), ".")
	token, err := s.store.EnrolTokenBy(ctx, sha256.Sum256([]byte(secret)))
	if err != nil {
		return out, err
	}
	if why := token.Over(s.now()); why != "" {
		return out, fault.New(fault.Denied, "enrol-token-over", "have another made: cirque enrol token NAME",
			"the enrolment token %s %s", token.Name, why)
	}
	invited = true
	return s.admit(ctx, token, in)
}

// refuses says whether an error is a refusal, and not that something failed here.
func refuses(err error) bool {
	f := fault.As(err)
	return f != nil && f.Kind != fault.Unavailable && f.Kind != fault.Internal
}

// record records that a machine was refused, and gives the refusal; what nobody can see afterwards is not answered
// either.
func (s *Room) record(ctx context.Context, machine, remote string, err error) error {
	if !refuses(err) {
		return err
	}
	if e := s.store.AddEvent(ctx, event.Event{Kind: event.EnrolRefused, Subject: machine, Author: remote}.Saying(
		"{machine} was not enrolled: {reason}", "machine", machine, "reason", fault.As(err).What)); e != nil {
		return e
	}
	return err
}

// admit certifies a machine by a token that is good.
func (s *Room) admit(ctx context.Context, token access.EnrolToken, in Enrolment) (out Enrolling, err error) {
	machine := s.present.View().MachineName(in.Machine)
	site, err := fits(token, machine, in.Machine, s.stands(machine, in.Remote, in.Addresses))
	if err != nil {
		return out, err
	}
	now := s.now()
	cert, err := s.cfg.Authority.Issue(in.Request, machine, access.Lifetime(s.longestCut(site)), in.Follows, now)
	if err != nil {
		return out, err
	}
	e, err := s.store.Enrol(ctx, token.ID, access.Enrolled{Machine: machine, Site: site, Serial: cert.Serial,
		Key: cert.Key, By: token.Name, At: now, IssuedAt: now, ExpiresAt: cert.ExpiresAt, Authority: cert.Authority})
	if err != nil {
		return out, err
	}
	return Enrolling{e, cert.PEM, s.cfg.Authority.Trust()}, s.certificates.read(ctx, s.store, machine)
}

// stands gives the site of a machine: what is seen goes before what is said. "" where it is not known.
func (s *Room) stands(machine, seen string, said []netip.Addr) (site string) {
	if remote, err := netip.ParseAddr(seen); err == nil {
		site = s.present.View().SiteOf(machine, []netip.Addr{remote.Unmap()}, s.now())
	}
	return cmp.Or(site, s.present.View().SiteOf(machine, said, s.now()))
}

// fits says whether a token is for a machine at a site, which calls itself so, and gives the site that it enrols at.
func fits(token access.EnrolToken, machine, itself, site string) (string, error) {
	if token.Machine != "" && name.Fold(token.Machine) != name.Fold(machine) && name.Fold(token.Machine) != name.Fold(
		itself) {
		return "", fault.New(fault.Denied, "enrol-other-machine", "use it on "+token.Machine+", or have another made: "+
			"cirque enrol token NAME", "the enrolment token %s is for the machine %s, and this is %s", token.Name,
			token.Machine, machine)
	}
	if token.Site != "" && site == "" {
		return "", fault.New(fault.Denied, "enrol-site-unknown", "add the subnet of its address to the estate, or give the "+
			"machine a location; or use a token of any site", "the enrolment token %s is for machines at %s, and where %s is, "+
			"is not known", token.Name, token.Site, machine)
	}
	if token.Site != "" && site != token.Site {
		return "", fault.New(fault.Denied, "enrol-other-site", "use a token of "+site+", or one of any site",
			"the enrolment token %s is for machines at %s, and %s is at %s", token.Name, token.Site, machine, site)
	}
	return cmp.Or(token.Site, site), nil
}

// Issuer says by which authority machines that follow are certified, for a certificate that another has issued; "" for
// others, and for none.
func (s *Room) Issuer(serial string) string {
	if serial == "" || s.cfg.Authority == nil {
		return ""
	}
	if had := s.certificates.get(serial); had == nil || had.Authority == s.cfg.Authority.Issuing() ||
		had.Authority == "" && s.cfg.Authority.Alone() { // issued before it was kept by whom
		return ""
	}
	return s.cfg.Authority.Issuing()
}

// RenewCertificate gives an enrolled machine another certificate, for the key that it asks with.
func (s *Room) RenewCertificate(ctx context.Context, p *access.Principal, request []byte,
	follows bool) (out Enrolling, err error) {
	if err := access.Check(p, access.Report); err != nil {
		return out, err
	}
	if p.Serial == "" {
		return out, fault.New(fault.Denied, "not-enrolled", "enrol the machine: cirque-agent enrol",
			"%s came with a token, and has no certificate to renew", p.Name)
	}
	had := s.certificates.get(p.Serial)
	if had == nil || s.cfg.Authority == nil {
		return out, access.Revoked(p.Machine)
	}
	site := cmp.Or(had.Site, s.present.View().SiteOf(had.Machine, nil, s.now()))
	cert, err := s.cfg.Authority.Issue(request, had.Machine, access.Lifetime(s.longestCut(site)), follows, s.now())
	if err != nil {
		return out, err
	}
	e, err := s.store.Renew(ctx, p.Serial, access.Enrolled{Machine: had.Machine, Site: site, Serial: cert.Serial,
		Key: cert.Key, By: had.By, At: had.At, IssuedAt: s.now(), ExpiresAt: cert.ExpiresAt, Authority: cert.Authority})
	if err != nil {
		return out, err
	}
	return Enrolling{e, cert.PEM, s.cfg.Authority.Trust()}, s.certificates.read(ctx, s.store, had.Machine)
}

// longestCut gives for how long a site's line may be cut.
func (s *Room) longestCut(site string) time.Duration {
	l, ok := s.present.View().Document().Find(estate.Ref{List: "locations", Name: site}).(*estate.Location)
	if !ok {
		return 0
	}
	return l.Cut.D()
}

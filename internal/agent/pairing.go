package agent

import (
	"context"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"encoding/json"
	"encoding/pem"
	"net/http"
	"sync"
	"time"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/internal/agentproto"
)

// pairAgain is how often a machine asks whether somebody has typed its code.
const pairAgain = 2 * time.Second

// Pair has a machine certified by a code that somebody in front of it carries to the service, and keeps its identity in
// state. say hears of the code once; Pair returns when it was typed, when it has ended, or when ctx does. ca is as for
// Enrol. Without it the service may show any authority at first: the code is worked out from that, too, so that it is
// found nowhere where somebody stands between.
func Pair(ctx context.Context, service, state string, ca []byte, facts Facts,
	say func(code string, until time.Time)) (Identity, error) {
	c, id, err := strange(service, state, ca)
	if err != nil {
		return id, err
	}
	var met first
	if ca == nil {
		c.tls.InsecureSkipVerify = true // it is checked here
		c.tls.VerifyConnection = func(cs tls.ConnectionState) error { return c.meets(cs, &met) }
	}
	key, req, err := request(facts.Machine)
	if err != nil {
		return id, err
	}
	nonce := rand.Text()
	var told agentproto.PairAnswer
	if err := c.exchange(ctx, agentproto.PairPath, agentproto.PairRequest{Machine: facts.Machine, System: facts.Platform,
		Request: req, Addresses: facts.Addresses, Follows: true, Commitment: access.CommitTo(nonce)}, &told); err != nil {
		return id, err
	}
	authority := told.Authority // where it was shown none, the service is known by others
	if seen := met.authority(); seen != nil {
		authority = sumOf(seen.Raw)
	}
	if err := c.exchange(ctx, agentproto.ShowPath, agentproto.ShowRequest{Ticket: told.Ticket, Nonce: nonce},
		nil); err != nil {
		return id, err
	}
	say(access.ShownCode(access.PairCode(facts.Machine, []byte(req), authority, nonce, told.Nonce)), told.EndsAt)
	for {
		var answer agentproto.ClaimAnswer
		err := c.exchange(ctx, agentproto.ClaimPath, agentproto.ClaimRequest{Ticket: told.Ticket}, &answer)
		switch {
		case ctx.Err() != nil:
			return id, ctx.Err()
		case err != nil && (final(err) || time.Now().After(told.EndsAt)):
			return id, err
		case err == nil && answer.Given != nil:
			return id.given(*answer.Given, key, met.pem(), state)
		}
		if !sleep(ctx, pairAgain) {
			return id, ctx.Err()
		}
	}
}

// exchange posts a question, and reads the answer into one; nil for none.
func (c *client) exchange(ctx context.Context, path string, ask, into any) error {
	_, body, err := c.post(ctx, path, ask, http.Header{}, 30*time.Second)
	if err != nil || into == nil {
		return err
	}
	return json.Unmarshal(body, into)
}

// first is the authority that a service showed first, where the system's do not know it.
type first struct {
	mu   sync.Mutex
	cert *x509.Certificate // guarded by mu, as is seen
	seen bool              // one was met, of its own or the system's
}

func (f *first) authority() *x509.Certificate {
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.cert
}

// pem gives the authority's certificate; nil where the system's authorities know the service.
func (f *first) pem() *string {
	cert := f.authority()
	if cert == nil {
		return nil
	}
	return new(pemOf(cert))
}

func pemOf(cert *x509.Certificate) string {
	return string(pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: cert.Raw}))
}

// meets holds a connection against the first: the service is known by the system's authorities, or else by the
// authority that it shows itself, which stays the same.
func (c *client) meets(cs tls.ConnectionState, met *first) error {
	met.mu.Lock()
	defer met.mu.Unlock()
	if met.seen {
		if met.cert == nil {
			return c.verify(cs, nil)
		}
		return c.verify(cs, pool(met.cert))
	}
	err := c.verify(cs, nil)
	for _, cert := range cs.PeerCertificates[1:] {
		if err == nil {
			break
		}
		if e := c.verify(cs, pool(cert)); cert.IsCA && e == nil {
			met.cert, err = cert, nil
		}
	}
	if err != nil {
		return fault.New(fault.Invalid, "service-certificate", "name the authority of its certificate with --ca, a PEM file",
			"the service's certificate is vouched for by no authority that this machine knows, and it shows none").Because(err)
	}
	met.seen = true
	return nil
}

func pool(cert *x509.Certificate) *x509.CertPool {
	p := x509.NewCertPool()
	p.AddCert(cert)
	return p
}

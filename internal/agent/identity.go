package agent

import (
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/json"
	"encoding/pem"
	"errors"
	"io/fs"
	"path/filepath"
	"strings"
	"sync/atomic"
	"time"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/internal/agentproto"
	"cirque/internal/whole"
)

// An Identity is what an enrolled machine knows itself and its service by. It lies in one file, so that it is whole.
type Identity struct {
	Service     string `json:"service"`
	Machine     string `json:"machine"`
	Certificate string `json:"certificate"` // PEM
	Key         string `json:"key"`         // PEM, never leaves the machine
	Trust       string `json:"trust"`       // the authority of the service's certificate, PEM; the system's when empty
	AnswerKey   string `json:"answer_key"`  // by which the service's answers are known
}

// ReadIdentity reads what enrolling left in a state directory.
func ReadIdentity(state string) (Identity, error) {
	var id Identity
	if err := ownFile(identityFile(state)); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return id, err
	}
	b, err := whole.Read(identityFile(state))
	if errors.Is(err, fs.ErrNotExist) {
		return id, fault.New(fault.Invalid, "not-enrolled", "enrol it: cirque-agent enrol --service URL --token-file "+
			"FILE; or "+
			"name the service and a token file", "this machine knows no service: it is not enrolled, and no service is named")
	}
	if err != nil {
		return id, err
	}
	err = json.Unmarshal(b, &id)
	if err == nil {
		id.Key, err = unseal(id.Key)
	}
	if err != nil {
		return id, fault.New(fault.Invalid, "identity-broken", "remove it, and enrol the machine again", "%s cannot be read",
			identityFile(state)).Because(err)
	}
	return id, nil
}

func identityFile(state string) string { return filepath.Join(state, "identity.json") }

func (id Identity) save(state string) error {
	if err := ownDirectory(state); err != nil {
		return err
	}
	var err error
	if id.Key, err = seal(id.Key); err != nil {
		return err
	}
	b, err := json.Marshal(id)
	if err != nil {
		return err
	}
	return whole.Write(identityFile(state), b, 0o600)
}

// pair gives the certificate with its key, parsed.
func (id Identity) pair() (tls.Certificate, error) {
	pair, err := tls.X509KeyPair([]byte(id.Certificate), []byte(id.Key))
	if err == nil && pair.Leaf == nil {
		pair.Leaf, err = x509.ParseCertificate(pair.Certificate[0])
	}
	return pair, err
}

// Lasts gives when the certificate was issued and when it ends.
func (id Identity) Lasts() (from, until time.Time, err error) {
	pair, err := id.pair()
	if err != nil {
		return from, until, err
	}
	return pair.Leaf.NotBefore, pair.Leaf.NotAfter, nil
}

// request makes a new key, and a certificate request for it.
func request(machine string) (key, req string, err error) {
	k, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return "", "", err
	}
	der, err := x509.MarshalPKCS8PrivateKey(k)
	if err != nil {
		return "", "", err
	}
	csr, err := x509.CreateCertificateRequest(rand.Reader,
		&x509.CertificateRequest{Subject: pkix.Name{CommonName: machine}}, k)
	if err != nil {
		return "", "", err
	}
	return string(pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: der})),
		string(pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE REQUEST", Bytes: csr})), nil
}

// Enrol has a machine certified with an enrolment token, and keeps its identity in state. ca is the authority of the
// service's certificate, where the token's own word is not to count; nil else.
func Enrol(ctx context.Context, service, token, state string, ca []byte, facts Facts) (Identity, error) {
	c, id, err := strange(service, state, ca)
	if err != nil {
		return id, err
	}
	var met atomic.Pointer[string]
	_, pin, pinned := strings.Cut(strings.TrimSpace(token), ".")
	if pinned && ca == nil {
		c.pin(pin, func(authority string) { met.Store(&authority) })
	}
	key, req, err := request(facts.Machine)
	if err != nil {
		return id, err
	}
	var answer agentproto.EnrolAnswer
	err = c.exchange(ctx, agentproto.EnrolPath, agentproto.EnrolRequest{Token: strings.TrimSpace(token),
		Machine: facts.Machine, Request: req, Addresses: facts.Addresses, Follows: true}, &answer)
	if unknown := (x509.UnknownAuthorityError{}); errors.As(err, &unknown) {
		return id, fault.New(fault.Unavailable, "service-certificate", "check the address, or have another token made "+
			"there: cirque enrol token NAME", "%s is not the service that the token is of, or somebody stands between",
			service).Because(err)
	}
	if err != nil {
		return id, err
	}
	return id.given(answer, key, met.Load(), state)
}

// strange makes the client of a machine that is not enrolled, and the beginning of its identity.
func strange(service, state string, ca []byte) (*client, Identity, error) {
	id := Identity{Service: service, Trust: string(ca)}
	if !strings.HasPrefix(service, "https://") {
		return nil, id, fault.New(fault.Invalid, "service-url", "write https://HOST:PORT", "enrolling goes over TLS, and "+
			"%q does not", service)
	}
	if _, err := whole.Read(identityFile(state)); err == nil {
		return nil, id, fault.New(fault.Conflict, "enrolled-already", "to begin anew, have it revoked (cirque enrol revoke) "+
			"and remove "+identityFile(state), "this machine is enrolled already")
	}
	c, err := newClient(service, "", ca)
	return c, id, err
}

// given takes what the service gave for a key, and keeps it; met is the authority that the service showed, where that
// is how it is known.
func (id Identity) given(answer agentproto.EnrolAnswer, key string, met *string, state string) (Identity, error) {
	id.Machine, id.Certificate, id.Key, id.AnswerKey = answer.Machine, answer.Certificate, key, answer.AnswerKey
	if met != nil {
		id.Trust = *met
	}
	if id.Trust != "" && answer.Authority != "" {
		id.Trust = answer.Authority
	}
	if _, err := id.pair(); err != nil {
		return id, fault.New(fault.Unavailable, "certificate", "look at the service's log", "the service's certificate "+
			"cannot be used").Because(err)
	}
	return id, id.save(state)
}

// pin has the client know the service by its authority's certificate, whose SHA-256 it was told, and by the system's
// authorities where the service shows another chain. met hears of the authority.
func (c *client) pin(fingerprint string, met func(authority string)) {
	conf := c.tls
	conf.InsecureSkipVerify = true // it is checked here
	conf.VerifyConnection = func(cs tls.ConnectionState) error {
		var roots *x509.CertPool
		for _, cert := range cs.PeerCertificates[1:] {
			if strings.EqualFold(sumOf(cert.Raw), fingerprint) {
				roots = pool(cert)
				defer met(pemOf(cert))
			}
		}
		return c.verify(cs, roots)
	}
}

// as has the client speak as an enrolled machine.
func (c *client) as(id Identity) error {
	pair, err := id.pair()
	if err != nil {
		return fault.New(fault.Invalid, "identity-broken", "enrol the machine again", "the machine's certificate "+
			"cannot be used").Because(err)
	}
	c.identity.Store(&pair)
	c.tls.GetClientCertificate = func(*tls.CertificateRequestInfo) (*tls.Certificate, error) {
		return c.identity.Load(), nil
	}
	return nil
}

// renewAgain is how long after a failed renewal the next is tried.
const renewAgain = 10 * time.Minute

// renewIfDue has the certificate renewed once a third of its life is left. The former one is good until it ends.
func (a *Agent) renewIfDue(ctx context.Context) {
	if a.identity == nil || time.Now().Before(a.renewAt) {
		return
	}
	from, until, err := a.identity.Lasts()
	if err != nil || !access.Renews(from, until, time.Now()) && !a.moves() {
		return
	}
	if err := a.renew(ctx); err != nil {
		a.renewAt = time.Now().Add(renewAgain)
		a.cfg.Log.Warn("the certificate could not be renewed", "until", until, "error", err)
		return
	}
	a.moveAt = time.Time{}
	a.cfg.Log.Info("the certificate was renewed")
}

func (a *Agent) renew(ctx context.Context) error {
	key, req, err := request(a.identity.Machine)
	if err != nil {
		return err
	}
	var answer agentproto.EnrolAnswer
	if err := a.client.exchange(ctx, agentproto.RenewPath, agentproto.RenewRequest{Request: req, Follows: true},
		&answer); err != nil {
		return err
	}
	next := *a.identity
	next.Certificate, next.Key = answer.Certificate, key
	if next.AnswerKey == "" { // enrolled at an older service
		next.AnswerKey = answer.AnswerKey
	}
	if _, err := next.pair(); err != nil {
		return err
	}
	if next.Trust != "" && answer.Authority != "" {
		if err := a.client.trusts([]byte(answer.Authority)); err != nil {
			return err
		}
		next.Trust = answer.Authority
	}
	if err := next.save(a.cfg.State); err != nil {
		return err
	}
	a.identity, a.client.issuer = &next, ""
	a.client.http.CloseIdleConnections() // the next one shows the new certificate
	return a.client.as(next)
}

// Package ldap reads directories over LDAP (RFC 4511), writes printer entries into them, and has them check passwords.
package ldap

import (
	"cmp"
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"net"
	"net/url"
	"time"

	"cirque/internal/probe/dial"

	ber "github.com/go-asn1-ber/asn1-ber"
	"github.com/go-ldap/ldap/v3"

	"cirque/core/directory"
	"cirque/core/fault"
)

// Limits on a directory server's answers: it is somebody else's.
const (
	ldapPacket  = 64 << 20
	ldapPage    = 1000
	ldapEntries = 2_000_000
	ldapWithin  = 30 * time.Second // one request of a paged search
	ldapQuiet   = 60 * time.Second // between two entries of a synchronisation
)

func init() {
	// The library has no other place for it: what a length says is not believed beyond this.
	ber.MaxPacketLengthBytes = ldapPacket
}

// kinds are read in this order: units first, since where the others are follows from them.
var ldapKinds = []string{"unit", "user", "machine", "group"}

// A Dir reads directories over LDAP.
type Dir struct{ out *dial.Dialer }

// NewDir makes a reader whose connections a dialer makes; a nil one goes anywhere.
func NewDir(d *dial.Dialer) *Dir { return &Dir{d} }

// dialog is one connection to a source.
type dialog struct {
	*ldap.Conn
	source directory.Source
	attr   directory.Map
	host   string
	notes  map[string]int
}

// open connects, turns TLS on where it is wanted, and binds. Errors are faults that say in plain words which of it
// failed.
func (d *Dir) open(ctx context.Context, s directory.Source, password string) (*dialog, error) {
	u, err := url.Parse(s.URL)
	if err != nil || u.Hostname() == "" {
		return nil, fault.New(fault.Invalid, "uri-invalid", "write ldaps://HOST", "%q is no address of a directory", s.URL)
	}
	port := cmp.Or(u.Port(), map[string]string{"ldap": "389", "ldaps": "636"}[u.Scheme])
	conf := &tls.Config{ServerName: u.Hostname(), MinVersion: tls.VersionTLS12}
	if s.CA != "" {
		conf.RootCAs = x509.NewCertPool()
		if !conf.RootCAs.AppendCertsFromPEM([]byte(s.CA)) {
			return nil, fault.New(fault.Invalid, "ca-invalid", "give the authority's certificate as PEM",
				"the authority of %s is no certificate", s.Name)
		}
	}
	conn, err := d.out.Dial(ctx, dial.LDAP, "tcp", net.JoinHostPort(u.Hostname(), port), dial.Within)
	if err != nil {
		return nil, ldapFault(u.Host, err)
	}
	if u.Scheme == "ldaps" {
		secure := tls.Client(conn, conf)
		if err := secure.HandshakeContext(ctx); err != nil {
			_ = conn.Close()
			return nil, ldapFault(u.Host, err)
		}
		conn = secure
	}
	l := ldap.NewConn(conn, u.Scheme == "ldaps")
	l.Start()
	l.SetTimeout(ldapWithin)
	out := &dialog{Conn: l, source: s, attr: s.Attributes(), host: u.Host, notes: map[string]int{}}
	if s.StartTLS {
		var refused error
		if err = l.StartTLS(tellingWhy(conf, &refused)); refused != nil {
			err = refused
		}
	}
	if err == nil && s.Bind != "" {
		err = l.Bind(s.Bind, password)
	}
	if err != nil {
		_ = l.Close()
		return nil, ldapFault(u.Host, err)
	}
	return out, nil
}

// tellingWhy makes a configuration that checks certificates as conf does, and keeps why one was refused: the LDAP
// library hands on nothing but the words.
func tellingWhy(conf *tls.Config, refused *error) *tls.Config {
	c := conf.Clone()
	c.InsecureSkipVerify = true // it is checked here
	c.VerifyConnection = func(cs tls.ConnectionState) error {
		opts := x509.VerifyOptions{Roots: conf.RootCAs, DNSName: conf.ServerName, Intermediates: x509.NewCertPool()}
		for _, between := range cs.PeerCertificates[1:] {
			opts.Intermediates.AddCert(between)
		}
		_, *refused = cs.PeerCertificates[0].Verify(opts)
		return *refused
	}
	return c
}

func ldapFault(host string, err error) error {
	if f := (*fault.Error)(nil); errors.As(err, &f) {
		return err
	}
	is := func(code uint16) bool { return ldap.IsErrorWithCode(err, code) }
	switch {
	case is(ldap.LDAPResultInvalidCredentials), is(ldap.ErrorEmptyPassword):
		return fault.New(fault.Denied, "sign-in-refused", "check the account and its password",
			"%s refuses the account that reads", host).Because(err)
	case is(ldap.LDAPResultInsufficientAccessRights), is(ldap.LDAPResultInappropriateAuthentication):
		return fault.New(fault.Denied, "forbidden", "give the account the right to read, or name one",
			"%s does not let this account read there", host).Because(err)
	case is(ldap.LDAPResultConfidentialityRequired), is(ldap.LDAPResultStrongAuthRequired):
		return fault.New(fault.Unavailable, "wants-tls", "write ldaps://, or set start_tls", "%s wants TLS",
			host).Because(err)
	case is(ldap.LDAPResultNoSuchObject):
		return fault.New(fault.Invalid, "base-not-found", "check the base: nothing is there, or this account may not see it",
			"%s has nothing at the base", host).Because(err)
	case is(ldap.LDAPResultInvalidDNSyntax):
		return fault.New(fault.Invalid, "dn-invalid", "write it such as dc=skerry,dc=example", "%s does not take base or "+
			"account for a DN", host).Because(err)
	case is(ldap.ErrorFilterCompile):
		return fault.New(fault.Invalid, "filter-invalid", "write filters as RFC 4515 has them, such as (objectClass=person)",
			"a filter cannot be understood").Because(err)
	case is(ldap.LDAPResultSizeLimitExceeded):
		return fault.New(fault.Unavailable, "size-limit", "let the account that reads have more (the total, not "+
			"only the page)", "%s gives no more entries to this account", host).Because(err)
	case is(ldap.LDAPResultProtocolError), is(ldap.LDAPResultUnavailable), is(ldap.LDAPResultUnwillingToPerform),
		is(ldap.LDAPResultBusy):
		return fault.New(fault.Unavailable, "directory-refused", "look at the directory's log",
			"%s does not do that just now", host).Because(err)
	}
	f := fault.As(dial.Explain(host, err))
	switch f.Code {
	case "certificate":
		f.Fix = "give the authority of its certificate, or check that the certificate names this host"
	case "refused":
		f.Fix = "check that it is on, and the port"
	case "not-ipp", "broke-off":
		return fault.New(fault.Unavailable, "broke-off", "try again; where it goes on, look at the directory's log",
			"%s broke off", host).Because(err)
	}
	return f
}

// TryLDAP connects, binds and looks at the base: it gives a few of each kind, and says plainly what is wrong.
func (d *Dir) TryLDAP(ctx context.Context, s directory.Source, password string) ([]directory.Entry, error) {
	c, err := d.open(ctx, s, password)
	if err != nil {
		return nil, err
	}
	defer func() { _ = c.Close() }()
	defer context.AfterFunc(ctx, func() { _ = c.Close() })()
	if _, err := c.Search(ldap.NewSearchRequest(s.Base, ldap.ScopeBaseObject, ldap.NeverDerefAliases, 1, 0, false,
		"(objectClass=*)", []string{"1.1"}, nil)); err != nil {
		return nil, ldapFault(c.host, err)
	}
	out := []directory.Entry{}
	for _, kind := range ldapKinds[1:] {
		const few = 5
		req := c.request(kind, c.filter(kind))
		req.SizeLimit = few
		r, err := c.Search(req)
		if err != nil && (r == nil || !ldap.IsErrorWithCode(err, ldap.LDAPResultSizeLimitExceeded)) {
			return nil, ldapFault(c.host, err)
		}
		for _, e := range r.Entries {
			if one, ok := c.entry(kind, e, ""); ok && len(out) < 3*few {
				out = append(out, one)
			}
		}
	}
	return out, nil
}

// ReadLDAP reads a whole source: by content synchronisation where the server offers it, so that later passes need only
// what has changed; else page by page. tell hears how many entries have been read.
func (d *Dir) ReadLDAP(ctx context.Context, s directory.Source, password string,
	tell func(read int)) (directory.Pass, error) {
	return d.pass(ctx, s, password, directory.Mark{}, tell)
}

// ChangesLDAP reads what has changed since a mark: by content synchronisation, or by the time of change, which does not
// tell what is gone.
func (d *Dir) ChangesLDAP(ctx context.Context, s directory.Source, password string, since directory.Mark,
	tell func(read int)) (directory.Pass, error) {
	return d.pass(ctx, s, password, since, tell)
}

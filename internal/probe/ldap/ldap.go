// Package ldap reads directories over LDAP (RFC 4511), writes printer entries into them, and has them check passwords.
package ldap

import (
	"cmp"
	"context"
	"crypto/tls"
	"crypto/x509"
	"encoding/hex"
	"errors"
	"fmt"
	"net"
	"net/url"
	"slices"
	"strings"
	"time"

	"cirque/internal/probe/dial"

	ber "github.com/go-asn1-ber/asn1-ber"
	"github.com/go-ldap/ldap/v3"

	"cirque/core/directory"
	"cirque/core/fault"
	"cirque/core/name"
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
type Dir struct{ table dial.AddressTable }

// NewDir makes a reader that goes by a table, which may be nil.
func NewDir(t dial.AddressTable) *Dir { return &Dir{t} }

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
	conn, err := d.table.Dial(ctx, "tcp", net.JoinHostPort(u.Hostname(), port), dial.Within)
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

func (d *dialog) filter(kind string) string {
	switch kind {
	case "user":
		return d.attr.UserFilter
	case "group":
		return d.attr.GroupFilter
	case "machine":
		return d.attr.MachineFilter
	}
	return "(objectClass=organizationalUnit)"
}

// wanted are the attributes that are read of a kind.
func (d *dialog) wanted(kind string) []string {
	list := []string{d.attr.ID, d.attr.Changed}
	switch kind {
	case "user":
		list = append(list, d.attr.UserName, d.attr.DisplayName, d.attr.Email, d.attr.Employee)
	case "group":
		list = append(list, d.attr.GroupName, d.attr.Members, d.attr.MemberNames)
	case "machine":
		list = append(list, d.attr.MachineName)
	}
	return strings.Fields(strings.Join(list, " "))
}

func (d *dialog) request(kind, filter string) *ldap.SearchRequest {
	return ldap.NewSearchRequest(d.source.Base, ldap.ScopeWholeSubtree, ldap.NeverDerefAliases, 0, 0, false, filter,
		d.wanted(kind), nil)
}

// first gives the first value of the first attribute that has one.
func first(e *ldap.Entry, attributes string) string {
	for a := range strings.FieldsSeq(attributes) {
		if v := e.GetEqualFoldAttributeValue(a); v != "" {
			return v
		}
	}
	return ""
}

// entry reads one entry; ok is false for one that has no usable name or id, which is noted.
func (d *dialog) entry(kind string, e *ldap.Entry, id string) (out directory.Entry, ok bool) {
	out = directory.Entry{ID: cmp.Or(id, idOf(e, d.attr.ID)), DN: normalDN(e.DN), Kind: kind, Unit: unitOf(e.DN)}
	switch kind {
	case "user":
		out.Name, out.DisplayName, out.Email, out.Employee = first(e, d.attr.UserName), first(e, d.attr.DisplayName),
			first(e, d.attr.Email), first(e, d.attr.Employee)
	case "machine":
		out.Name = strings.TrimSuffix(first(e, d.attr.MachineName), "$")
	case "group":
		out.Name = first(e, d.attr.GroupName)
	case "unit":
		out.Name = "unit"
	}
	if out.ID == "" || !name.Valid(out.Name) {
		d.notes["have no usable name or id, and were left out: "+kind+"s"]++
		return out, false
	}
	return out, true
}

// idOf writes an id as text: as it is where it is text, as hex where it is bytes.
func idOf(e *ldap.Entry, attribute string) string {
	raw := e.GetEqualFoldRawAttributeValue(attribute)
	for _, c := range raw {
		if c < ' ' || c > '~' {
			return hex.EncodeToString(raw)
		}
	}
	return string(raw)
}

// members reads a group's members, those of further ranges included: some servers give a large group's a part at a
// time, as member;range=0-1499.
func (d *dialog) members(ctx context.Context, e *ldap.Entry) ([]directory.Member, error) {
	var out []directory.Member
	add := func(values []string) {
		for _, dn := range values {
			m := directory.Member{DN: normalDN(dn)}
			// Somebody outside of the base: a uid is a name.
			if k, v, _ := strings.Cut(rdns(dn)[0], "="); strings.EqualFold(strings.TrimSpace(k), d.attr.UserName) &&
				name.Valid(unescape(v)) {
				m.Name = "user:" + unescape(strings.TrimSpace(v))
			}
			out = append(out, m)
		}
	}
	for a := range strings.FieldsSeq(d.attr.Members) {
		add(e.GetEqualFoldAttributeValues(a))
		for next := rangeAfter(e, a, add); next != ""; {
			if ctx.Err() != nil {
				return out, ctx.Err()
			}
			r, err := d.Search(ldap.NewSearchRequest(e.DN, ldap.ScopeBaseObject, ldap.NeverDerefAliases, 1, 0, false,
				"(objectClass=*)", []string{a + ";range=" + next + "-*"}, nil))
			if err != nil || len(r.Entries) != 1 {
				return out, err
			}
			was := next
			if next = rangeAfter(r.Entries[0], a, add); next == was {
				break // it gives the same again
			}
		}
	}
	for a := range strings.FieldsSeq(d.attr.MemberNames) {
		for _, v := range e.GetEqualFoldAttributeValues(a) {
			if name.Valid(v) {
				out = append(out, directory.Member{Name: "user:" + v})
			}
		}
	}
	return out, nil
}

// rangeAfter takes the values of a ranged attribute, and gives where the next range begins; "" after the last.
func rangeAfter(e *ldap.Entry, attribute string, add func([]string)) string {
	for _, a := range e.Attributes {
		base, option, ok := strings.Cut(strings.ToLower(a.Name), ";range=")
		if !ok || base != strings.ToLower(attribute) {
			continue
		}
		add(a.Values)
		_, to, _ := strings.Cut(option, "-")
		var n int
		if _, err := fmt.Sscanf(to, "%d", &n); err != nil || to == "*" || n < 0 || n > 50_000_000 {
			return ""
		}
		return fmt.Sprint(n + 1)
	}
	return ""
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

func (d *Dir) pass(ctx context.Context, s directory.Source, password string, since directory.Mark,
	tell func(read int)) (directory.Pass, error) {
	c, err := d.open(ctx, s, password)
	if err != nil {
		return directory.Pass{}, err
	}
	defer func() { _ = c.Close() }()
	defer context.AfterFunc(ctx, func() { _ = c.Close() })()
	sync := c.offers(ldap.ControlTypeSyncRequest) && (since.Zero() || len(since.Cookies) > 0)
	out, err := c.all(ctx, since, sync, tell)
	if sync && since.Zero() && slices.ContainsFunc([]uint16{ldap.LDAPResultSizeLimitExceeded,
		ldap.LDAPResultUnavailableCriticalExtension, ldap.LDAPResultInsufficientAccessRights,
		ldap.LDAPResultUnwillingToPerform}, func(code uint16) bool {
		return ldap.IsErrorWithCode(err, code)
	}) {
		out, err = c.all(ctx, since, false, tell) // not for this account: page by page
	}
	switch {
	case ctx.Err() != nil:
		return out, fault.New(fault.Unavailable, "stopped", "start it again", "the reading of %s was stopped", s.Name)
	case ldap.IsErrorWithCode(err, ldap.LDAPResultSyncRefreshRequired):
		return out, fault.New(fault.Conflict, "refresh-required", "read the whole source", "%s remembers too little to "+
			"tell what has changed", c.host).Because(err)
	case err != nil:
		return out, ldapFault(c.host, err)
	}
	return out, nil
}

// all reads each kind, from a mark on.
func (d *dialog) all(ctx context.Context, since directory.Mark, sync bool,
	tell func(read int)) (directory.Pass, error) {
	out := directory.Pass{Kinds: map[string]bool{}, Mark: directory.Mark{Stamp: since.Stamp}}
	if sync {
		out.Mark.Cookies = map[string][]byte{}
	}
	clear(d.notes)
	for _, kind := range ldapKinds {
		read := func(e *ldap.Entry, id string) error {
			one, ok := d.entry(kind, e, id)
			if ok && kind == "group" {
				var err error
				if one.Members, err = d.members(ctx, e); err != nil {
					return err
				}
			}
			if ok {
				out.Entries = append(out.Entries, one)
			}
			if v := first(e, d.attr.Changed); v > out.Mark.Stamp {
				out.Mark.Stamp = v
			}
			if len(out.Entries) > ldapEntries {
				return fault.New(fault.TooLarge, "directory-large", "narrow the base or the filters", "%s holds over %d entries",
					d.host, ldapEntries)
			}
			if tell != nil && len(out.Entries)%500 == 0 {
				tell(len(out.Entries))
			}
			return nil
		}
		var err error
		if sync {
			err = d.synchronise(ctx, kind, since.Cookies[kind], &out, read)
		} else {
			err = d.page(ctx, kind, since, read)
		}
		if err != nil {
			return out, err
		}
	}
	if since.Zero() {
		out.Present = make(map[string]bool, len(out.Entries))
		for _, e := range out.Entries {
			out.Present[e.ID] = true
		}
		for _, kind := range ldapKinds {
			out.Kinds[kind] = true
		}
	}
	for what, n := range d.notes {
		out.Notes = append(out.Notes, fmt.Sprintf("%d %s", n, what))
	}
	slices.Sort(out.Notes)
	return out, nil
}

// offers says whether the server knows a control.
func (d *dialog) offers(control string) bool {
	r, err := d.Search(ldap.NewSearchRequest("", ldap.ScopeBaseObject, ldap.NeverDerefAliases, 1, 0, false,
		"(objectClass=*)", []string{"supportedControl"}, nil))
	return err == nil && len(r.Entries) == 1 &&
		slices.Contains(r.Entries[0].GetAttributeValues("supportedControl"), control)
}

// page reads one kind page by page: all, or what has changed since a stamp.
func (d *dialog) page(ctx context.Context, kind string, since directory.Mark, read func(*ldap.Entry,
	string) error) error {
	filter := d.filter(kind)
	if since.Stamp != "" {
		filter = "(&" + filter + "(" + d.attr.Changed + ">=" + ldap.EscapeFilter(since.Stamp) + "))"
	}
	req := d.request(kind, filter)
	paging := ldap.NewControlPaging(ldapPage)
	req.Controls = []ldap.Control{paging}
	for {
		r, err := d.Search(req)
		if err != nil {
			return err
		}
		for _, e := range r.Entries {
			if err := read(e, ""); err != nil {
				return err
			}
		}
		next, ok := ldap.FindControl(r.Controls, ldap.ControlTypePaging).(*ldap.ControlPaging)
		if !ok || len(next.Cookie) == 0 {
			return nil
		}
		if ctx.Err() != nil {
			return ctx.Err()
		}
		paging.SetCookie(next.Cookie)
	}
}

// synchronise reads one kind by content synchronisation (RFC 4533, refresh only) from a cookie on, or all of it.
func (d *dialog) synchronise(ctx context.Context, kind string, cookie []byte, out *directory.Pass,
	read func(*ldap.Entry, string) error) error {
	d.SetTimeout(0)
	defer d.SetTimeout(ldapWithin)
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	// A server that falls silent is left.
	quiet := time.AfterFunc(ldapQuiet, func() { _ = d.Close() })
	defer quiet.Stop()
	r := d.Syncrepl(ctx, d.request(kind, d.filter(kind)), 256, ldap.SyncRequestModeRefreshOnly, cookie, false)
	present := map[string]bool{}
	began, deletes := len(out.Entries), len(cookie) == 0
	done := false
	for r.Next() {
		quiet.Reset(ldapQuiet)
		for _, ctl := range r.Controls() {
			switch v := ctl.(type) {
			case *ldap.ControlSyncState:
				id := v.EntryUUID.String()
				switch v.State {
				case ldap.SyncStateDelete:
					out.Gone = append(out.Gone, id)
				case ldap.SyncStatePresent:
					present[id] = true
				default:
					if e := r.Entry(); e != nil {
						if !strings.EqualFold(d.attr.ID, "entryUUID") {
							id = ""
						}
						if err := read(e, id); err != nil {
							return err
						}
					}
				}
			case *ldap.ControlSyncInfo:
				if set := v.SyncIdSet; set != nil {
					for _, u := range set.SyncUUIDs {
						if set.RefreshDeletes {
							out.Gone = append(out.Gone, u.String())
						} else {
							present[u.String()] = true
						}
					}
				}
				if b := cookieOf(v); len(b) > 0 {
					out.Mark.Cookies[kind] = b
				}
				deletes = deletes || v.RefreshDelete != nil
			case *ldap.ControlSyncDone:
				done = true
				deletes = deletes || v.RefreshDeletes
				if len(v.Cookie) > 0 {
					out.Mark.Cookies[kind] = v.Cookie
				}
			}
		}
	}
	if err := r.Err(); err != nil {
		return err
	}
	if !done {
		return fault.New(fault.Unavailable, "broke-off", "try again; where it goes on, look at the directory's log",
			"%s broke off in the middle of its %ss", d.host, kind)
	}
	if out.Mark.Cookies[kind] == nil {
		out.Mark.Cookies[kind] = cookie // an empty one means: keep the old
	}
	if len(cookie) > 0 && !deletes {
		// It told what is there rather than what is gone.
		for _, e := range out.Entries[began:] {
			present[e.ID] = true
		}
		if out.Present == nil {
			out.Present = map[string]bool{}
		}
		for id := range present {
			out.Present[id] = true
		}
		out.Kinds[kind] = true
	}
	return nil
}

func cookieOf(v *ldap.ControlSyncInfo) []byte {
	switch {
	case v.NewCookie != nil:
		return v.NewCookie.Cookie
	case v.RefreshDelete != nil:
		return v.RefreshDelete.Cookie
	case v.RefreshPresent != nil:
		return v.RefreshPresent.Cookie
	case v.SyncIdSet != nil:
		return v.SyncIdSet.Cookie
	}
	return nil
}

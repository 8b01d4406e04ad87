package ldap

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/go-ldap/ldap/v3"

	"cirque/core/advert"
	"cirque/core/directory"
	"cirque/core/fault"
)

// entryDN is the DN of a queue's entry.
func entryDN(under, queue string) string {
	return "printer-name=" + ldap.EscapeDN(queue) + "," + under
}

// TryListLDAP finds out whether printer entries (RFC 7612) can be written where a source says, by writing one and
// taking it away again.
func (d *Dir) TryListLDAP(ctx context.Context, s directory.Source, password string) error {
	l, err := d.open(ctx, s, password)
	if err != nil {
		return err
	}
	defer func() { _ = l.Close() }()
	defer context.AfterFunc(ctx, func() { _ = l.Close() })()
	if _, err := l.Search(ldap.NewSearchRequest(s.ListUnder, ldap.ScopeBaseObject, ldap.NeverDerefAliases, 1, 0, false,
		"(objectClass=*)", []string{"1.1"}, nil)); err != nil {
		f := fault.As(ldapFault(l.host, err))
		if f.Code == "base-not-found" {
			return fault.New(fault.Invalid, "list-under", "make it first, or name another: it is where the entries go",
				"%s has nothing at %s", l.host, s.ListUnder).Because(err)
		}
		return f
	}
	name := "cirque-try-" + strings.ToLower(rand.Text()[:8])
	dn := entryDN(s.ListUnder, name)
	add := ldap.NewAddRequest(dn, nil)
	add.Attribute("objectClass", advert.Classes())
	add.Attribute("printer-name", []string{name})
	if err := l.Add(add); err != nil {
		return listFault(l.host, s, err)
	}
	if err := l.Del(ldap.NewDelRequest(dn, nil)); err != nil {
		return listFault(l.host, s, err)
	}
	return nil
}

func listFault(host string, s directory.Source, err error) error {
	switch {
	case ldap.IsErrorWithCode(err, ldap.LDAPResultInsufficientAccessRights):
		return fault.New(fault.Invalid, "list-forbidden", "give it the right to add, change and remove entries there",
			"%s does not let %s write at %s", host, s.Bind, s.ListUnder).Because(err)
	case ldap.IsErrorWithCode(err, ldap.LDAPResultUndefinedAttributeType), ldap.IsErrorWithCode(err,
		ldap.LDAPResultObjectClassViolation), ldap.IsErrorWithCode(err, ldap.LDAPResultInvalidAttributeSyntax),
		ldap.IsErrorWithCode(err, ldap.LDAPResultNamingViolation):
		return fault.New(fault.Invalid, "list-schema", "load the printer schema of RFC 7612 into the directory",
			"%s does not know printer entries", host).Because(err)
	case ldap.IsErrorWithCode(err, ldap.LDAPResultReferral), ldap.IsErrorWithCode(err, ldap.LDAPResultUnwillingToPerform):
		return fault.New(fault.Invalid, "list-read-only", "name a server that takes changes", "%s does not take changes",
			host).Because(err)
	}
	return ldapFault(host, err)
}

// ListLDAP makes a directory hold exactly the entries, below where the source says. Only entries that mine names are
// changed or removed, and of them only the attributes that are Cirque's. claim is called with a DN before it is
// written, release after it is gone; their errors end the pass.
//
//nolint:funlen // one pass, whose steps share what was listed
func (d *Dir) ListLDAP(ctx context.Context, s directory.Source, password string, entries []advert.Entry, mine []string,
	claim, release func(dn string) error) (advert.Pass, error) {
	out := advert.Pass{Refused: []string{}}
	l, err := d.open(ctx, s, password)
	if err != nil {
		return out, err
	}
	defer func() { _ = l.Close() }()
	defer context.AfterFunc(ctx, func() { _ = l.Close() })()
	found, err := l.SearchWithPaging(ldap.NewSearchRequest(s.ListUnder, ldap.ScopeSingleLevel, ldap.NeverDerefAliases, 0,
		0, false, "(objectClass=printerService)", append([]string{"objectClass"}, advert.Attributes()...), nil), ldapPage)
	if err != nil {
		return out, ldapFault(l.host, err)
	}
	there := map[string]*ldap.Entry{}
	for _, e := range found.Entries {
		there[normalDN(e.DN)] = e
	}
	own := map[string]bool{}
	for _, dn := range mine {
		own[normalDN(dn)] = true
	}
	refuse := func(queue, why string) { out.Refused = append(out.Refused, queue+": "+why) }
	wanted := map[string]bool{}
	for _, e := range entries {
		if e.Lacks != "" {
			refuse(e.Queue, e.Lacks)
			continue
		}
		dn := entryDN(s.ListUnder, e.Queue)
		key := normalDN(dn)
		wanted[key] = true
		has := there[key]
		switch {
		case has != nil && !own[key]:
			refuse(e.Queue, "an entry of that name is there already, which Cirque did not write")
		case has != nil:
			m := differing(has, e)
			if len(m.Changes) == 0 {
				out.Unchanged++
				continue
			}
			if err := l.Modify(m); err != nil {
				if broken(err) {
					return out, ldapFault(l.host, err)
				}
				refuse(e.Queue, ldapWords(err))
				continue
			}
			out.Changed++
		default:
			if err := claim(dn); err != nil {
				return out, err
			}
			add := ldap.NewAddRequest(dn, nil)
			add.Attribute("objectClass", advert.Classes())
			for _, a := range advert.Attributes() {
				if v := e.Attributes[a]; len(v) > 0 {
					add.Attribute(a, v)
				}
			}
			if err := l.Add(add); err != nil {
				if broken(err) {
					return out, ldapFault(l.host, err) // it may have been written; the claim stays
				}
				if err := release(dn); err != nil {
					return out, err
				}
				if ldap.IsErrorWithCode(err, ldap.LDAPResultEntryAlreadyExists) {
					refuse(e.Queue, "an entry of that name is there already, which Cirque did not write")
				} else {
					refuse(e.Queue, ldapWords(err))
				}
				continue
			}
			out.Added++
		}
	}
	for _, dn := range mine {
		if wanted[normalDN(dn)] {
			continue
		}
		if there[normalDN(dn)] != nil { // what has become something else is no longer Cirque's
			if err := l.Del(ldap.NewDelRequest(dn, nil)); err != nil && !ldap.IsErrorWithCode(err, ldap.LDAPResultNoSuchObject) {
				if broken(err) {
					return out, ldapFault(l.host, err)
				}
				refuse(dn, ldapWords(err))
				continue
			}
			out.Removed++
		}
		if err := release(dn); err != nil {
			return out, err
		}
	}
	return out, nil
}

// broken says whether nothing more can be done on a connection.
func broken(err error) bool {
	return ldap.IsErrorWithCode(err, ldap.ErrorNetwork) || ldap.IsErrorWithCode(err, ldap.LDAPResultBusy) ||
		ldap.IsErrorWithCode(err, ldap.LDAPResultUnavailable)
}

func ldapWords(err error) string {
	if e, ok := errors.AsType[*ldap.Error](err); ok {
		return fmt.Sprintf("the directory answers %s", ldap.LDAPResultCodeMap[e.ResultCode])
	}
	return err.Error()
}

// differing makes the change that brings an entry into line, of Cirque's own attributes alone.
func differing(has *ldap.Entry, want advert.Entry) *ldap.ModifyRequest {
	m := ldap.NewModifyRequest(has.DN, nil)
	for _, a := range advert.Attributes() {
		if a == "printer-name" {
			continue // the RDN
		}
		is := slices.Clone(has.GetEqualFoldAttributeValues(a))
		slices.Sort(is)
		if !slices.Equal(is, want.Attributes[a]) {
			m.Replace(a, want.Attributes[a]) // with no value it goes
		}
	}
	return m
}

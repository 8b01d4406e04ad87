package ldap

import (
	"context"
	"strings"

	"github.com/go-ldap/ldap/v3"

	"cirque/core/advert"
	"cirque/core/directory"
)

// FindPrinters looks for printer entries (RFC 7612) anywhere in a directory, at most so many; more says that there are
// others.
func (d *Dir) FindPrinters(ctx context.Context, s directory.Source, password string, seek advert.Seek,
	most int) (out []advert.Found, more bool, err error) {
	l, err := d.open(ctx, s, password)
	if err != nil {
		return nil, false, err
	}
	defer func() { _ = l.Close() }()
	defer context.AfterFunc(ctx, func() { _ = l.Close() })()
	base, scope := s.Base, ldap.ScopeWholeSubtree
	if seek.DN != "" {
		if !below(seek.DN, s.Base) {
			return nil, false, nil
		}
		base, scope = seek.DN, ldap.ScopeBaseObject
	}
	found, err := l.Search(ldap.NewSearchRequest(base, scope, ldap.NeverDerefAliases, most+1, 0, false,
		printerFilter(seek), advert.Attributes(), nil))
	if seek.DN != "" && ldap.IsErrorWithCode(err, ldap.LDAPResultNoSuchObject) {
		return nil, false, nil
	}
	if err != nil && !ldap.IsErrorWithCode(err, ldap.LDAPResultSizeLimitExceeded) {
		return nil, false, ldapFault(l.host, err)
	}
	for i, e := range found.Entries {
		if i == most {
			break
		}
		one := func(a string) string { return e.GetEqualFoldAttributeValue(a) }
		f := advert.Found{Source: s.Name, DN: e.DN, Name: one("printer-name"), URI: one("printer-uri"),
			Location: one("printer-location"), Info: one("printer-info"), Model: one("printer-make-and-model"),
			Colour: strings.EqualFold(one("printer-color-supported"), "TRUE")}
		for _, v := range e.GetEqualFoldAttributeValues("printer-sides-supported") {
			f.TwoSided = f.TwoSided || strings.HasPrefix(v, "two-sided")
		}
		out = append(out, f)
	}
	return out, err != nil || len(found.Entries) > most, nil
}

// below says whether an entry lies below another.
func below(dn, base string) bool {
	at, err := ldap.ParseDN(dn)
	if err != nil {
		return false
	}
	from, err := ldap.ParseDN(base)
	return err == nil && from.AncestorOfFold(at)
}

// printerFilter is a search filter (RFC 4515) for what is looked for.
func printerFilter(seek advert.Seek) string {
	in := func(word string, attributes ...string) string {
		var out strings.Builder
		for _, a := range attributes {
			out.WriteString("(" + a + "=*" + ldap.EscapeFilter(word) + "*)")
		}
		return "(|" + out.String() + ")"
	}
	out := "(&(objectClass=printerAbstract)"
	for _, w := range seek.Words {
		out += in(w, "printer-name", "printer-aliases", "printer-info", "printer-location", "printer-make-and-model")
	}
	if seek.Place != "" {
		out += in(seek.Place, "printer-location")
	}
	if seek.Colour {
		out += "(printer-color-supported=TRUE)"
	}
	if seek.TwoSided {
		out += "(|(printer-sides-supported=two-sided-long-edge)(printer-sides-supported=two-sided-short-edge))"
	}
	return out + ")"
}

// RemovePrinter takes one printer entry out of a directory; one that is gone already is well.
func (d *Dir) RemovePrinter(ctx context.Context, s directory.Source, password, dn string) error {
	l, err := d.open(ctx, s, password)
	if err != nil {
		return err
	}
	defer func() { _ = l.Close() }()
	defer context.AfterFunc(ctx, func() { _ = l.Close() })()
	err = l.Del(ldap.NewDelRequest(dn, nil))
	if err != nil && !ldap.IsErrorWithCode(err, ldap.LDAPResultNoSuchObject) {
		return listFault(l.host, s, err)
	}
	return nil
}

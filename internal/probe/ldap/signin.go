package ldap

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/go-ldap/ldap/v3"

	"cirque/core/directory"
	"cirque/core/fault"
	"cirque/core/name"
)

// SignInLDAP finds a source's user by name and has the directory check their password by a simple bind (RFC 4513,
// section 5.1.3). ok is false where there is no such user, or the password is not right. Faults are of the directory,
// and of Cirque's own account there.
func (d *Dir) SignInLDAP(ctx context.Context, s directory.Source, password, called, secret string) (e directory.Entry,
	ok bool, err error) {
	if called == "" || secret == "" || !name.Valid(called) {
		return e, false, nil // an empty password would be a bind as nobody (section 5.1.2)
	}
	l, err := d.open(ctx, s, password)
	if err != nil {
		return e, false, err
	}
	defer func() { _ = l.Close() }()
	stop := context.AfterFunc(ctx, func() { _ = l.Close() })
	defer stop()
	var any strings.Builder
	for attribute := range strings.FieldsSeq(l.attr.UserName) {
		fmt.Fprintf(&any, "(%s=%s)", attribute, ldap.EscapeFilter(called))
	}
	answer, err := l.Search(ldap.NewSearchRequest(s.Base, ldap.ScopeWholeSubtree, ldap.NeverDerefAliases, 10, 0, false,
		"(&"+l.attr.UserFilter+"(|"+any.String()+"))", l.wanted("user"), nil))
	if err != nil {
		return e, false, ldapFault(l.host, err)
	}
	var found []*ldap.Entry
	for _, one := range answer.Entries {
		// The directory may compare more freely than Cirque does.
		if read, usable := l.entry("user", one, ""); usable && name.Fold(read.Name) == name.Fold(called) {
			e, found = read, append(found, one)
		}
	}
	if len(found) != 1 {
		if len(found) > 1 {
			err = fault.New(fault.Conflict, "sign-in-ambiguous", "narrow the source's filter of users",
				"the directory has %d users %q", len(found), called)
		}
		return directory.Entry{}, false, err
	}
	err = l.Bind(found[0].DN, secret)
	if refused := []uint16{ldap.LDAPResultInvalidCredentials, ldap.LDAPResultInappropriateAuthentication,
		ldap.LDAPResultNoSuchObject, ldap.LDAPResultInsufficientAccessRights, ldap.LDAPResultUnwillingToPerform,
		ldap.LDAPResultConstraintViolation}; err != nil && slices.ContainsFunc(refused, func(code uint16) bool {
		return ldap.IsErrorWithCode(err, code)
	}) {
		return directory.Entry{}, false, nil // a wrong password, or an account that is locked or may not bind
	}
	if err != nil {
		return directory.Entry{}, false, ldapFault(l.host, err)
	}
	return e, true, nil
}

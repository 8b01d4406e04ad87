package ldap

import (
	"cmp"
	"context"
	"encoding/hex"
	"fmt"
	"strings"

	"github.com/go-ldap/ldap/v3"

	"cirque/core/directory"
	"cirque/core/name"
)

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

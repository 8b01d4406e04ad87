package ldap

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"cirque/core/directory"
	"cirque/core/fault"
	"cirque/core/name"
	"cirque/internal/ldif"
)

// ReadLDIF turns LDIF into directory records, by the standard schema (RFC 4519, RFC 2798) and the POSIX one (RFC 2307):
// people are entries with a uid; groups are groupOfNames, groupOfUniqueNames and posixGroup; machines are devices;
// units follow from the ou= parts of where an entry stands.
func ReadLDIF(file, text string) (directory.Records, error) {
	records, err := ldif.Parse(text)
	if pe, ok := errors.AsType[*ldif.ParseError](err); ok {
		return directory.Records{}, directory.Invalid([]fault.Detail{{Place: fmt.Sprintf("%s:%d", file, pe.Line),
			What: pe.What}}, 1)
	}
	r := &ldifReader{file: file, byDN: map[string]string{}, seen: map[string]int{}}
	for _, e := range records {
		r.name(e)
	}
	for _, e := range records {
		r.entry(e)
	}
	if len(r.problems) > 0 {
		return directory.Records{}, directory.Invalid(r.problems, len(r.problems))
	}
	return r.out, nil
}

type ldifReader struct {
	file     string
	byDN     map[string]string // normal DN to member, such as user:mira
	seen     map[string]int
	out      directory.Records
	problems []fault.Detail
}

func kindOf(e ldif.Record) (kind, called string) {
	has := func(classes ...string) bool {
		return slices.ContainsFunc(e.All("objectclass"), func(c string) bool {
			return slices.ContainsFunc(classes, func(k string) bool { return strings.EqualFold(c, k) })
		})
	}
	switch {
	case has("groupOfNames", "groupOfUniqueNames", "posixGroup", "groupOfURLs"):
		return "group", e.Get("cn")
	case has("device", "ipHost"):
		return "machine", e.Get("cn")
	case has("inetOrgPerson", "person", "organizationalPerson", "account", "posixAccount") && e.Get("uid") != "":
		return "user", e.Get("uid")
	}
	return "", ""
}

func (r *ldifReader) complain(line int, fix, format string, args ...any) {
	r.problems = append(r.problems, fault.Detail{Place: fmt.Sprintf("%s:%d", r.file, line), What: fmt.Sprintf(format,
		args...), Fix: fix})
}

// name notes who an entry is, so that groups can name members by DN in any order.
func (r *ldifReader) name(e ldif.Record) {
	kind, called := kindOf(e)
	if kind == "" {
		return
	}
	if !name.Valid(called) {
		r.complain(e.Line, "give the entry a cn or uid without control characters",
			"the %s %s has no usable name", kind, e.DN)
		return
	}
	key := kind + " " + name.Fold(called)
	if at, taken := r.seen[key]; taken {
		r.complain(e.Line, "leave one of the two out", "the %s %q is already there, at line %d", kind, called, at)
		return
	}
	r.seen[key] = e.Line
	r.byDN[normalDN(e.DN)] = kind + ":" + called
}

func (r *ldifReader) entry(e ldif.Record) {
	switch kind, called := kindOf(e); kind {
	case "user":
		r.out.Users = append(r.out.Users, directory.User{Name: called, DisplayName: cmp.Or(e.Get("displayname"), e.Get("cn")),
			Email: e.Get("mail"), Unit: unitOf(e.DN), ExternalID: e.Get("entryuuid")})
	case "machine":
		r.out.Machines = append(r.out.Machines, directory.Machine{Name: called, Unit: unitOf(e.DN),
			ExternalID: e.Get("entryuuid")})
	case "group":
		g := directory.Group{Name: called, ExternalID: e.Get("entryuuid")}
		for _, a := range e.Attributes {
			switch a.Name {
			case "member", "uniquemember":
				if m, ok := r.byDN[normalDN(a.Value)]; ok {
					g.Members = append(g.Members, m)
				} else if k, v, _ := strings.Cut(rdns(a.Value)[0], "="); strings.EqualFold(strings.TrimSpace(k), "uid") &&
					name.Valid(unescape(v)) {
					g.Members = append(g.Members, "user:"+unescape(v)) // somebody outside this file
				}
			case "memberuid":
				if name.Valid(a.Value) {
					g.Members = append(g.Members, "user:"+a.Value)
				}
			}
		}
		r.out.Groups = append(r.out.Groups, g)
	}
}

// rdns splits a DN at its unescaped commas (RFC 4514).
func rdns(dn string) []string {
	var out []string
	start := 0
	for i := 0; i < len(dn); i++ {
		switch dn[i] {
		case '\\':
			i++
		case ',':
			out = append(out, strings.TrimSpace(dn[start:i]))
			start = i + 1
		}
	}
	return append(out, strings.TrimSpace(dn[start:]))
}

func normalDN(dn string) string {
	parts := rdns(dn)
	for i, p := range parts {
		k, v, _ := strings.Cut(p, "=")
		parts[i] = strings.TrimSpace(k) + "=" + strings.TrimSpace(v)
	}
	return name.Fold(strings.Join(parts, ","))
}

// unescape takes RFC 4514's escapes out of a value.
func unescape(v string) string {
	var b strings.Builder
	for i := 0; i < len(v); i++ {
		if v[i] == '\\' && i+1 < len(v) {
			if i+2 < len(v) {
				if c, err := strconv.ParseUint(v[i+1:i+3], 16, 8); err == nil {
					b.WriteByte(byte(c))
					i += 2
					continue
				}
			}
			i++
		}
		b.WriteByte(v[i])
	}
	return b.String()
}

// unitOf makes a unit's path of the ou= parts above an entry, the outermost first.
func unitOf(dn string) string {
	var names []string
	for _, rdn := range rdns(dn)[1:] {
		k, v, _ := strings.Cut(rdn, "=")
		if strings.EqualFold(strings.TrimSpace(k), "ou") {
			names = append(names, strings.ReplaceAll(unescape(strings.TrimSpace(v)), "/", `\/`))
		}
	}
	slices.Reverse(names)
	return strings.Join(names, "/")
}

package ldap_test

import (
	"fmt"
	"net"
	"slices"
	"strings"
	"testing"

	ber "github.com/go-asn1-ber/asn1-ber"
	"github.com/go-ldap/ldap/v3"

	"cirque/core/directory"
	ldapclient "cirque/internal/probe/ldap"
	"cirque/internal/testkit"
)

// domain answers searches as a domain controller does: binary ids, machines with a trailing $, and the members of a
// large group two at a time, as member;range=0-1. It is no server: no such one can be installed, and its answers are
// public.
func domain(t *testing.T, members int) string {
	t.Helper()
	return "ldap://" + testkit.Listener(t, func(conn net.Conn) { serveDomain(conn, members) })
}

func serveDomain(conn net.Conn, members int) {
	for {
		p, err := ber.ReadPacket(conn)
		if err != nil || len(p.Children) < 2 {
			return
		}
		id, op := p.Children[0].Value.(int64), p.Children[1]
		reply := func(body *ber.Packet) {
			m := ber.NewSequence("")
			m.AppendChild(ber.NewInteger(ber.ClassUniversal, ber.TypePrimitive, ber.TagInteger, id, ""))
			m.AppendChild(body)
			_, _ = conn.Write(m.Bytes()) // whoever asks has gone otherwise
		}
		result := func(tag ber.Tag) {
			r := ber.Encode(ber.ClassApplication, ber.TypeConstructed, tag, nil, "")
			r.AppendChild(ber.NewInteger(ber.ClassUniversal, ber.TypePrimitive, ber.TagEnumerated, 0, ""))
			r.AppendChild(ber.NewString(ber.ClassUniversal, ber.TypePrimitive, ber.TagOctetString, "", ""))
			r.AppendChild(ber.NewString(ber.ClassUniversal, ber.TypePrimitive, ber.TagOctetString, "", ""))
			reply(r)
		}
		entry := func(dn string, attributes map[string][]string) {
			e := ber.Encode(ber.ClassApplication, ber.TypeConstructed, ldap.ApplicationSearchResultEntry, nil, "")
			e.AppendChild(ber.NewString(ber.ClassUniversal, ber.TypePrimitive, ber.TagOctetString, dn, ""))
			list := ber.NewSequence("")
			for name, values := range attributes {
				one, set := ber.NewSequence(""), ber.Encode(ber.ClassUniversal, ber.TypeConstructed, ber.TagSet, nil, "")
				one.AppendChild(ber.NewString(ber.ClassUniversal, ber.TypePrimitive, ber.TagOctetString, name, ""))
				for _, v := range values {
					set.AppendChild(ber.NewString(ber.ClassUniversal, ber.TypePrimitive, ber.TagOctetString, v, ""))
				}
				one.AppendChild(set)
				list.AppendChild(one)
			}
			e.AppendChild(list)
			reply(e)
		}
		const base = "DC=skerry,DC=example"
		ranged := func(from int) (string, []string) {
			var values []string
			for i := from; i < min(from+2, members); i++ {
				values = append(values, fmt.Sprintf("CN=Person %d,OU=Staff,%s", i, base))
			}
			if from+2 >= members {
				return fmt.Sprintf("member;range=%d-*", from), values
			}
			return fmt.Sprintf("member;range=%d-%d", from, from+1), values
		}
		switch op.Tag {
		case ldap.ApplicationBindRequest:
			result(ldap.ApplicationBindResponse)
		case ldap.ApplicationSearchRequest:
			filter, _ := ldap.DecompileFilter(op.Children[6])
			var wanted []string
			for _, a := range op.Children[7].Children {
				wanted = append(wanted, a.Data.String())
			}
			from := -1
			for _, a := range wanted {
				_, _ = fmt.Sscanf(a, "member;range=%d-*", &from)
			}
			switch {
			case from >= 0:
				name, values := ranged(from)
				entry("CN=All,OU=Groups,"+base, map[string][]string{name: values})
			case strings.Contains(filter, "organizationalUnit"):
				entry("OU=Staff,"+base, map[string][]string{"objectGUID": {"\x00unit"}})
			case strings.Contains(filter, "objectClass=user"):
				for i := range members {
					entry(fmt.Sprintf("CN=Person %d,OU=Staff,%s", i, base),
						map[string][]string{"objectGUID": {fmt.Sprintf("\x01\xff%d", i)}, "sAMAccountName": {fmt.Sprintf("person%d", i)},
							"displayName": {fmt.Sprintf("Person %d", i)}, "whenChanged": {"20260302080000.0Z"}})
				}
			case strings.Contains(filter, "objectClass=computer"):
				entry("CN=TILL-07,OU=Tills,"+base, map[string][]string{"objectGUID": {"\x02\x80"}, "sAMAccountName": {"TILL-07$"}})
			case strings.Contains(filter, "objectClass=group"):
				name, values := ranged(0)
				entry("CN=All,OU=Groups,"+base, map[string][]string{"objectGUID": {"\x03\x80"}, "sAMAccountName": {"all"},
					"member": {}, name: values})
			}
			result(ldap.ApplicationSearchResultDone)
		default:
			return
		}
	}
}

// TestLDAPDomain: binary ids are written as hex, a machine's $ is left out, and a group's members are read range by
// range.
func TestLDAPDomain(t *testing.T) {
	t.Parallel()
	for _, members := range []int{1, 2, 3, 7} {
		src := directory.Source{Name: "d", URL: domain(t, members), Base: "DC=skerry,DC=example",
			Preset: directory.PresetDomain, Bind: "reader@skerry.example"}
		p, err := ldapclient.NewDir(nil).ReadLDAP(t.Context(), src, "read me", nil)
		if err != nil {
			t.Fatal(err)
		}
		rows, twice := directory.NewTree(p.Entries).Rows()
		if counts(rows) != fmt.Sprintf("%d users, 1 groups, 1 machines", members) || len(twice) != 0 ||
			p.Mark.Stamp != "20260302080000.0Z" {
			t.Error(counts(rows), twice, p.Mark, p.Notes)
		}
		if m := find(rows, "machine", "TILL-07"); !strings.Contains(m, `"external_id":"0280"`) || !strings.Contains(m,
			`"unit":"Tills"`) {
			t.Error(m)
		}
		g := find(rows, "group", "all")
		if n := strings.Count(g, `"user:person`); n != members {
			t.Errorf("%d of %d members: %s", n, members, g)
		}
		if i := slices.IndexFunc(rows, func(r directory.Row) bool {
			return r.Name == "person0"
		}); i < 0 || rows[i].ExternalID != "01ff30" {
			t.Error(rows)
		}
	}
}

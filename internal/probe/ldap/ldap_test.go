package ldap_test

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/go-ldap/ldap/v3"

	"cirque/core/directory"
	"cirque/core/fault"
	ldapclient "cirque/internal/probe/ldap"
	"cirque/internal/testkit"
)

// manager is a connection that may change entries.
func manager(t *testing.T, s *testkit.Slapd) *ldap.Conn {
	t.Helper()
	l, err := ldap.DialURL(s.URL)
	if err == nil {
		err = l.Bind(s.Manager, s.Password)
	}
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = l.Close() })
	return l
}

func sourceOf(s *testkit.Slapd, account string) directory.Source {
	return directory.Source{Name: "skerry", URL: s.URL, Base: s.Base, Preset: directory.PresetStandard, Bind: account}
}

func counts(rows []directory.Row) string {
	n := map[string]int{}
	for _, r := range rows {
		n[r.Kind]++
	}
	return fmt.Sprintf("%d users, %d groups, %d machines", n["user"], n["group"], n["machine"])
}

// find gives a row by kind and name.
func find(rows []directory.Row, kind, called string) string {
	for _, r := range rows {
		if r.Kind == kind && r.Name == called {
			return string(r.Attributes)
		}
	}
	return ""
}

// TestLDAPWhole: everything is read, by synchronisation and, for an account with limits, page by page; both are the
// same.
func TestLDAPWhole(t *testing.T) {
	t.Parallel()
	s := testkit.NewSlapd(t, testkit.LDIF(2300, 40, 30))
	d := ldapclient.NewDir(nil)
	var told []int
	pass, err := d.ReadLDAP(t.Context(), sourceOf(s, s.Manager), s.Password, func(n int) { told = append(told, n) })
	if err != nil || len(pass.Mark.Cookies) != 4 || len(told) < 4 {
		t.Fatal(len(pass.Entries), pass.Mark, told, err)
	}
	rows, twice := directory.NewTree(pass.Entries).Rows()
	if counts(rows) != "2300 users, 40 groups, 30 machines" || len(twice) != 0 {
		t.Error(counts(rows), twice)
	}
	if u := find(rows, "user", "person-7"); !strings.Contains(u, `"unit":"staff/team-7"`) || !strings.Contains(u,
		`"employee":"1007"`) || !strings.Contains(u, `"display_name":"Person 7"`) {
		t.Error(u)
	}
	if g := find(rows, "group", "group-0"); !strings.Contains(g, `"user:person-0"`) || !strings.Contains(g,
		`"group:group-1"`) {
		t.Error(g)
	}
	limited, err := d.ReadLDAP(t.Context(), sourceOf(s, s.Reader), s.Password, nil)
	if err != nil || len(limited.Mark.Cookies) != 0 || limited.Mark.Stamp == "" {
		t.Fatal(limited.Mark, err)
	}
	paged, _ := directory.NewTree(limited.Entries).Rows()
	if !slices.EqualFunc(rows, paged, func(a, b directory.Row) bool {
		return a.Kind == b.Kind && a.ExternalID == b.ExternalID && string(a.Attributes) == string(b.Attributes)
	}) {
		t.Error("page by page it reads otherwise:", counts(paged))
	}
	ctx, cancel := context.WithCancel(t.Context())
	if _, err := d.ReadLDAP(ctx, sourceOf(s, s.Manager), s.Password, func(n int) { cancel() }); code(err) != "stopped" {
		t.Error("it was stopped, and says", err)
	}
}

// TestLDAPChanges: additions, changes, renames, moves and deletions arrive by synchronisation; after a restart of the
// server, which forgets what was deleted, they still do. By the time of change all but deletions do.
func TestLDAPChanges(t *testing.T) {
	t.Parallel()
	s := testkit.NewSlapd(t, testkit.LDIF(300, 10, 5))
	d := ldapclient.NewDir(nil)
	src := sourceOf(s, s.Manager)
	first, err := d.ReadLDAP(t.Context(), src, s.Password, nil)
	if err != nil {
		t.Fatal(err)
	}
	paged, err := d.ReadLDAP(t.Context(), sourceOf(s, s.Reader), s.Password, nil)
	if err != nil {
		t.Fatal(err)
	}
	tree := directory.NewTree(first.Entries)
	same, err := d.ChangesLDAP(t.Context(), src, s.Password, first.Mark, nil)
	if err != nil || len(same.Entries) != 0 || len(tree.Absent(same)) != 0 {
		t.Fatalf("nothing has changed, and it tells %d and %v: %v", len(same.Entries), tree.Absent(same), err)
	}
	l := manager(t, s)
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	base := s.Base
	must(l.Add(&ldap.AddRequest{DN: "uid=new,ou=staff," + base, Attributes: []ldap.Attribute{{Type: "objectClass",
		Vals: []string{"inetOrgPerson"}}, {Type: "uid", Vals: []string{"new"}}, {Type: "cn", Vals: []string{"New"}},
		{Type: "sn", Vals: []string{"N"}}}}))
	must(l.Modify(&ldap.ModifyRequest{DN: "uid=person-1,ou=team-0,ou=staff," + base,
		Changes: []ldap.Change{{Operation: ldap.ReplaceAttribute, Modification: ldap.PartialAttribute{Type: "mail",
			Vals: []string{"one@skerry.example"}}}}}))
	must(l.ModifyDN(ldap.NewModifyDNRequest("uid=person-2,ou=team-0,ou=staff,"+base, "uid=person-two", true,
		"ou=staff,"+base)))
	must(l.ModifyDN(ldap.NewModifyDNRequest("cn=group-3,ou=groups,"+base, "cn=group-three", true, "")))
	must(l.Del(ldap.NewDelRequest("uid=person-299,ou=team-0,ou=staff,"+base, nil)))
	must(l.Modify(&ldap.ModifyRequest{DN: "cn=group-0,ou=groups," + base,
		Changes: []ldap.Change{{Operation: ldap.AddAttribute, Modification: ldap.PartialAttribute{Type: "member",
			Vals: []string{"uid=new,ou=staff," + base}}}}}))
	pass, err := d.ChangesLDAP(t.Context(), src, s.Password, same.Mark, nil)
	if err != nil {
		t.Fatal(err)
	}
	delta := tree.Apply(pass.Entries, tree.Absent(pass))
	var rows []string
	for _, r := range delta.Rows {
		rows = append(rows, r.Kind+":"+r.Name)
	}
	slices.Sort(rows)
	// The groups that list whoever has another name now change with them: group-0 lists person-2, group-2 lists group-3.
	if want := []string{"group:group-0", "group:group-2", "group:group-three", "user:new", "user:person-1",
		"user:person-two"}; !slices.Equal(rows, want) || len(delta.Gone) != 1 || delta.Gone[0].Name != "person-299" ||
		delta.Whole {
		t.Errorf("rows %v, want %v; gone %+v", rows, want, delta.Gone)
	}
	// This server leaves the old names in member lists; what leads nowhere in the tree goes by the name in it.
	if g := find(delta.Rows, "group", "group-0"); !strings.Contains(g, "user:new") || !strings.Contains(g,
		`"user:person-2"`) {
		t.Error(g)
	}
	whole, err := d.ReadLDAP(t.Context(), src, s.Password, nil)
	must(err)
	want, _ := directory.NewTree(whole.Entries).Rows()
	got, _ := tree.Rows()
	if !slices.EqualFunc(got, want, func(a, b directory.Row) bool {
		return string(a.Attributes) == string(b.Attributes)
	}) {
		t.Error("after the changes the tree is another than a whole reading")
	}
	byTime, err := d.ChangesLDAP(t.Context(), sourceOf(s, s.Reader), s.Password, paged.Mark, nil)
	must(err)
	if names := fmt.Sprint(byTime.Entries); len(byTime.Gone) != 0 || !strings.Contains(names, "person-two") ||
		!strings.Contains(names, "group-three") || !strings.Contains(names, "one@skerry.example") {
		t.Error("by the time of change:", names)
	}
	must(l.Del(ldap.NewDelRequest("uid=person-298,ou=team-0,ou=staff,"+base, nil)))
	s.Stop()
	s.Start()
	after, err := d.ChangesLDAP(t.Context(), src, s.Password, pass.Mark, nil)
	must(err)
	if gone := tree.Absent(after); len(gone) != 1 {
		t.Errorf("after a restart %d are said to be gone (%d entries, present %v)", len(gone), len(after.Entries),
			after.Present != nil)
	}
}

// TestLDAPAnswers: what is wrong with a source is said in plain words.
func TestLDAPAnswers(t *testing.T) {
	t.Parallel()
	s := testkit.NewPlainSlapd(t, testkit.LDIF(20, 2, 2))
	d := ldapclient.NewDir(nil)
	for what, c := range map[string]struct {
		change   func(*directory.Source)
		password string
		code     string
	}{
		"all is well":      {func(*directory.Source) {}, s.Password, ""},
		"a wrong password": {func(*directory.Source) {}, "wrong", "sign-in-refused"},
		"no password":      {func(*directory.Source) {}, "", "sign-in-refused"},
		"no such base":     {func(s *directory.Source) { s.Base = "dc=other,dc=example" }, s.Password, "base-not-found"},
		"no DN":            {func(s *directory.Source) { s.Base = "skerry" }, s.Password, "dn-invalid"},
		"a broken filter": {func(s *directory.Source) { s.Map.UserFilter = "(objectClass=person" }, s.Password,
			"filter-invalid"},
		"no TLS there": {func(s *directory.Source) { s.StartTLS = true }, s.Password, "directory-refused"},
		"TLS at a plain port": {func(s *directory.Source) { s.URL = strings.Replace(s.URL, "ldap:", "ldaps:", 1) },
			s.Password, "broke-off"},
		"a closed port": {func(s *directory.Source) { s.URL = "ldap://127.0.0.1:1" }, s.Password, "refused"},
		"an unknown name": {func(s *directory.Source) { s.URL = "ldap://no-such-host.invalid" }, s.Password,
			"name-not-found"},
	} {
		src := sourceOf(s, s.Reader)
		c.change(&src)
		few, err := d.TryLDAP(t.Context(), src, c.password)
		if code(err) != c.code || err == nil && len(few) != 9 {
			t.Errorf("%s: %q %v, %d entries, want %q", what, code(err), err, len(few), c.code)
		}
	}
}

// TestLDAPSecure: TLS from the start and within the connection, the certificate checked against an authority of one's
// own.
func TestLDAPSecure(t *testing.T) {
	t.Parallel()
	s := testkit.NewSlapd(t, testkit.LDIF(5, 1, 1))
	other := testkit.NewSlapd(t, testkit.LDIF(1, 1, 1))
	d := ldapclient.NewDir(nil)
	for what, c := range map[string]struct {
		url, ca string
		start   bool
		code    string
	}{
		"from the start":             {s.TLS, s.CA, false, ""},
		"within":                     {s.URL, s.CA, true, ""},
		"another authority":          {s.TLS, other.CA, false, "certificate"},
		"the system's authorities":   {s.TLS, "", false, "certificate"},
		"within, another authority":  {s.URL, other.CA, true, "certificate"},
		"another name":               {strings.Replace(s.TLS, "127.0.0.1", "localhost", 1), s.CA, false, "certificate"},
		"no certificate":             {s.TLS, "not PEM", false, "ca-invalid"},
		"TLS where none is expected": {s.URL, s.CA, false, ""},
		"none where TLS is expected": {strings.Replace(s.TLS, "ldaps", "ldap", 1), "", false, "broke-off"},
	} {
		src := sourceOf(s, s.Manager)
		src.URL, src.CA, src.StartTLS = c.url, c.ca, c.start
		found, err := d.TryLDAP(t.Context(), src, s.Password)
		if got := code(err); !strings.HasPrefix(got, c.code) || c.code == "" && (err != nil || len(found) == 0) {
			t.Errorf("%s: %d found, %s: %v", what, len(found), got, err)
		}
	}
}

// TestLDAPPosix: accounts and groups whose members are names (RFC 2307).
func TestLDAPPosix(t *testing.T) {
	t.Parallel()
	s := testkit.NewSlapd(t, testkit.LDIF(1, 1, 1)+`dn: uid=ida,ou=staff,dc=skerry,dc=example
objectClass: account
objectClass: posixAccount
uid: ida
cn: Ida Lunde
uidNumber: 1001
gidNumber: 100
homeDirectory: /home/ida

dn: cn=printers,ou=groups,dc=skerry,dc=example
objectClass: posixGroup
cn: printers
gidNumber: 100
memberUid: ida
memberUid: person-elsewhere

dn: cn=till-07,ou=machines,dc=skerry,dc=example
objectClass: device
objectClass: ipHost
cn: till-07
ipHostNumber: 10.40.8.7

`)
	src := sourceOf(s, s.Manager)
	src.Preset = directory.PresetPOSIX
	p, err := ldapclient.NewDir(nil).ReadLDAP(t.Context(), src, s.Password, nil)
	if err != nil {
		t.Fatal(err)
	}
	rows, _ := directory.NewTree(p.Entries).Rows()
	if counts(rows) != "1 users, 1 groups, 2 machines" || !strings.Contains(find(rows, "user", "ida"), "Ida Lunde") ||
		!strings.Contains(find(rows, "group", "printers"), `["user:ida","user:person-elsewhere"]`) {
		t.Error(rows)
	}
}

// code gives a fault's code.
func code(err error) string {
	if err == nil {
		return ""
	}
	return fault.As(err).Code
}

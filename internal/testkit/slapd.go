package testkit

import (
	"fmt"
	"net"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"cirque/internal/sim"
)

// A Slapd is Debian's directory server on loopback, with a folder of its own.
type Slapd struct {
	URL  string // ldap://127.0.0.1:PORT
	TLS  string // ldaps://127.0.0.1:PORT
	CA   string // the authority of its certificate, PEM
	Addr string
	Base string // dc=skerry,dc=example
	// Manager may do everything; Reader only reads, ten entries at a time but by paging.
	Manager, Reader, Password string

	t  testing.TB
	is *sim.Slapd
}

// NewSlapd starts one with entries in LDIF, and stops it when the test ends.
func NewSlapd(t testing.TB, ldif string) *Slapd {
	t.Helper()
	return newSlapd(t, ldif, true)
}

// NewPlainSlapd is NewSlapd without TLS.
func NewPlainSlapd(t testing.TB, ldif string) *Slapd {
	t.Helper()
	return newSlapd(t, ldif, false)
}

func newSlapd(t testing.TB, ldif string, secure bool) *Slapd {
	t.Helper()
	dir, err := os.MkdirTemp("", "cirque-slapd-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	s := &Slapd{Base: sim.DirectoryBase, Manager: sim.DirectoryManager, Reader: sim.DirectoryReader,
		Password: "read me", t: t, is: &sim.Slapd{Dir: filepath.Join(dir, "slapd"), Password: "read me"}}
	if secure {
		s.is.Secure = FreeAddress(t)
	}
	if err := s.is.Make(ldif, "127.0.0.1"); err != nil {
		t.Fatal(err)
	}
	if secure {
		ca, err := os.ReadFile(s.is.CAFile())
		if err != nil {
			t.Fatal(err)
		}
		s.CA = string(ca)
	}
	if err := s.is.StartNear(func() {
		s.Addr = FreeAddress(t)
		s.is.Plain, s.URL = s.Addr, "ldap://"+s.Addr
		if secure {
			s.is.Secure = FreeAddress(t)
			s.TLS = "ldaps://" + s.is.Secure
		}
	}); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Stop)
	return s
}

// FreeAddress gives a loopback address at which nothing listens just now.
func FreeAddress(t testing.TB) string {
	t.Helper()
	ln, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = ln.Close() }()
	return ln.Addr().String()
}

// Start runs it, after Stop as before.
func (s *Slapd) Start() {
	s.t.Helper()
	if err := s.is.Start(); err != nil {
		s.t.Fatal(err)
	}
}

// Stop ends it; its entries stay.
func (s *Slapd) Stop() { _ = s.is.Stop() }

// LDIF makes up a directory below dc=skerry,dc=example: units, people, nested groups and machines. People are person-0
// and so on, in units staff/team-N; groups group-0 and so on, each holding some people and, mostly, the next group; the
// rest is what an account needs to read it.
func LDIF(users, groups, machines int) string {
	var b strings.Builder
	entry := func(dn string, lines ...string) {
		fmt.Fprintf(&b, "dn: %s\n%s\n\n", dn, strings.Join(lines, "\n"))
	}
	const base = sim.DirectoryBase
	entry(base, "objectClass: dcObject", "objectClass: organization", "dc: skerry", "o: Skerry Line")
	entry("cn=reader,"+base, "objectClass: person", "cn: reader", "sn: reader", "userPassword: read me")
	for _, ou := range []string{"staff", "groups", "machines"} {
		entry("ou="+ou+","+base, "objectClass: organizationalUnit", "ou: "+ou)
	}
	teams := Teams(users)
	for i := range teams {
		entry(fmt.Sprintf("ou=team-%d,ou=staff,%s", i, base), "objectClass: organizationalUnit",
			fmt.Sprintf("ou: team-%d", i))
	}
	person := func(i int) string {
		return fmt.Sprintf("uid=person-%d,ou=team-%d,ou=staff,%s", i, i%teams, base)
	}
	for i := range users {
		entry(person(i), "objectClass: inetOrgPerson", fmt.Sprintf("uid: person-%d", i), fmt.Sprintf("cn: Person %d", i),
			fmt.Sprintf("sn: %d", i), fmt.Sprintf("mail: person-%d@skerry.example", i),
			fmt.Sprintf("employeeNumber: %d", 1000+i))
	}
	for i := range machines {
		entry(fmt.Sprintf("cn=desk-%d,ou=machines,%s", i, base), "objectClass: device", fmt.Sprintf("cn: desk-%d", i))
	}
	for i := range groups {
		lines := []string{"objectClass: groupOfNames", fmt.Sprintf("cn: group-%d", i)}
		for k := range 10 {
			lines = append(lines, "member: "+person((i*10+k)%max(1, users)))
		}
		if i%7 != 6 && i+1 < groups {
			lines = append(lines, fmt.Sprintf("member: cn=group-%d,ou=groups,%s", i+1, base))
		}
		entry(fmt.Sprintf("cn=group-%d,ou=groups,%s", i, base), lines...)
	}
	return b.String()
}

// Teams is how many units LDIF has for so many users; person-N is in team-(N modulo it).
func Teams(users int) int { return max(1, users/200) }

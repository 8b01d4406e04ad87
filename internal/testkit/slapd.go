package testkit

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"fmt"
	"math/big"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"
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

	t    testing.TB
	dir  string
	cmd  *exec.Cmd
	done chan error
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
	const bin = "/usr/sbin/slapd"
	if _, err := os.Stat(bin); err != nil {
		t.Fatal("Debian's directory server is not installed: apt-get install --no-install-recommends slapd")
	}
	dir, err := os.MkdirTemp("", "cirque-slapd-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	s := &Slapd{Base: "dc=skerry,dc=example", Manager: "cn=manager,dc=skerry,dc=example",
		Reader: "cn=reader,dc=skerry,dc=example", Password: "read me", t: t, dir: dir}
	conf := []string{}
	for _, schema := range []string{"core", "cosine", "inetorgperson", "nis"} {
		conf = append(conf, "include /etc/ldap/schema/"+schema+".schema")
	}
	conf = append(conf, "include "+dir+"/printer.schema")
	conf = append(conf, "modulepath /usr/lib/ldap", "moduleload back_mdb", "moduleload syncprov", "pidfile "+dir+"/pid",
		"database mdb", "suffix "+s.Base, `rootdn "`+s.Manager+`"`, `rootpw "`+s.Password+`"`,
		"directory "+dir+"/db", "maxsize 2147483648", "dbnosync",
		"index objectClass,entryCSN,entryUUID,uid,member,modifyTimestamp eq", `limits dn.exact="`+s.Reader+
			`" size=10 size.prtotal=unlimited`, "access to attrs=userPassword by anonymous auth by * none",
		"access to * by * read",
		"overlay syncprov", "syncprov-sessionlog 10000", "")
	if secure {
		conf = append([]string{"TLSCertificateFile " + dir + "/cert.pem", "TLSCertificateKeyFile " + dir +
			"/key.pem"}, conf...)
	}
	cert, key := certificate(t)
	s.CA = cert
	for name, text := range map[string]string{"slapd.conf": strings.Join(conf, "\n"), "people.ldif": ldif,
		"printer.schema": printerSchema, "cert.pem": cert, "key.pem": key} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.Mkdir(filepath.Join(dir, "db"), 0o700); err != nil {
		t.Fatal(err)
	}
	// Without -w: that makes slapadd 2.5 free a cursor of the quick mode twice, and die now and then.
	if out, err := exec.Command("/usr/sbin/slapadd", "-q", "-f", filepath.Join(dir, "slapd.conf"), "-l", filepath.Join(dir,
		"people.ldif")).CombinedOutput(); err != nil {
		t.Fatalf("slapadd: %v\n%s", err, out)
	}
	s.Addr = FreeAddress(t)
	s.URL = "ldap://" + s.Addr
	if secure {
		s.TLS = "ldaps://" + FreeAddress(t)
	}
	s.Start()
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

// certificate makes one for 127.0.0.1 that is its own authority.
func certificate(t testing.TB) (cert, key string) {
	t.Helper()
	private, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	is := x509.Certificate{SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "directory"},
		NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(24 * time.Hour),
		IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)},
		IsCA:        true, BasicConstraintsValid: true, KeyUsage: x509.KeyUsageDigitalSignature | x509.KeyUsageCertSign}
	der, err := x509.CreateCertificate(rand.Reader, &is, &is, private.Public(), private)
	if err != nil {
		t.Fatal(err)
	}
	pkcs8, err := x509.MarshalPKCS8PrivateKey(private)
	if err != nil {
		t.Fatal(err)
	}
	return string(pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der})),
		string(pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: pkcs8}))
}

// Start runs it, after Stop as before.
func (s *Slapd) Start() {
	s.t.Helper()
	log, err := os.Create(filepath.Join(s.dir, "log"))
	if err != nil {
		s.t.Fatal(err)
	}
	s.cmd = exec.Command("/usr/sbin/slapd", "-f", filepath.Join(s.dir, "slapd.conf"), "-h", strings.TrimSpace(s.URL+" "+
		s.TLS), "-d", "0")
	s.cmd.Stdout, s.cmd.Stderr = log, log
	s.cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: 0}
	if err := s.cmd.Start(); err != nil {
		s.t.Fatal(err)
	}
	s.done = make(chan error, 1)
	go func(cmd *exec.Cmd, done chan error) { done <- cmd.Wait(); _ = log.Close() }(s.cmd, s.done)
	for deadline := time.Now().Add(20 * time.Second); ; time.Sleep(10 * time.Millisecond) {
		if conn, err := net.Dial("tcp", s.Addr); err == nil {
			_ = conn.Close()
			return
		}
		if time.Now().After(deadline) {
			text, _ := os.ReadFile(filepath.Join(s.dir, "log"))
			s.t.Fatalf("slapd does not come up\n%s", text)
		}
	}
}

// Stop ends it; its entries stay.
func (s *Slapd) Stop() {
	if s.cmd == nil {
		return
	}
	_ = s.cmd.Process.Signal(syscall.SIGTERM)
	select {
	case <-s.done:
	case <-time.After(20 * time.Second):
		_ = s.cmd.Process.Kill()
	}
	s.cmd = nil
}

// LDIF makes up a directory below dc=skerry,dc=example: units, people, nested groups and machines. People are person-0
// and so on, in units staff/team-N; groups group-0 and so on, each holding some people and, mostly, the next group; the
// rest is what an account needs to read it.
func LDIF(users, groups, machines int) string {
	var b strings.Builder
	entry := func(dn string, lines ...string) {
		fmt.Fprintf(&b, "dn: %s\n%s\n\n", dn, strings.Join(lines, "\n"))
	}
	const base = "dc=skerry,dc=example"
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

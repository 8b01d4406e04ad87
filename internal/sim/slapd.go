package sim

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"errors"
	"fmt"
	"io/fs"
	"math/big"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"cirque/core/fault"
	"cirque/internal/whole"
)

// DirectoryBase is the base of a Slapd; DirectoryManager may do everything in it, DirectoryReader only reads.
const (
	DirectoryBase    = "dc=skerry,dc=example"
	DirectoryManager = "cn=manager," + DirectoryBase
	DirectoryReader  = "cn=reader," + DirectoryBase
)

const slapd = "/usr/sbin/slapd"

// A Slapd is Debian's directory server on loopback, in a folder of its own. It holds what Make is given.
type Slapd struct {
	Dir      string // its folder: configuration, entries, certificate (ca.pem), log
	Plain    string // HOST:PORT of plain LDAP; empty for none
	Secure   string // HOST:PORT of LDAP over TLS; empty for none
	Password string // the manager's; the reader's stands in the LDIF

	cmd  *exec.Cmd
	done chan struct{}
}

// HasSlapd says whether the directory server is installed.
func HasSlapd() bool {
	_, err := os.Stat(slapd)
	return err == nil
}

// CAFile is the authority of its certificate, PEM.
func (s *Slapd) CAFile() string { return filepath.Join(s.Dir, "ca.pem") }

// Make makes the folder anew, with the entries of ldif and, where it speaks TLS, a certificate for names.
func (s *Slapd) Make(ldif string, names ...string) error {
	if !HasSlapd() {
		return fault.New(fault.Unavailable, "directory-server", "apt-get install --no-install-recommends slapd",
			"Debian's directory server is not installed")
	}
	if err := errors.Join(os.RemoveAll(s.Dir), os.MkdirAll(filepath.Join(s.Dir, "db"), 0o700)); err != nil {
		return err
	}
	files := map[string]string{"slapd.conf": s.conf(), "people.ldif": ldif, "printer.schema": printerSchema}
	if s.Secure != "" {
		cert, key, err := SelfSigned(names...)
		if err != nil {
			return err
		}
		files["ca.pem"], files["key.pem"] = cert, key
	}
	for name, text := range files {
		if err := whole.Write(filepath.Join(s.Dir, name), []byte(text), 0o600); err != nil {
			return err
		}
	}
	// Without -w: that makes slapadd 2.5 free a cursor of the quick mode twice, and die now and then.
	out, err := exec.Command("/usr/sbin/slapadd", "-q", "-f", filepath.Join(s.Dir, "slapd.conf"), "-l",
		filepath.Join(s.Dir, "people.ldif")).CombinedOutput()
	if err != nil {
		return fmt.Errorf("slapadd: %w\n%s", err, out)
	}
	return os.Remove(filepath.Join(s.Dir, "people.ldif")) // it holds passwords
}

// conf has the reader read ten entries at a time but by pages, and tell of changes by content synchronisation.
func (s *Slapd) conf() string {
	var lines []string
	if s.Secure != "" {
		lines = append(lines, "TLSCertificateFile "+s.CAFile(), "TLSCertificateKeyFile "+filepath.Join(s.Dir, "key.pem"))
	}
	for _, schema := range []string{"core", "cosine", "inetorgperson", "nis"} {
		lines = append(lines, "include /etc/ldap/schema/"+schema+".schema")
	}
	lines = append(lines, "include "+filepath.Join(s.Dir, "printer.schema"), "modulepath /usr/lib/ldap",
		"moduleload back_mdb", "moduleload syncprov", "pidfile "+filepath.Join(s.Dir, "pid"), "database mdb",
		"suffix "+DirectoryBase, `rootdn "`+DirectoryManager+`"`, `rootpw "`+s.Password+`"`,
		"directory "+filepath.Join(s.Dir, "db"), "maxsize 2147483648", "dbnosync",
		"index objectClass,entryCSN,entryUUID,uid,member,modifyTimestamp eq",
		`limits dn.exact="`+DirectoryReader+`" size=10 size.prtotal=unlimited`,
		"access to attrs=userPassword by anonymous auth by * none", "access to * by * read",
		"overlay syncprov", "syncprov-sessionlog 10000", "")
	return strings.Join(lines, "\n")
}

// Start runs it, and returns once it answers. It fails where something else listens at one of its addresses.
func (s *Slapd) Start() error {
	pid := filepath.Join(s.Dir, "pid") // written once it listens
	if err := os.Remove(pid); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	log, err := os.OpenFile(filepath.Join(s.Dir, "log"), os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	if err != nil {
		return err
	}
	var at []string
	if s.Plain != "" {
		at = append(at, "ldap://"+s.Plain)
	}
	if s.Secure != "" {
		at = append(at, "ldaps://"+s.Secure)
	}
	s.cmd = exec.Command(slapd, "-f", filepath.Join(s.Dir, "slapd.conf"), "-h", strings.Join(at, " "), "-d", "0")
	s.cmd.Stdout, s.cmd.Stderr = log, log
	// Out of the group that a terminal interrupts: whoever started it stops it.
	s.cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	if err := s.cmd.Start(); err != nil {
		return errors.Join(err, log.Close())
	}
	s.done = make(chan struct{})
	go func(cmd *exec.Cmd, done chan struct{}) { _ = cmd.Wait(); _ = log.Close(); close(done) }(s.cmd, s.done)
	for deadline := time.Now().Add(20 * time.Second); ; time.Sleep(10 * time.Millisecond) {
		_, err := os.Stat(pid)
		if err == nil {
			if err = s.answers(); err == nil {
				return nil
			}
		}
		ended := false
		select {
		case <-s.done:
			ended = true
		default:
		}
		if ended || time.Now().After(deadline) {
			text, _ := os.ReadFile(filepath.Join(s.Dir, "log"))
			return errors.Join(fmt.Errorf("the directory server does not come up: %w\n%s", err, text), s.Stop())
		}
	}
}

// StartNear runs it at addresses that choose puts into it: at others where somebody takes one of them before it does.
func (s *Slapd) StartNear(choose func()) (err error) {
	for range 5 {
		choose()
		if err = s.Start(); err == nil {
			return nil
		}
	}
	return err
}

// answers says whether it is this server that answers, where it shows a certificate: by that.
func (s *Slapd) answers() error {
	if s.Secure == "" {
		conn, err := net.Dial("tcp", s.Plain)
		if err != nil {
			return err
		}
		return conn.Close()
	}
	ca, err := os.ReadFile(s.CAFile())
	if err != nil {
		return err
	}
	is := &tls.Config{RootCAs: x509.NewCertPool(), MinVersion: tls.VersionTLS12}
	is.RootCAs.AppendCertsFromPEM(ca)
	conn, err := tls.Dial("tcp", s.Secure, is)
	if err != nil {
		return err
	}
	return conn.Close()
}

// Stop ends it; its entries stay.
func (s *Slapd) Stop() error {
	if s.cmd == nil {
		return nil
	}
	_ = s.cmd.Process.Signal(syscall.SIGTERM)
	select {
	case <-s.done:
	case <-time.After(20 * time.Second):
		_ = s.cmd.Process.Kill()
		<-s.done
	}
	s.cmd = nil
	return nil
}

// SelfSigned makes a certificate for names and addresses that is its own authority, as PEM.
func SelfSigned(names ...string) (cert, key string, err error) {
	private, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return "", "", err
	}
	is := x509.Certificate{SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "directory"},
		NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().AddDate(1, 0, 0),
		IsCA: true, BasicConstraintsValid: true, KeyUsage: x509.KeyUsageDigitalSignature | x509.KeyUsageCertSign}
	for _, n := range names {
		if ip := net.ParseIP(n); ip != nil {
			is.IPAddresses = append(is.IPAddresses, ip)
		} else {
			is.DNSNames = append(is.DNSNames, n)
		}
	}
	der, err := x509.CreateCertificate(rand.Reader, &is, &is, private.Public(), private)
	if err != nil {
		return "", "", err
	}
	pkcs8, err := x509.MarshalPKCS8PrivateKey(private)
	return string(pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der})),
		string(pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: pkcs8})), err
}

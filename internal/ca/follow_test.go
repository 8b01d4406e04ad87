package ca

import (
	"crypto/elliptic"
	"crypto/x509"
	"encoding/pem"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"cirque/core/fault"
)

func standing(a *Authority) string {
	var out []string
	for _, s := range a.Standing() {
		out = append(out, s.State)
	}
	return strings.Join(out, " ")
}

// goodBy says whether a certificate that was issued is good by what an authority trusts.
func goodBy(t *testing.T, a *Authority, text []byte) bool {
	t.Helper()
	block, _ := pem.Decode(text)
	c, err := x509.ParseCertificate(block.Bytes)
	if err != nil {
		t.Fatal(err)
	}
	_, err = c.Verify(x509.VerifyOptions{Roots: a.Pool(), CurrentTime: now, KeyUsages: []x509.ExtKeyUsage{
		x509.ExtKeyUsageClientAuth}})
	return err == nil
}

// TestFollow: the next authority certifies who follows while the current one is shown; after the switch the former
// one's certificates are good until it is forgotten, and nothing is signed by it any more.
func TestFollow(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	a := open(t, dir)
	first := a.Fingerprint()
	asked := request(t, ecKey(t, elliptic.P256()), "till-07")
	issue := func(follows bool) ([]byte, string) {
		t.Helper()
		c, err := a.Issue(asked, "till-07", time.Hour, follows, now)
		if err != nil {
			t.Fatal(err)
		}
		return c.PEM, c.Authority
	}
	old, by := issue(true)
	if by != first || !a.Alone() || a.Issuing() != first {
		t.Error("another authority than the only one:", by)
	}
	if err := Switch(dir, now); !fault.Is(err, fault.Conflict) {
		t.Error("a switch to nothing:", err)
	}
	if err := Prepare(dir, now); err != nil {
		t.Fatal(err)
	}
	if err := Prepare(dir, now); !fault.Is(err, fault.Conflict) {
		t.Error("two that come next:", err)
	}
	if err := a.Reload(); err != nil || standing(a) != "current next" || a.Fingerprint() != first {
		t.Fatal(standing(a), err)
	}
	next, by := issue(true)
	if _, still := issue(false); by == first || still != first || a.Issuing() != by {
		t.Error("who follows is not certified by the next one, or who does not is")
	}
	if !goodBy(t, a, old) || !goodBy(t, a, next) || strings.Count(string(a.Trust()), "BEGIN") != 2 {
		t.Error("one of both is not trusted")
	}
	shown := func() *x509.Certificate {
		t.Helper()
		c, err := a.Server([]string{"cirque.example"}, now)
		if err != nil {
			t.Fatal(err)
		}
		return c.Leaf
	}
	before := shown()
	if err := Switch(dir, now); err != nil {
		t.Fatal(err)
	}
	if err := a.Reload(); err != nil || standing(a) != "current former" || a.Fingerprint() != by {
		t.Fatal(standing(a), err)
	}
	if after := shown(); after.Equal(before) || after.CheckSignatureFrom(a.all.Load().current.cert) != nil {
		t.Error("the service is not shown by the new authority")
	}
	if !goodBy(t, a, old) || !goodBy(t, a, next) || strings.Count(string(a.Trust()), "BEGIN") != 1 {
		t.Error("one of both is not trusted after the switch, or the former one is handed out")
	}
	if err := Forget(dir, now); err != nil {
		t.Fatal(err)
	}
	if err := a.Reload(); err != nil || goodBy(t, a, old) || !goodBy(t, a, next) || !a.Alone() {
		t.Error("the former authority is not forgotten:", standing(a), err)
	}
	if err := Forget(dir, now); !fault.Is(err, fault.Unknown) {
		t.Error(err)
	}
	for _, gone := range []string{"next.pem", "next-key.pem", "former.pem"} {
		if _, err := os.Stat(filepath.Join(dir, gone)); err == nil {
			t.Error(gone, "is left")
		}
	}
}

// TestSwitchCutOff: a switch that was cut off after any of its steps is finished, or has not begun, at the next start.
func TestSwitchCutOff(t *testing.T) {
	t.Parallel()
	for _, step := range []string{"former", "key"} {
		dir := t.TempDir()
		a := open(t, dir)
		first := a.Fingerprint()
		if err := Prepare(dir, now); err != nil {
			t.Fatal(err)
		}
		if err := a.Reload(); err != nil {
			t.Fatal(err)
		}
		next := a.Issuing()
		b, err := os.ReadFile(a.CertFile())
		if err == nil {
			err = os.WriteFile(a.file(formerFile), b, 0o644)
		}
		if err == nil && step == "key" {
			err = os.Rename(a.file(nextKeyFile), a.file(keyFile))
		}
		if err != nil {
			t.Fatal(err)
		}
		again := open(t, dir)
		if step == "former" && (again.Fingerprint() != first || again.Issuing() != next) ||
			step == "key" && (again.Fingerprint() != next || standing(again) != "current former") {
			t.Errorf("cut off after %s: %s", step, standing(again))
		}
	}
}

package test

import (
	"crypto/tls"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/internal/app"
	"cirque/internal/ca"

	"time"
)

// TestHeadersOverTLS: over TLS browsers are told to come back over TLS, nothing of the API is kept, and the session's
// cookie is this host's alone; a cookie of the plain name counts for nothing.
func TestHeadersOverTLS(t *testing.T) {
	t.Parallel()
	s := startService(t, func(o *app.Options) { o.PlainHTTP = false })
	s.addAccount("mira", access.Owner)
	client := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{InsecureSkipVerify: true}}} //nolint:gosec // whose it is does not matter
	resp, err := client.Post(s.URL+"/api/v1/session", "application/json", strings.NewReader(
		`{"name":"mira","password":"correct horse battery"}`))
	if err != nil {
		t.Fatal(err)
	}
	_ = resp.Body.Close()
	if len(resp.Cookies()) != 1 {
		t.Fatal(resp.Status, resp.Header)
	}
	c := resp.Cookies()[0]
	if c.Name != "__Host-cirque_session" || !c.Secure || !c.HttpOnly || c.Path != "/" || c.Domain != "" ||
		c.SameSite != http.SameSiteStrictMode {
		t.Errorf("%+v", c)
	}
	if h := resp.Header; h.Get("Strict-Transport-Security") == "" || h.Get("Cache-Control") != "no-store" {
		t.Errorf("%v", h)
	}
	both := &http.Client{Transport: &http.Transport{ForceAttemptHTTP2: true,
		TLSClientConfig: &tls.Config{InsecureSkipVerify: true}}} //nolint:gosec // whose it is does not matter
	defer both.CloseIdleConnections()
	if resp, err := both.Get(s.URL + "/healthz"); err != nil || resp.Proto != "HTTP/2.0" || resp.Body.Close() != nil {
		t.Error("there is no HTTP/2:", resp, err)
	}
	in := func(name string) bool {
		req, err := http.NewRequestWithContext(t.Context(), "GET", s.URL+"/api/v1/estate", nil)
		if err != nil {
			t.Fatal(err)
		}
		req.AddCookie(&http.Cookie{Name: name, Value: c.Value})
		resp, err := client.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		_ = resp.Body.Close()
		return resp.StatusCode != http.StatusUnauthorized
	}
	if !in("__Host-cirque_session") || in("cirque_session") {
		t.Error("the cookie's name does not matter")
	}
	req, err := http.NewRequestWithContext(t.Context(), "GET", s.URL+"/api/v1/session", nil)
	if err != nil {
		t.Fatal(err)
	}
	req.Host = "evil.example"
	if resp, err = client.Do(req); err != nil {
		t.Fatal(err)
	}
	_ = resp.Body.Close()
	if resp.StatusCode != http.StatusMisdirectedRequest {
		t.Errorf("under another name: %s", resp.Status)
	}
}

// TestOtherCertificate: a certificate whose files are replaced is shown once they are read again; one that cannot be
// read changes nothing.
func TestOtherCertificate(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write := func() {
		t.Helper()
		a, err := ca.Open(filepath.Join(dir, fmt.Sprint(time.Now().UnixNano())), time.Now())
		if err != nil {
			t.Fatal(err)
		}
		if _, err := a.Server([]string{"localhost", "127.0.0.1"}, time.Now()); err != nil {
			t.Fatal(err)
		}
		for _, f := range []string{"server.pem", "server-key.pem"} {
			b, err := os.ReadFile(filepath.Join(filepath.Dir(a.CertFile()), f))
			if err != nil {
				t.Fatal(err)
			}
			if err := os.WriteFile(filepath.Join(dir, f), b, 0o600); err != nil {
				t.Fatal(err)
			}
		}
	}
	write()
	s := startService(t, func(o *app.Options) {
		o.PlainHTTP, o.TLSCert, o.TLSKey = false, filepath.Join(dir, "server.pem"), filepath.Join(dir, "server-key.pem")
	})
	shown := func() string {
		t.Helper()
		c, err := tls.Dial("tcp", strings.TrimPrefix(s.URL, "https://"),
			&tls.Config{InsecureSkipVerify: true}) //nolint:gosec // see above
		if err != nil {
			t.Fatal(err)
		}
		defer func() { _ = c.Close() }()
		return c.ConnectionState().PeerCertificates[0].SerialNumber.String()
	}
	first := shown()
	write()
	s.Reload()
	second := shown()
	if second == first {
		t.Error("the former one is shown")
	}
	if err := os.WriteFile(filepath.Join(dir, "server.pem"), []byte("no certificate"), 0o600); err != nil {
		t.Fatal(err)
	}
	s.Reload()
	if shown() != second {
		t.Error("a broken file takes the certificate away")
	}
}

// TestTokensBounded: nobody has more than fifty tokens of their own.
func TestTokensBounded(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.addAccount("mira", access.Person)
	p := &access.Principal{Name: "mira", Account: "mira", Role: access.Person}
	var err error
	n := 0
	for ; n < 100 && err == nil; n++ {
		_, _, err = s.Service.Identity.MakeOwnToken(t.Context(), p, fmt.Sprint("own ", n), nil)
	}
	if n != 51 || fault.As(err).Code != "tokens-many" {
		t.Errorf("%d: %v", n, err)
	}
}

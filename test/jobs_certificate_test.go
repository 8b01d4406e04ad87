package test

import (
	"bytes"
	"crypto/tls"
	"crypto/x509"
	"io"
	"net/http"
	"testing"

	"cirque/internal/agent"
	"cirque/internal/ipp"
)

// TestCertificatePrints: an agent prints with its certificate, over TLS, for whom it has reported as signed in there, and
// for nobody else.
func TestCertificatePrints(t *testing.T) {
	t.Parallel()
	e := startEnrolling(t)
	e.publish("estate: 1\nlocations: [{path: ardholm}]\nqueues: [{name: try, purpose: practice, paths: [{gateway: true}]}]")
	id, err := agent.Enrol(t.Context(), e.URL, e.enrolToken("ardholm", 1), t.TempDir(), nil, facts("till-1", "10.40.8.7"))
	if err != nil {
		t.Fatal(err)
	}
	pair, err := tls.X509KeyPair([]byte(id.Certificate), []byte(id.Key))
	if err != nil {
		t.Fatal(err)
	}
	pool := x509.NewCertPool()
	pool.AppendCertsFromPEM(e.ca)
	c := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: pool, // of the service alone
		Certificates: []tls.Certificate{pair}}}}
	defer c.CloseIdleConnections()
	print := func(who string) ipp.Status {
		t.Helper()
		b, err := ipp.NewRequest(ipp.PrintJob, 1, "ipps://x/ipp/queues/try", ipp.Strs(ipp.Name, "requesting-user-name",
			who)).AppendTo(nil)
		if err != nil {
			t.Fatal(err)
		}
		resp, err := c.Post(e.URL+"/ipp/queues/try", "application/ipp", bytes.NewReader(append(b, "a page"...)))
		if err != nil {
			t.Fatal(err)
		}
		defer func() { _ = resp.Body.Close() }()
		answer, err := io.ReadAll(resp.Body)
		if err != nil {
			t.Fatal(err)
		}
		m, _, err := ipp.Parse(answer)
		if resp.StatusCode != http.StatusOK || err != nil {
			t.Fatal(resp.Status, err)
		}
		return ipp.Status(m.Code)
	}
	if got := print("mira.solvang"); got != ipp.NotAuthorized {
		t.Error("before she was reported:", got)
	}
	if status, p := e.as(id, http.MethodPost, "/api/v1/endpoints/report", `{"machine":"till-1$","version":"test",
		"platform":"linux/x64","spooler":"stand-in","revision":0,"contexts":[{"machine":"till-1$","user":"mira.solvang"}],
		"installed":[],"removed":[],"failures":[]}`); status >= http.StatusBadRequest {
		t.Fatal(status, p)
	}
	if got := print("mira.solvang"); got != ipp.OK {
		t.Error(got)
	}
	if got := print("jonas"); got != ipp.NotAuthorized {
		t.Error("somebody who does not sit there:", got)
	}
}

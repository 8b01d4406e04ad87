package test

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"io"
	"log"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"strings"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/internal/agent"
	"cirque/internal/ca"
)

// pairing is a machine that waits with a code.
type pairing struct {
	code string
	stop context.CancelFunc
	done chan struct{}
	id   agent.Identity // once done
	err  error
}

func (e *enrolling) pair(service, state string, f agent.Facts) *pairing {
	e.t.Helper()
	ctx, cancel := context.WithCancel(e.t.Context())
	p := &pairing{stop: cancel, done: make(chan struct{})}
	e.t.Cleanup(cancel)
	shown := make(chan string, 1)
	go func() {
		defer close(p.done)
		p.id, p.err = agent.Pair(ctx, service, state, nil, f, func(code string, until time.Time) { shown <- code })
	}()
	select {
	case p.code = <-shown:
	case <-p.done:
		e.t.Fatalf("no code is shown: %v", p.err)
	}
	return p
}

// TestPairing: a machine shows a code, somebody types it, and the machine is enrolled, under its name, at its site; it
// knows the service by its authority from then on, though it was told nothing beforehand.
func TestPairing(t *testing.T) {
	t.Parallel()
	e := startEnrolling(t)
	state := t.TempDir()
	p := e.pair(e.URL, state, facts("till-1", "10.40.8.7"))
	cirque := func(args ...string) (int, string, string) { return e.run(append(args, "--ca", e.CAFile)...) }
	for typed, want := range map[string]string{"00000000": "no machine shows that code", "123": "8 characters"} {
		if code, _, errs := cirque("enrol", "pair", typed); code == 0 || !strings.Contains(errs, want) {
			t.Errorf("%s: %d %s", typed, code, errs)
		}
	}
	code, says, errs := cirque("enrol", "pair", strings.ToLower(p.code))
	if code != 0 || !strings.Contains(says, "till-1$ is enrolled, at ardholm") {
		t.Fatalf("%d %s %s", code, says, errs)
	}
	<-p.done
	if p.err != nil || p.id.Machine != "till-1$" || p.id.Trust == "" || p.id.AnswerKey == "" {
		t.Fatalf("%+v %v", p.id, p.err)
	}
	kept, err := agent.ReadIdentity(state)
	if err != nil || kept != p.id {
		t.Errorf("%+v %v", kept, err)
	}
	if status, problem := e.as(p.id, "POST", "/api/v1/endpoints/who", `{"names":[]}`); status != 200 {
		t.Error(status, problem)
	}
	if code, says, _ := cirque("enrol", "list"); code != 0 || !strings.Contains(says, "code "+p.code) {
		t.Error(says)
	}
	if code, _, errs := cirque("enrol", "pair", p.code); code == 0 || !strings.Contains(errs, "has been used") {
		t.Errorf("used twice: %d %s", code, errs)
	}
	if _, err := agent.Pair(t.Context(), e.URL, state, nil, facts("till-1"),
		nil); fault.As(err).Code != "enrolled-already" {
		t.Error(err)
	}
}

// TestPairingBetween: whoever stands between a machine and the service, and passes on what both say, is found out: the
// code that the machine shows is found nowhere.
func TestPairingBetween(t *testing.T) {
	t.Parallel()
	e := startEnrolling(t)
	other, err := ca.Open(t.TempDir(), time.Now())
	if err != nil {
		t.Fatal(err)
	}
	cert, err := other.Server([]string{"127.0.0.1"}, time.Now())
	if err != nil {
		t.Fatal(err)
	}
	to, err := url.Parse(e.URL)
	if err != nil {
		t.Fatal(err)
	}
	on := httputil.NewSingleHostReverseProxy(to)
	roots := x509.NewCertPool()
	roots.AppendCertsFromPEM(e.ca)
	on.Transport = &http.Transport{TLSClientConfig: &tls.Config{RootCAs: roots}}
	on.ErrorLog = log.New(io.Discard, "", 0)
	between := httptest.NewUnstartedServer(on)
	between.TLS = &tls.Config{Certificates: []tls.Certificate{cert}}
	between.StartTLS()
	defer between.Close()
	p := e.pair(between.URL, t.TempDir(), facts("till-1", "10.40.8.7"))
	var got access.Pairing
	if err := e.c.Do(t.Context(), "POST", "/api/v1/pairings/"+p.code, nil, struct{}{}, &got); fault.As(err) == nil ||
		fault.As(err).Code != "pair-unknown" {
		t.Errorf("%+v %v", got, err)
	}
	p.stop()
	if <-p.done; p.id.Certificate != "" {
		t.Error("it has a certificate")
	}
}

// TestPairingMany: so many wait from one place at a time.
func TestPairingMany(t *testing.T) {
	t.Parallel()
	e := startEnrolling(t)
	ask := map[string]any{"machine": "m", "request": "x", "commitment": access.CommitTo("n")}
	for i := range access.PairHere + 1 {
		err := e.c.Do(t.Context(), "POST", "/api/v1/pairings", nil, ask, nil)
		if over := i == access.PairHere; fault.Is(err, fault.TooMany) != over || !over && err != nil {
			t.Fatalf("the %dth: %v", i+1, err)
		}
	}
	e.ahead.Store(int64(access.PairLasts))
	if err := e.c.Do(t.Context(), "POST", "/api/v1/pairings", nil, ask, nil); err != nil {
		t.Error("after they have ended:", err)
	}
}

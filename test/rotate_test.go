package test

import (
	"crypto/tls"
	"crypto/x509"
	"encoding/json"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"cirque/core/access"
	"cirque/core/event"
	"cirque/internal/agent"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cli"
	"cirque/internal/service/secrets"
)

func (s *aService) secretKeys(args ...string) cli.SecretKeys {
	s.t.Helper()
	args = append(append([]string{"secret-key"}, args...), "--data", s.data, "--database", s.database, "-o", "json")
	code, out, errs := s.run(args...)
	var keys cli.SecretKeys
	if code != 0 || json.Unmarshal([]byte(out), &keys) != nil {
		s.t.Fatal(code, out, errs)
	}
	return keys
}

// TestSecretKeyRotates: with the key rotated while the service runs, what was sealed goes on opening and is sealed
// anew, agents with tokens and with certificates go on, over a restart too, and the former key can be forgotten; an
// agent that was away until then is told nothing by a key that it does not know.
func TestSecretKeyRotates(t *testing.T) {
	t.Parallel()
	s, ahead := startAhead(t)
	s.publish(twoQueues)
	s.importDirectory("directory: 1\nusers: [{name: mira}]\ngroups: [{name: clerks, members: " +
		"[\"user:mira\"]}]\nmachines: [{name: desk-1}, " +
		"{name: desk-2}]")
	if _, err := s.Service.Secrets.StoreCredential(t.Context(), owner, secrets.NewCredential{Name: "branch", Kind: "snmp",
		Secret: "very secret", For: []string{"device:p"}}); err != nil {
		t.Fatal(err)
	}
	s.addAccount("liv", access.Owner)
	phone, _ := s.console("liv").setUp("phone", ahead)
	here, away := newDesk(t, "desk-1"), newDesk(t, "desk-2")
	here.write("machine.yaml", deskOne)
	away.write("machine.yaml", "machine: desk-2\nplatform: windows/x64\naddresses: [10.1.0.8]\nsessions: [{user: mira}]\n")
	here.run(s.URL, s.tokenFor("one", access.Agent, "desk-1"))
	tokenTwo := s.tokenFor("two", access.Agent, "desk-2")
	away.run(s.URL, tokenTwo)
	here.has("everybody/lobby mira/hall")
	away.has("mira/hall")
	away.stop()

	first := s.secretKeys("list")
	if len(first.Keys) != 1 || first.Keys[0].Seals != 2 || first.Lost != 0 {
		t.Fatal(first)
	}
	if keys := s.secretKeys("prepare"); len(keys.Keys) != 2 || keys.Keys[1].State != "next" {
		t.Fatal(keys)
	}
	if keys := s.secretKeys("rotate"); len(keys.Keys) != 2 || keys.Keys[0].ID == first.Keys[0].ID ||
		keys.Keys[1].ID != first.Keys[0].ID || keys.Keys[1].State != "former" {
		t.Fatal(keys)
	}
	former := first.Keys[0].ID
	if code, _, errs := s.run("secret-key", "forget", former, "--data", s.data, "--database", s.database); code == 0 &&
		s.secretKeys("list").Lost > 0 {
		t.Fatal("a key that is used was forgotten", errs)
	}
	within(t, "everything is sealed anew", func() bool {
		keys := s.secretKeys("list")
		return keys.Lost == 0 && keys.Keys[0].Seals == 2
	})
	me, err := sends[api.Me](&aConsole{s: s}, "POST", "/api/v1/session", signsIn("liv"))
	if err != nil || me.Second == nil {
		t.Fatal(err)
	}
	if _, err := sends[api.Me](&aConsole{s: s}, "POST", "/api/v1/session/second", api.Shown{Ticket: me.Second.Ticket,
		Code: phone.next()}); err != nil {
		t.Error("the one-time codes do not open:", err)
	}
	// The agent that is there learns the new key from the one that it knows, and keeps it.
	s.publish(strings.Replace(twoQueues, "lobby, effect: place, queues: [lobby]", "lobby, effect: place, queues: [lobby, "+
		"yard]", 1))
	here.has("everybody/lobby everybody/yard mira/hall")
	here.stop()
	keys := s.secretKeys("list")
	if len(keys.Keys) == 2 {
		keys = s.secretKeys("forget", former)
	}
	if len(keys.Keys) != 1 {
		t.Fatal(keys)
	}
	within(t, "the service has forgotten it", func() bool { return s.Service.Secrets.HandOver() == "" })
	here.run(s.URL, s.tokenFor("one again", access.Agent, "desk-1"))
	s.publish(twoQueues)
	here.has("everybody/lobby mira/hall")
	away.run(s.URL, tokenTwo)
	s.publish(strings.Replace(twoQueues, "lobby, effect: place, queues: [lobby], on: [\"machine:desk-1\"]",
		"lobby, effect: place, queues: [lobby]", 1))
	here.has("everybody/lobby mira/hall")
	if got := away.queues(); got != "mira/hall" {
		t.Errorf("an agent takes a key that nobody whom it knows has handed over to: %s", got)
	}
	contains(t, "the events", s.events(), "A next secret key was made", "The secret key was rotated", "was forgotten")
}

// TestEnrolledAgentsAreHandedOver: a machine with a certificate learns the new key of answers, and keeps it beside its
// certificate.
func TestEnrolledAgentsAreHandedOver(t *testing.T) {
	t.Parallel()
	e := startEnrolling(t)
	d := newDesk(t, "till-1")
	d.write("machine.yaml", "machine: till-1\nplatform: linux/x64\naddresses: [10.1.0.7]\n")
	state := filepath.Join(d.dir, ".agent")
	if _, err := agent.Enrol(t.Context(), e.URL, e.enrolToken("ardholm", 1), state, e.ca, facts("till-1",
		"10.1.0.7")); err != nil {
		t.Fatal(err)
	}
	d.runEnrolled()
	d.has("everybody/hall")
	before, err := agent.ReadIdentity(state)
	if err != nil {
		t.Fatal(err)
	}
	e.secretKeys("rotate")
	within(t, "the new key is kept", func() bool {
		after, err := agent.ReadIdentity(state)
		return err == nil && after.AnswerKey != before.AnswerKey && after.Certificate == before.Certificate
	})
	d.stop()
	d.runEnrolled()
	e.publish(strings.Replace(enrolEstate, "queues: [hall]", "queues: [hall, desk]", 1))
	d.has("everybody/desk everybody/hall")
}

// TestSpoiltSecretKeys: what is no ring of keys is not taken, by a running service either, and what it has goes on.
func TestSpoiltSecretKeys(t *testing.T) {
	t.Parallel()
	s := startService(t)
	file := filepath.Join(s.data, "secret-key")
	was, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(file, []byte("spoilt\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	code, _, errs := s.run("secret-key", "rotate", "--data", s.data, "--database", s.database)
	if code == 0 || !strings.Contains(errs, "is no secret key") {
		t.Error(code, errs)
	}
	if b, err := os.ReadFile(file); err != nil || string(b) != "spoilt\n" {
		t.Errorf("%q %v", b, err)
	}
	s.Reload()
	if key := s.Service.Secrets.AnswerKey(); key == nil {
		t.Error("the service has lost its key")
	}
	if err := os.WriteFile(file, was, 0o600); err != nil {
		t.Fatal(err)
	}
}

// TestLostSecretKey: where the secret key was replaced by hand, one-time codes say so, and recovery codes let in.
func TestLostSecretKey(t *testing.T) {
	t.Parallel()
	s, ahead := startAhead(t)
	s.addAccount("liv", access.Owner)
	phone, made := s.console("liv").setUp("phone", ahead)
	if err := os.WriteFile(filepath.Join(s.data, "secret-key"), []byte(strings.Repeat("5c", 32)+"\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	s.Reload()
	shows := func(what string) error {
		t.Helper()
		me, err := sends[api.Me](&aConsole{s: s}, "POST", "/api/v1/session", signsIn("liv"))
		if err != nil || me.Second == nil {
			t.Fatal(me, err)
		}
		_, err = sends[api.Me](&aConsole{s: s}, "POST", "/api/v1/session/second", api.Shown{Ticket: me.Second.Ticket,
			Code: what})
		return err
	}
	if err := shows(phone.next()); code(err) != "sealed-otherwise" {
		t.Error("a code that cannot be checked:", err)
	}
	if err := shows(made.Recovery[0]); err != nil {
		t.Error("a recovery code:", err)
	}
	if keys := s.secretKeys("list"); keys.Lost != 1 {
		t.Error(keys)
	}
}

func (s *aService) authority(args ...string) (list []cli.Authority) {
	s.t.Helper()
	args = append(append([]string{"authority"}, args...), "--data", s.data, "--database", s.database, "-o", "json")
	code, out, errs := s.run(args...)
	if code != 0 || json.Unmarshal([]byte(out), &list) != nil {
		s.t.Fatal(code, out, errs)
	}
	return list
}

// TestAuthorityRotates: with the certificate authority rotated while the service runs, machines that ask take the next
// one and go on, over a restart; the switch waits for one that is away, which is left behind only by force;
// certificates of a forgotten authority let nobody in; and people who trust the new one reach the service.
func TestAuthorityRotates(t *testing.T) {
	t.Parallel()
	e := startEnrolling(t)
	here, away := newDesk(t, "till-1"), newDesk(t, "till-2")
	for d, address := range map[*desk]string{here: "10.1.0.7", away: "10.1.0.8"} {
		machine := map[*desk]string{here: "till-1", away: "till-2"}[d]
		d.write("machine.yaml", "machine: "+machine+"\nplatform: linux/x64\naddresses: ["+address+"]\n")
		site := map[*desk]string{here: "ardholm", away: "brannoy"}[d]
		if _, err := agent.Enrol(t.Context(), e.URL, e.enrolToken(site, 1), filepath.Join(d.dir, ".agent"), nil,
			facts(machine, address)); err != nil {
			t.Fatal(err)
		}
		d.runEnrolled()
		d.has("everybody/hall")
	}
	away.stop()
	if list := e.authority("list"); len(list) != 1 || list[0].Machines != 2 {
		t.Fatal(list)
	}
	e.authority("prepare")
	within(t, "the machine that asks has taken the next one", func() bool {
		list := e.authority("list")
		return len(list) == 2 && list[0].Machines == 1 && list[1].Machines == 1 && strings.HasPrefix(list[1].Some[0],
			"till-1")
	})
	// The key of answers that comes later is kept beside the certificate that the machine has by then.
	identity := func(d *desk) agent.Identity {
		id, err := agent.ReadIdentity(filepath.Join(d.dir, ".agent"))
		if err != nil {
			t.Fatal(err)
		}
		return id
	}
	moved := identity(here)
	e.secretKeys("rotate")
	within(t, "the new key of answers is kept", func() bool { return identity(here).AnswerKey != moved.AnswerKey })
	if id := identity(here); id.Certificate != moved.Certificate || id.Trust != moved.Trust {
		t.Error("the machine has its former certificate again, or knows the service by less")
	}
	code, _, errs := e.run("authority", "switch", "--data", e.data, "--database", e.database)
	if code == 0 || !strings.Contains(errs, "till-2") {
		t.Error("a machine that is away is left behind:", code, errs)
	}
	next, err := os.ReadFile(filepath.Join(e.data, "ca", "next.pem"))
	if err != nil {
		t.Fatal(err)
	}
	e.authority("switch", "--force")
	c, err := apiclient.New(e.URL, e.token, next)
	if err != nil {
		t.Fatal(err)
	}
	within(t, "the service is known by the next authority", func() bool {
		return c.Do(t.Context(), "GET", "/api/v1/overview", nil, nil, nil) == nil
	})
	e.c = c
	e.publish(strings.Replace(enrolEstate, "queues: [hall]", "queues: [hall, desk]", 1))
	here.has("everybody/desk everybody/hall")
	here.stop()
	here.runEnrolled()
	away.runEnrolled()
	e.publish(enrolEstate)
	here.has("everybody/hall")
	if code, _, errs := e.run("authority", "forget", "--data", e.data, "--database", e.database); code == 0 ||
		!strings.Contains(errs, "till-2") {
		t.Error("a machine with a certificate of it is shut out:", code, errs)
	}
	e.authority("forget", "--force")
	e.publish(strings.Replace(enrolEstate, "queues: [hall]", "queues: [hall, desk]", 1))
	here.has("everybody/desk everybody/hall")
	if got := away.queues(); got != "everybody/hall" {
		t.Errorf("a machine that trusts the former authority alone goes on: %s", got)
	}
	within(t, "certificates of the former authority let nobody in", func() bool {
		return !letsIn(t, e.URL, next, identity(away))
	})
	if !letsIn(t, e.URL, next, identity(here)) {
		t.Error("the machine that followed is shut out")
	}
	contains(t, "the events", eventsBy(t, c), "A next certificate authority was made", "is the current one",
		"The former certificate authority was forgotten")
}

// letsIn says whether a service takes a machine's certificate.
func letsIn(t *testing.T, url string, trust []byte, id agent.Identity) bool {
	t.Helper()
	pair, err := tls.X509KeyPair([]byte(id.Certificate), []byte(id.Key))
	if err != nil {
		t.Fatal(err)
	}
	pool := x509.NewCertPool()
	pool.AppendCertsFromPEM(trust)
	c := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: pool,
		GetClientCertificate: func(*tls.CertificateRequestInfo) (*tls.Certificate, error) { return &pair, nil }}}}
	defer c.CloseIdleConnections()
	resp, err := c.Get(url + "/api/v1/session")
	if err != nil {
		return false
	}
	defer func() { _ = resp.Body.Close() }()
	var me api.Me
	return json.NewDecoder(resp.Body).Decode(&me) == nil && me.SignedIn
}

func eventsBy(t *testing.T, c *apiclient.Client) string {
	t.Helper()
	list, err := apiclient.Page[event.Event](t.Context(), c, "/api/v1/audit", nil)
	if err != nil {
		t.Fatal(err)
	}
	out := ""
	for _, e := range list.Items {
		out += e.Says + "\n"
	}
	return out
}

package mail_test

import (
	"bufio"
	"context"
	"crypto/ed25519"
	"crypto/tls"
	"crypto/x509"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"cirque/core/fault"
	"cirque/core/notice"
	"cirque/core/stock"
	"cirque/internal/httpsig"
	"cirque/internal/probe/dial"
	mailclient "cirque/internal/probe/mail"
	"cirque/internal/sim"
	"cirque/internal/testkit"
)

func aRelay(t *testing.T, word string) *sim.Relay {
	t.Helper()
	r := &sim.Relay{Word: word, Dir: t.TempDir()}
	if err := r.Listen("127.0.0.1:0"); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = r.Close() })
	return r
}

func mailTo(addr string) notice.Mail {
	return notice.Mail{Relay: "smtp://" + addr, From: "cirque@skerry.example", To: "desk@skerry.example",
		Subject: "The server ps-1\r\nBcc: x@skerry.example does not answer – now", Body: "Wrong now:\n- ø" +
			strings.Repeat(" long", 60) + "\n.\n", At: time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)}
}

// TestMail: a message arrives whole, whatever is in its subject; what does not work is said in plain words.
func TestMail(t *testing.T) {
	t.Parallel()
	open, closed := aRelay(t, ""), aRelay(t, "cirque:secret")
	sender := mailclient.NewSender(nil)
	says, err := sender.Mail(t.Context(), mailTo(open.Addr()), nil)
	if err != nil || says != "127.0.0.1 took it" {
		t.Fatal(says, err)
	}
	got := open.Mail()[0]
	head, body, _ := strings.Cut(got.Text, "\r\n\r\n")
	if got.To != "desk@skerry.example" || strings.Contains(head, "\nBcc:") || !strings.Contains(head,
		"Subject: =?utf-8?q?") || !strings.Contains(body, "=C3=B8 long") || !strings.HasSuffix(strings.TrimRight(body,
		"\r\n"), ".") {
		t.Errorf("%+v", got)
	}
	key := func(word string) *stock.Key {
		return &stock.Key{Name: "relay", User: "cirque", Secret: word, Clear: true}
	}
	good, bad := key("secret"), key("wrong")
	if _, err := sender.Mail(t.Context(), mailTo(closed.Addr()), good); err != nil || good.Outcome != "works" {
		t.Error(err, good.Outcome)
	}
	if _, err := sender.Mail(t.Context(), mailTo(closed.Addr()), bad); err == nil || bad.Outcome != "refused" ||
		strings.Contains(err.Error(), "wrong") {
		t.Error(err, bad.Outcome)
	}
	open.Refuse("no such mailbox")
	web := httptest.NewServer(http.NotFoundHandler())
	t.Cleanup(web.Close)
	for says, m := range map[string]notice.Mail{"550 no such mailbox": mailTo(open.Addr()),
		"does not speak SMTP": mailTo(web.Listener.Addr().String()), "refuses the connection": mailTo("127.0.0.1:1")} {
		ctx, cancel := context.WithTimeout(t.Context(), 3*time.Second)
		_, err := sender.Mail(ctx, m, nil)
		cancel()
		f := fault.As(err)
		if f == nil || !strings.Contains(strings.ReplaceAll(f.What, "5.1.1 ", ""), says) && !(says == "does not speak SMTP" &&
			strings.Contains(f.What, "does not answer")) || f.Fix == "" {
			t.Errorf("%s: %+v", says, f)
		}
	}
	m := mailTo(open.Addr())
	m.Relay = "smtps://" + open.Addr()
	if _, err := sender.Mail(t.Context(), m, nil); err == nil || fault.As(err).Fix == "" {
		t.Error("a relay without TLS:", err)
	}
}

// TestMailHolds: a relay that says no end of it is left, long before the time limit and with little memory.
func TestMailHolds(t *testing.T) {
	t.Parallel()
	addr := testkit.Listener(t, func(c net.Conn) {
		for _, err := c.Write([]byte("220-and so on\r\n")); err == nil; { // until the other side has had enough
			_, err = c.Write([]byte("220-and so on\r\n"))
		}
	})
	if _, err := mailclient.NewSender(nil).Mail(t.Context(), mailTo(addr), nil); err == nil ||
		fault.As(err).Code != "not-smtp" {
		t.Error(err)
	}
}

// TestMailKeepsKeys: a sign-in is not sent in the clear to another machine, which an address table stands for here.
func TestMailKeepsKeys(t *testing.T) {
	t.Parallel()
	r := aRelay(t, "cirque:secret")
	sender := mailclient.NewSender(dial.New(dial.AddressTable{"mail.skerry.example:587": r.Addr()}, nil))
	m := mailTo("mail.skerry.example:587")
	if _, err := sender.Mail(t.Context(), m, &stock.Key{Name: "relay", User: "cirque", Secret: "secret"}); err == nil ||
		fault.As(err).Code != "relay-plain" {
		t.Error(err)
	}
	m.Relay = "smtp://" + r.Addr() // this machine is no exception
	if _, err := mailclient.NewSender(nil).Mail(t.Context(), m, &stock.Key{Name: "relay", User: "cirque",
		Secret: "secret"}); err == nil || fault.As(err).Code != "relay-plain" {
		t.Error(err)
	}
	m.Relay = "smtp://elsewhere.skerry.example:25"
	if _, err := sender.Mail(t.Context(), m, nil); err == nil || fault.As(err).Code != "no-way" {
		t.Error(err)
	}
}

// TestPost: what is posted arrives; a refusal, a key over a plain line and a certificate that nobody trusts are said.
func TestPost(t *testing.T) {
	t.Parallel()
	var got string
	signing := ed25519.NewKeyFromSeed(make([]byte, ed25519.SeedSize))
	web := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		line, _ := bufio.NewReader(r.Body).ReadString('\n')
		user, _, _ := r.BasicAuth()
		got = user + " " + line
		if created, err := httpsig.Verify(httpsig.Request{Method: r.Method, Target: "http://" + r.Host + r.URL.Path,
			ContentType: r.Header.Get("Content-Type"), Body: []byte(line)}, httpsig.Fields{
			ContentDigest: r.Header.Get("Content-Digest"), SignatureInput: r.Header.Get("Signature-Input"),
			Signature: r.Header.Get("Signature")}, signing.Public().(ed25519.PublicKey)); r.URL.Path == "/yes" &&
			(err != nil || time.Since(time.Unix(created, 0)) > time.Hour) {
			t.Error("its signature:", err)
		}
		if r.URL.Path == "/no" {
			w.WriteHeader(http.StatusForbidden)
		}
	}))
	t.Cleanup(web.Close)
	secure := httptest.NewUnstartedServer(http.NotFoundHandler())
	secure.TLS = &tls.Config{RootCAs: x509.NewCertPool()}
	secure.Config.ErrorLog = nil
	secure.StartTLS()
	t.Cleanup(secure.Close)
	sender := mailclient.NewSender(nil)
	key := &stock.Key{Name: "hook", User: "cirque", Secret: "secret", Clear: true}
	if says, err := sender.Post(t.Context(), web.URL+"/yes", []byte(`{"a":1}`), key, signing); err != nil || !strings.Contains(says,
		"took it") || got != `cirque {"a":1}` {
		t.Error(says, err, got)
	}
	for says, to := range map[string]string{"refuses it": web.URL + "/no", "is not trusted": secure.URL,
		"refuses the connection": "http://127.0.0.1:1/"} {
		if _, err := sender.Post(t.Context(), to, nil, nil, nil); err == nil || !strings.Contains(fault.As(err).What, says) ||
			strings.Contains(fault.As(err).Fix, "IPP") {
			t.Errorf("%s: %+v", says, fault.As(err))
		}
	}
	key.Clear = false
	if _, err := sender.Post(t.Context(), web.URL+"/yes", nil, key, nil); err == nil || fault.As(err).Code != "post-plain" {
		t.Error("to this machine:", err)
	}
	if _, err := sender.Post(t.Context(), "http://hook.skerry.example/", nil, key, nil); err == nil ||
		fault.As(err).Code != "post-plain" {
		t.Error(err)
	}
}

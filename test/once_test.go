package test

import (
	"bytes"
	"encoding/json"
	"io"
	"net/http"
	"strings"
	"testing"

	"cirque/core/access"
	"cirque/core/document"
	"cirque/core/fault"
	"cirque/internal/api"
	"cirque/internal/app"
	"cirque/internal/testkit"
)

// sent sends a change under a key, once, and gives its status, the answer and whether it was one of before.
func (s *aService) sent(method, path, key string, in any) (status int, answer string, again bool) {
	s.t.Helper()
	b, err := json.Marshal(in)
	if err != nil {
		s.t.Fatal(err)
	}
	req, err := http.NewRequestWithContext(s.t.Context(), method, s.URL+path, bytes.NewReader(b))
	if err != nil {
		s.t.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer "+s.token)
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("Idempotency-Key", key)
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		s.t.Fatal(err)
	}
	defer func() { _ = resp.Body.Close() }()
	text, err := io.ReadAll(resp.Body)
	if err != nil {
		s.t.Fatal(err)
	}
	return resp.StatusCode, string(text), resp.Header.Get("Idempotency-Replayed") == "true"
}

func publishing(text string) api.Publish {
	return api.Publish{Reason: "test", Files: []document.File{{Name: "e.yaml", Text: text}}}
}

// TestDoneOnce: what is sent again under its key is answered as before, and done once.
func TestDoneOnce(t *testing.T) {
	t.Parallel()
	s := startService(t)
	first, answer, again := s.sent("POST", "/api/v1/revisions", "k1", publishing(oneQueue))
	if first != 200 || again {
		t.Fatal(first, answer, again)
	}
	s.publish(twoQueues)
	status, same, again := s.sent("POST", "/api/v1/revisions", "k1", publishing(oneQueue))
	if status != first || same != answer || !again {
		t.Errorf("again: %d %s %v", status, same, again)
	}
	if n := s.Service.Present.View().Revision.Number; n != 2 {
		t.Errorf("revision %d", n)
	}
	if status, answer, _ := s.sent("POST", "/api/v1/revisions", "k1", publishing(twoQueues)); status != 422 ||
		!strings.Contains(answer, "idempotency-key-reused") {
		t.Errorf("something else under the key: %d %s", status, answer)
	}
	// Another account's key is another key.
	other := *s
	other.token = s.tokenFor("other", access.Administrator, "")
	if status, answer, again := other.sent("POST", "/api/v1/revisions", "k1",
		publishing(twoQueues)); status != 200 || again {
		t.Errorf("of somebody else: %d %s %v", status, answer, again)
	}
	// What was refused was not done, and may be done once it is right.
	bad := api.NewToken{Name: "", Role: access.Auditor}
	if status, _, _ := s.sent("POST", "/api/v1/tokens", "k2", bad); status != 422 {
		t.Error(status)
	}
	if status, answer, _ := s.sent("POST", "/api/v1/tokens", "k2", api.NewToken{Name: "n",
		Role: access.Auditor}); status != 200 {
		t.Errorf("after it was refused: %d %s", status, answer)
	}
	for _, key := range []string{strings.Repeat("x", 256), `""`} {
		if status, _, _ := s.sent("POST", "/api/v1/tokens", key, api.NewToken{Name: "m",
			Role: access.Auditor}); status != 422 {
			t.Errorf("the key %.10q: %d", key, status)
		}
	}
}

// TestLostSecret: a token's secret is not kept, so a repeated request says that it was made, and it can be given
// another.
func TestLostSecret(t *testing.T) {
	t.Parallel()
	s := startService(t)
	in := api.NewToken{Name: "backup", Role: access.Auditor}
	_, text, _ := s.sent("POST", "/api/v1/tokens", "k", in)
	var made api.MadeToken
	if err := json.Unmarshal([]byte(text), &made); err != nil || made.Secret == "" {
		t.Fatal(text, err)
	}
	if kept := testkit.One[string](t, s.database, "SELECT coalesce(convert_from(answer, 'UTF8'), '') FROM once "+
		"WHERE key = 'k'"); kept != "" {
		t.Errorf("kept: %s", kept)
	}
	status, text, _ := s.sent("POST", "/api/v1/tokens", "k", in)
	if status != http.StatusConflict || !strings.Contains(text, "already-done") || !strings.Contains(text,
		"cirque token renew") {
		t.Fatalf("%d %s", status, text)
	}
	code, secret, errs := s.run("token", "renew", "backup")
	if code != 0 || !strings.HasPrefix(secret, "cirque_") {
		t.Fatal(code, secret, errs)
	}
	if p := s.Service.Identity.ByToken(strings.TrimSpace(secret)); p == nil || p.Role != access.Auditor {
		t.Errorf("%+v", p)
	}
	if p := s.Service.Identity.ByToken(made.Secret); p != nil {
		t.Error("the old secret still works")
	}
	// A token that may what its maker may is theirs alone.
	if _, err := s.Service.Identity.AddAccount(t.Context(), owner, "ida", "a long enough password", access.Holding{
		Role: access.Owner}); err != nil {
		t.Fatal(err)
	}
	_, _, err := s.Service.Identity.MakeOwnToken(t.Context(), &access.Principal{Name: "ida", Account: "ida",
		Role: access.Owner}, "mine", nil)
	if err != nil {
		t.Fatal(err)
	}
	if _, _, err := s.Service.Identity.RenewToken(t.Context(), owner, "mine"); !fault.Is(err, fault.Denied) {
		t.Errorf("somebody else's: %v", err)
	}
}

// TestLostAnswer: the connection to the database breaks after it was told to keep a revision. Whoever publishes hears
// that it may have been done; under the same key it is not done again.
func TestLostAnswer(t *testing.T) {
	t.Parallel()
	var wire *testkit.Wire
	s := startService(t, func(o *app.Options) { o.Database, wire = testkit.NewWire(t, o.Database) })
	wire.Lose("key-broken", "key-broken") // the transaction's first statement
	status, text, _ := s.sent("POST", "/api/v1/revisions", "key-broken", publishing(oneQueue))
	if status != 503 || strings.Contains(text, "may-have-been-done") {
		t.Errorf("broken before the commit: %d %s", status, text)
	}
	if n := s.Service.Present.View().Revision.Number; n != 0 {
		t.Errorf("revision %d", n)
	}
	wire.Lose("key-second", "commit")
	status, text, _ = s.sent("POST", "/api/v1/revisions", "key-second", publishing(oneQueue))
	if status != 503 || !strings.Contains(text, "may-have-been-done") {
		t.Fatalf("%d %s", status, text)
	}
	within(t, "it is known to be done", func() bool {
		status, text, _ = s.sent("POST", "/api/v1/revisions", "key-second", publishing(oneQueue))
		return status == http.StatusConflict && strings.Contains(text, "already-done")
	})
	within(t, "it shows", func() bool { return s.Service.Present.View().Revision.Number == 1 })

	// The command line sends it again by itself, and says what came of it.
	wire.Lose("key-again", "commit")
	code, _, errs := s.run("token", "create", "--name", "lost", "--role", "auditor", "--idempotency-key", "key-again")
	if code != 6 || !strings.Contains(errs, "was kept at") || !strings.Contains(errs, "cirque token renew") {
		t.Errorf("%d %s", code, errs)
	}
}

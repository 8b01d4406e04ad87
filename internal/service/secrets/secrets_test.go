package secrets_test

import (
	"bytes"
	"context"
	"strings"
	"testing"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/stock"
	"cirque/internal/service/secrets"
	"cirque/internal/testkit/rooms"
)

type store struct {
	secrets.Store
	*rooms.World
	noted []string
}

func (s *store) Credentials(context.Context) ([]stock.Credential, map[string][]byte, error) {
	return s.Keys, s.Sealed, nil
}

func (s *store) SaveCredential(_ context.Context, c stock.Credential, sealed []byte, _ event.Event) error {
	s.Keys, s.Sealed[c.Name] = append(s.Keys, c), sealed
	return nil
}

func (s *store) NoteCredential(_ context.Context, name, state, _ string, _ event.Event) error {
	s.noted = append(s.noted, name+" "+state)
	return nil
}

func room(t *testing.T, key byte) (*secrets.Room, *store) {
	t.Helper()
	s := &store{World: rooms.New(t, "estate: 1", directory.Records{})}
	return with(s, key), s
}

func with(s *store, key byte) *secrets.Room {
	return secrets.New(secrets.Config{Store: s, Present: s.Present, Now: s.Now, Log: rooms.Quiet,
		SecretKey: bytes.Repeat([]byte{key}, 32)})
}

// TestSealed: a secret is kept sealed, opened for the hosts that it is meant for alone, and useless beside another key.
func TestSealed(t *testing.T) {
	t.Parallel()
	r, s := room(t, 1)
	ctx, owner := t.Context(), rooms.Who(access.Owner)
	if _, err := r.StoreCredential(ctx, owner, secrets.NewCredential{Name: "branch", Kind: stock.SignIn, User: "u",
		Secret: "a very secret word", For: []string{"*.skerry.example"}}); err != nil {
		t.Fatal(err)
	}
	if b := s.Sealed["branch"]; len(b) == 0 || bytes.Contains(b, []byte("secret")) {
		t.Errorf("%q", b)
	}
	keys := r.KeysFor(stock.Watch{URI: "ipp://ps-1.skerry.example/"})
	if len(keys) != 1 || keys[0].Secret != "a very secret word" || strings.Contains(keys[0].String(), "secret") {
		t.Errorf("%v", keys)
	}
	if keys := r.KeysFor(stock.Watch{URI: "ipp://ps-1.other.example/"}); len(keys) != 0 {
		t.Errorf("for another host: %v", keys)
	}
	if keys := with(s, 2).KeysFor(stock.Watch{URI: "ipp://ps-1.skerry.example/"}); len(keys) != 0 {
		t.Errorf("opened with another key: %v", keys)
	}
}

// TestSources: a source's password is bound to its address: whoever changes that cannot have it sent elsewhere.
func TestSources(t *testing.T) {
	t.Parallel()
	r, _ := room(t, 1)
	v := directory.Source{Name: "hq", URL: "ldaps://dir.example", Bind: "cn=reader"}
	sealed, err := r.SealSource(v, "word")
	if err != nil {
		t.Fatal(err)
	}
	if word, err := r.SourcePassword(v, sealed); err != nil || word != "word" {
		t.Error(word, err)
	}
	v.URL = "ldaps://elsewhere.example"
	if word, err := r.SourcePassword(v, sealed); err == nil || word != "" || fault.As(err).Code != "sealed-otherwise" {
		t.Error(word, err)
	}
}

func TestAnswerKey(t *testing.T) {
	t.Parallel()
	a, s := room(t, 1)
	if !bytes.Equal(a.AnswerKey(), with(s, 1).AnswerKey()) || bytes.Equal(a.AnswerKey(), with(s, 2).AnswerKey()) {
		t.Error("processes with one secret sign alike, and no others")
	}
	if secrets.New(secrets.Config{Store: s, Present: s.Present, Now: s.Now}).AnswerKey() != nil {
		t.Error("it signs without a secret")
	}
}

package secrets_test

import (
	"bytes"
	"context"
	"fmt"
	"slices"
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
	return slices.Clone(s.Keys), s.Sealed, nil
}

func (s *store) SaveCredential(_ context.Context, c stock.Credential, sealed []byte, _ event.Event) error {
	s.Keys, s.Sealed[c.Name] = append(slices.DeleteFunc(s.Keys, func(o stock.Credential) bool {
		return o.Name == c.Name
	}), c), sealed
	return nil
}

func (s *store) NoteCredential(_ context.Context, name, state, _ string, _ event.Event) error {
	s.noted = append(s.noted, name+" "+state)
	return nil
}

const estate = `
estate: 1
locations: [{path: ard}]
servers: [{name: ps-1, uri: "ipp://ps-1.skerry.example/", location: ard},
  {name: ps-2, uri: "ipp://ps-2.skerry.example/"}]
devices: [{name: hall, uri: "ipp://10.40.8.31/ipp/print", location: ard}]
settings: {mail: {server: "smtps://mail.skerry.example", from: cirque@skerry.example}}
notices:
  - {name: desk, about: [servers], tell: ["post:https://hook.example/a", "mail:desk@skerry.example"]}
  - {name: two, about: [servers], tell: ["post:https://hook.example/a", "post:https://other.example/a"]}
`

func room(t *testing.T, key byte) (*secrets.Room, *store) {
	t.Helper()
	s := &store{World: rooms.New(t, estate, directory.Records{})}
	return with(s, key), s
}

func with(s *store, key byte) *secrets.Room {
	return secrets.New(secrets.Config{Store: s, Present: s.Present, Now: s.Now, Log: rooms.Quiet,
		SecretKeys: secrets.NewRing(bytes.Repeat([]byte{key}, 32))})
}

// TestSealed: a secret is kept sealed, opened for the hosts that it is meant for alone, and useless beside another key.
func TestSealed(t *testing.T) {
	t.Parallel()
	r, s := room(t, 1)
	ctx, owner := t.Context(), rooms.Who(access.Owner)
	if _, err := r.StoreCredential(ctx, owner, secrets.NewCredential{Name: "branch", Kind: stock.SignIn, User: "u",
		Secret: "a very secret word", For: []string{"server:ps-1"}}); err != nil {
		t.Fatal(err)
	}
	if b := s.Sealed["branch"]; len(b) == 0 || bytes.Contains(b, []byte("secret")) {
		t.Errorf("%q", b)
	}
	s.Refresh(t)
	at := func(name, uri string) stock.Watch { return stock.Watch{Kind: stock.KindServer, Name: name, URI: uri} }
	keys := r.KeysFor(at("ps-1", "ipp://ps-1.skerry.example/"))
	if len(keys) != 1 || keys[0].Secret != "a very secret word" || strings.Contains(keys[0].String(), "secret") {
		t.Errorf("%v", keys)
	}
	for _, w := range []stock.Watch{at("ps-1", "ipp://ps-1.other.example/"), at("ps-2", "ipp://ps-1.skerry.example/"),
		{URI: "ipp://ps-1.skerry.example/"}, {Kind: stock.ForMail, URI: "smtps://mail.skerry.example"}} {
		if keys := r.KeysFor(w); len(keys) != 0 {
			t.Errorf("for %+v: %v", w, keys)
		}
	}
	if keys := with(s, 2).KeysFor(at("ps-1", "ipp://ps-1.skerry.example/")); len(keys) != 0 {
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

// TestFor: a key names objects that are there; hosts stand for what is watched at them, and ranges are for communities.
func TestFor(t *testing.T) {
	t.Parallel()
	r, s := room(t, 1)
	for _, c := range []struct {
		kind string
		list []string
		want string // what it is for and where, or the beginning of what is wrong
	}{
		{stock.SignIn, nil, "[] map[]"},
		{stock.SignIn, []string{"server:ps-1", "ps-1.skerry.example", "PS-2.skerry.example"},
			"[server:ps-1 server:ps-2] map[server:ps-1:ipp://ps-1.skerry.example:631 server:ps-2:ipp://ps-2.skerry.example:631]"},
		{stock.SignIn, []string{"mail"}, "[mail] map[mail:smtps://mail.skerry.example:465]"},
		{stock.SignIn, []string{"notice:desk"}, "[notice:desk] map[notice:desk:https://hook.example:443]"},
		{stock.SignIn, []string{"10.40.8.31"}, "[device:hall] map[device:hall:ipp://10.40.8.31:631]"},
		{stock.SNMP, []string{"10.5.0.0/24", "device:hall"}, "[10.5.0.0/24 device:hall] map[device:hall:ipp://10.40.8.31:631]"},
		{stock.SNMP3, []string{"device:hall"}, "[device:hall] map[device:hall:ipp://10.40.8.31:631]"},
		{stock.SNMP3, []string{"10.5.0.0/24"}, "nothing that is watched has the host"},
		{stock.SignIn, []string{"10.0.0.0/8"}, "nothing that is watched has the host"},
		{stock.SignIn, []string{"127.0.0.0/8"}, "nothing that is watched has the host"},
		{stock.SignIn, []string{"*.skerry.example"}, "nothing that is watched has the host"},
		{stock.SignIn, []string{""}, "nothing that is watched has the host"},
		{stock.SignIn, []string{"mail.skerry.example"}, "nothing that is watched has the host"},
		{stock.SignIn, []string{"server:nowhere"}, "there is no server nowhere"},
		{stock.SignIn, []string{"notice:two"}, "notice:two posts to several hosts"},
		{stock.SNMP, []string{"server:ps-1"}, "a key of the kind snmp is for devices"},
		{stock.SNMP, []string{"mail"}, "a key of the kind snmp is for devices"},
	} {
		got, err := r.StoreCredential(t.Context(), rooms.Who(access.Owner), secrets.NewCredential{Name: "k", Kind: c.kind,
			User: "u", Secret: "a very secret word", For: c.list})
		text := fmt.Sprint(got.For, got.Bound)
		if err != nil {
			text = fault.As(err).What
		}
		if !strings.HasPrefix(text, c.want) {
			t.Errorf("%s for %v:\n got %s\nwant %s", c.kind, c.list, text, c.want)
		}
	}
	if _, err := r.StoreCredential(t.Context(), rooms.Who(access.SiteAdmin, "ard"), secrets.NewCredential{Name: "k",
		Kind: stock.SignIn, User: "u", Secret: "x", For: []string{"server:ps-1"}}); !fault.Is(err, fault.Denied) {
		t.Error("a site administrator stores a key:", err)
	}
	// Whoever may change an address cannot have the key sent there.
	if _, err := r.StoreCredential(t.Context(), rooms.Who(access.Owner), secrets.NewCredential{Name: "k",
		Kind: stock.SignIn, User: "u", Secret: "x", For: []string{"server:ps-1"}}); err != nil {
		t.Fatal(err)
	}
	s.Publish(t, strings.Replace(estate, "ipp://ps-1.skerry.example/", "ipp://127.0.0.1:9995/x", 1))
	s.Refresh(t)
	l, err := s.Present.WatchedOne(stock.KindServer, "ps-1")
	if err != nil || l.URI != "ipp://127.0.0.1:9995/x" {
		t.Fatal(l, err)
	}
	if keys := r.KeysFor(l.Watch); len(keys) != 0 {
		t.Error("the key goes elsewhere:", keys)
	}
	if list, _ := r.Credentials(t.Context(), rooms.Who(access.Owner)); len(list) != 1 || !strings.Contains(list[0].Says,
		"elsewhere now: server:ps-1") {
		t.Errorf("%+v", list)
	}
}

// TestFormerKeys: keys from before name what they fit now, once; what is sealed stays as it is.
func TestFormerKeys(t *testing.T) {
	t.Parallel()
	r, s := room(t, 1)
	s.Keys = []stock.Credential{{Name: "a", Kind: stock.SignIn, For: []string{"*.skerry.example", "10.0.0.0/8"}},
		{Name: "b", Kind: stock.SNMP, For: []string{"10.5.0.0/24", "hall.example"}}, {Name: "c", Kind: stock.SNMP3,
			For: []string{"10.40.0.0/16"}}, {Name: "d", Kind: stock.SignIn, For: []string{"nowhere.example"}},
		{Name: "e", Kind: stock.SignIn, For: []string{"server:ps-1"}}}
	s.Sealed["a"] = []byte("sealed")
	for range 2 {
		if err := r.NameKeys(t.Context()); err != nil {
			t.Fatal(err)
		}
	}
	want := map[string]string{"a": "[device:hall mail server:ps-1 server:ps-2]",
		"b": "[10.5.0.0/24]", "c": "[device:hall]",
		"d": "[]", "e": "[server:ps-1]"}
	for _, c := range s.Keys {
		if got := fmt.Sprint(c.For); got != want[c.Name] {
			t.Errorf("%s is for %s, want %s", c.Name, got, want[c.Name])
		}
	}
	if string(s.Sealed["a"]) != "sealed" {
		t.Error("what is sealed changed")
	}
}

package service

import (
	"strings"
	"testing"
	"time"

	"cirque/core/access"
)

func TestPassword(t *testing.T) {
	t.Parallel()
	s := &Service{hashing: make(chan struct{}, 1)}
	a, err := s.hashPassword(t.Context(), "correct horse battery")
	if err != nil {
		t.Fatal(err)
	}
	b, _ := s.hashPassword(t.Context(), "correct horse battery") // the same cannot fail
	if a == b || !strings.HasPrefix(a, "$argon2id$v=19$m=65536,t=3,p=2$") {
		t.Errorf("%s\n%s", a, b)
	}
	for _, c := range []struct {
		password, hash string
		want           bool
	}{
		{"correct horse battery", a, true}, {"correct horse", a, false}, {"", a, false}, {"x", decoy, false},
		{"x", "", false}, {"x", "$argon2id$v=19$m=99999999,t=3,p=2$AA$AA", false},
		{"x", "$argon2i$v=19$m=65536,t=3,p=2$AA$AA", false}, {"x", strings.Replace(a, "v=19", "v=16", 1), false},
		{"x", "$argon2id$v=19$m=65536,t=0,p=0$AA$AA", false},
	} {
		if got, err := s.checkPassword(t.Context(), c.password, c.hash); got != c.want || err != nil {
			t.Errorf("%q against %.40s: %v %v", c.password, c.hash, got, err)
		}
	}
}

func TestSlowdown(t *testing.T) {
	t.Parallel()
	s := slowdown{failures: map[string]failure{}}
	now := time.Now()
	var waits []time.Duration
	for range 14 {
		wait := time.Duration(0)
		for s.check("k", now.Add(wait)) != nil {
			wait += 500 * time.Millisecond
		}
		waits = append(waits, wait)
		s.failed("k", now)
	}
	for i, want := range map[int]time.Duration{0: 0, 2: 0, 3: time.Second, 4: 2 * time.Second, 6: 8 * time.Second,
		13: longestWait} {
		if waits[i] != want {
			t.Errorf("after %d failures one waits %v, want %v", i, waits[i], want)
		}
	}
	if s.check("other", now) != nil {
		t.Error("another waits too")
	}
	s.forget("k")
	if s.check("k", now) != nil {
		t.Error("forgotten, and still waiting")
	}
	for i := range mostFailures + 10 {
		s.failed(strings.Repeat("x", i%7)+time.Duration(i).String(), now.Add(time.Duration(i)*time.Hour))
	}
	if len(s.failures) > mostFailures {
		t.Errorf("%d are kept", len(s.failures))
	}
}

func TestPrincipals(t *testing.T) {
	t.Parallel()
	if (&access.Principal{Role: access.Agent, Name: "token", For: "mira"}).Person() != "mira" ||
		(&access.Principal{Role: access.Administrator, Name: "mira"}).Person() != "mira" {
		t.Error("whose job it is")
	}
	if access.Check(nil, access.Publish) == nil || access.Check(&access.Principal{Role: access.Agent},
		access.Publish) == nil || access.Check(&access.Principal{Role: "else"}, access.Print) == nil {
		t.Error("somebody may who may not")
	}
}

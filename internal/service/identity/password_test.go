package identity

import (
	"strings"
	"testing"

	"cirque/internal/service/tries"
)

func TestPassword(t *testing.T) {
	t.Parallel()
	s := &Room{hashing: tries.NewTurns(1)}
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
		{"correct horse battery", a, true}, {"correct horse", a, false}, {"", a, false}, {"x", s.cfg.decoy(), false},
		{"x", "", false}, {"x", "$argon2id$v=19$m=99999999,t=3,p=2$AA$AA", false},
		{"x", "$argon2i$v=19$m=65536,t=3,p=2$AA$AA", false}, {"x", strings.Replace(a, "v=19", "v=16", 1), false},
		{"x", "$argon2id$v=19$m=65536,t=0,p=0$AA$AA", false},
	} {
		if got, err := s.checkPassword(t.Context(), c.password, c.hash); got != c.want || err != nil {
			t.Errorf("%q against %.40s: %v %v", c.password, c.hash, got, err)
		}
	}
}

// TestQuickPasswords: only a service that is thrown away hashes quickly, and there a wrong name takes as long, too.
func TestQuickPasswords(t *testing.T) {
	t.Parallel()
	s := &Room{hashing: tries.NewTurns(1), cfg: Config{Throwaway: true}}
	a, err := s.hashPassword(t.Context(), "correct horse battery")
	if err != nil || !strings.HasPrefix(a, "$argon2id$v=19$m=64,t=3,p=2$") || !strings.HasPrefix(s.cfg.decoy(), a[:27]) {
		t.Errorf("%s, %s, %v", a, s.cfg.decoy(), err)
	}
	if ok, err := s.checkPassword(t.Context(), "correct horse battery", a); !ok || err != nil {
		t.Error(ok, err)
	}
	usual := Config{}
	if !strings.HasPrefix(usual.decoy(), "$argon2id$v=19$m=65536,") {
		t.Error(usual.decoy())
	}
}

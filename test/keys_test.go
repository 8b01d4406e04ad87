package test

import (
	"bytes"
	"crypto/rand"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"cirque/core/fault"
	"cirque/internal/app"
	"cirque/internal/ca"
	"cirque/internal/service/secrets"
	"cirque/internal/testkit"
)

// sharedKeys are the keys of all services of tests that have their database elsewhere: those on one database have the
// same.
var sharedKeys = sync.OnceValues(func() (map[string][]byte, error) {
	dir, err := os.MkdirTemp("", "cirque-test-")
	if err != nil {
		return nil, err
	}
	defer func() { _ = os.RemoveAll(dir) }()
	if _, err := ca.Open(dir, time.Now()); err != nil {
		return nil, err
	}
	key := make([]byte, 32)
	_, _ = rand.Read(key)
	out := map[string][]byte{"secret-key": []byte(secrets.NewRing(key).String())}
	for _, name := range []string{"ca.pem", "ca-key.pem"} {
		if out["ca/"+name], err = os.ReadFile(filepath.Join(dir, name)); err != nil {
			return nil, err
		}
	}
	return out, nil
})

// withKeys puts them into a data directory that has none.
func withKeys(t testing.TB, data string) string {
	t.Helper()
	keys, err := sharedKeys()
	if err != nil {
		t.Fatal(err)
	}
	if err := os.MkdirAll(filepath.Join(data, "ca"), 0o700); err != nil {
		t.Fatal(err)
	}
	for name, b := range keys {
		file := filepath.Join(data, name)
		if _, err := os.Stat(file); err == nil {
			continue
		}
		if err := os.WriteFile(file, b, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	return data
}

// TestOtherKeys: a service that has other keys than those on its database does not start, and says what to copy. It
// does once it has them, or is alone.
func TestOtherKeys(t *testing.T) {
	t.Parallel()
	s := startService(t)
	data := t.TempDir()
	o := app.Options{Data: data, Database: s.database, Listen: "127.0.0.1:0", PlainHTTP: true, Throwaway: true}
	within(t, "another is refused", func() bool {
		r, err := app.Start(t.Context(), o)
		if err == nil { // it came before the other's word
			_ = r.Stop()
			return false
		}
		f := fault.As(err)
		return f.Code == "other-keys" && strings.Contains(f.Fix, "copy secret-key and ca/")
	})
	if err := os.RemoveAll(data); err != nil {
		t.Fatal(err)
	}
	withKeys(t, data)
	r, err := app.Start(t.Context(), o)
	if err != nil {
		t.Fatal(err)
	}
	if err := r.Stop(); err != nil {
		t.Error(err)
	}
}

// TestSecretKeyAway: a service that runs does not make another secret key where its own is away for a while, and goes on
// with what it has.
func TestSecretKeyAway(t *testing.T) {
	t.Parallel()
	s := startService(t)
	file := filepath.Join(s.data, "secret-key")
	key, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	if err := os.Remove(file); err != nil {
		t.Fatal(err)
	}
	said := func() time.Time {
		return testkit.One[time.Time](t, s.database, "SELECT max(seen) FROM process WHERE keys <> '{}'")
	}
	for range 2 { // it says by which keys it goes each time it looks
		before := said()
		within(t, "it has said again that it is there", func() bool { return said().After(before) })
	}
	if b, err := os.ReadFile(file); err == nil {
		t.Errorf("there is a key again, %v the former", bytes.Equal(b, key))
	}
}

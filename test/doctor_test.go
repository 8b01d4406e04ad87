package test

import (
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"cirque/core/endpoint"
	"cirque/internal/app"
	"cirque/internal/testkit"
)

// TestDoctor looks at a service that runs, at what it left, and at a place where none was; and changes nothing there.
func TestDoctor(t *testing.T) {
	t.Parallel()
	found := func(o app.Options) map[string]endpoint.Check {
		t.Helper()
		out := map[string]endpoint.Check{}
		for _, c := range app.Examine(t.Context(), o) {
			out[c.Check] = c
		}
		return out
	}
	want := func(got map[string]endpoint.Check, check, result, says string) {
		t.Helper()
		if c := got[check]; c.Result != result || !strings.Contains(c.Says, says) {
			t.Errorf("%s: %+v", check, c)
		}
	}
	const fits, key, data, cert = "Does it fit this version of Cirque?", "Is its secret key there, and secret?",
		"Can its data directory be used?", "Is its certificate good?"

	s := startService(t, func(o *app.Options) { o.PlainHTTP = false })
	there := app.Options{Data: s.data, Database: s.database, Listen: "127.0.0.1:0"}
	got := found(there)
	want(got, fits, endpoint.Yes, "of this version")
	want(got, key, endpoint.Yes, "secret-key")
	want(got, cert, endpoint.Yes, "until")
	there.Listen = strings.TrimPrefix(s.URL, "https://")
	want(found(there), "Can it listen?", endpoint.Yes, "runs already, as process "+strconv.Itoa(os.Getpid()))
	there.Listen = "127.0.0.1:0"
	secret := filepath.Join(s.data, "secret-key")
	if err := os.Chmod(secret, 0o644); err != nil {
		t.Fatal(err)
	}
	want(found(there), key, endpoint.No, "read by others")
	if err := os.Rename(secret, secret+".gone"); err != nil {
		t.Fatal(err)
	}
	want(found(there), key, endpoint.No, "holds what it sealed")
	if _, err := os.Stat(secret); err == nil {
		t.Error("looking made a key")
	}

	none := filepath.Join(t.TempDir(), "none")
	got = found(app.Options{Data: none, Listen: "127.0.0.1:0"})
	want(got, data, endpoint.Yes, "not there yet")
	want(got, "Is PostgreSQL there?", endpoint.Yes, "version")
	if _, err := os.Stat(none); err == nil {
		t.Error("looking made a directory")
	}
	busy := strings.TrimPrefix(s.URL, "https://")
	got = found(app.Options{Data: none, Database: testkit.Database(t), Listen: busy})
	want(got, "Can it listen?", endpoint.No, busy)
	want(got, fits, endpoint.Yes, "")
	got = found(app.Options{Data: none, Database: "postgres://nobody@127.0.0.1:1/x", Listen: "127.0.0.1:0"})
	want(got, "Does the database answer?", endpoint.No, "")
	got = found(app.Options{Data: none, Listen: "127.0.0.1:0", TLSCert: secret, TLSKey: secret})
	want(got, cert, endpoint.No, "cannot be used")
}

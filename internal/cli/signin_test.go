package cli

import (
	"bytes"
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"cirque/internal/cmdline"
)

// TestSeveralServices: several services are kept, each with its own token; one is asked, which one is said, and signing
// out forgets it and goes back to the one before.
func TestSeveralServices(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	service := func(name string) *httptest.Server {
		s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if got := r.Header.Get("Authorization"); got != "Bearer of-"+name {
				t.Errorf("%s was asked with %q", name, got)
			}
			fmt.Fprintf(w, `{"signed_in":true,"name":%q,"role":"administrator","version":"1"}`, "me at "+name)
		}))
		t.Cleanup(s.Close)
		return s
	}
	a, b := service("a"), service("b")
	run := func(in string, args ...string) (code int, out string) {
		t.Helper()
		var o bytes.Buffer
		code = Execute(context.Background(), Local{Version: "test"}, args, cmdline.Streams{In: strings.NewReader(in), Out: &o, Err: &o},
			func(key string) string { return map[string]string{"CIRQUE_CONFIG_DIR": dir}[key] })
		return code, o.String()
	}
	says := func(in string, code int, want string, args ...string) {
		t.Helper()
		if got, out := run(in, args...); got != code || !strings.Contains(out, want) {
			t.Errorf("cirque %s: %d %s, want %d %q", strings.Join(args, " "), got, out, code, want)
		}
	}
	says("", cmdline.ExitInvalid, "no service is named", "whoami")
	// What the version before kept is read.
	if err := os.WriteFile(filepath.Join(dir, "sign-in.json"), fmt.Appendf(nil, `{"url":%q,"token":"of-a"}`, a.URL),
		0o600); err != nil {
		t.Fatal(err)
	}
	says("", cmdline.ExitOK, "asked as me at a (administrator)", "whoami")
	says("of-b\n", cmdline.ExitOK, "Signed in at "+b.URL, "sign-in", b.URL)
	says("", cmdline.ExitOK, "Kept: "+b.URL+", asked where nothing else is said.\nKept: "+a.URL+".", "whoami")
	says("", cmdline.ExitOK, "asked as me at a", "whoami", "--url", a.URL)
	says("", cmdline.ExitOK, a.URL+" is asked from now on", "sign-in", a.URL, "--kept")
	says("", cmdline.ExitOK, "asked as me at a", "whoami")
	says("", cmdline.ExitUnknown, "no sign-in at http://c is kept", "sign-in", "http://c", "--kept")
	says("", cmdline.ExitOK, b.URL+" is asked from now on", "sign-out")
	says("", cmdline.ExitOK, "asked as me at b", "whoami")
	says("", cmdline.ExitOK, "Signed out of "+b.URL, "sign-out", b.URL)
	says("", cmdline.ExitUnknown, "no sign-in is kept", "sign-out")
	if _, err := os.Stat(filepath.Join(dir, "sign-in.json")); !os.IsNotExist(err) {
		t.Error("the file stays:", err)
	}
}

// TestSilentService: a service that takes the connection and does not answer is given up.
func TestSilentService(t *testing.T) {
	t.Parallel()
	ended := make(chan struct{})
	s := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { <-ended }))
	defer s.Close()
	defer close(ended)
	var o bytes.Buffer
	begun := time.Now()
	code := Execute(t.Context(), Local{}, []string{"history", "--url", s.URL, "--timeout", "100ms"},
		cmdline.Streams{In: strings.NewReader(""), Out: &o, Err: &o}, func(string) string { return "" })
	if code != cmdline.ExitUnavailable || !strings.Contains(o.String(), "takes the connection, and does not answer in time") {
		t.Errorf("%d %s after %s", code, o.String(), time.Since(begun))
	}
}

// TestSilentChange: a change whose answer does not come in time may have been done, is not waited for again, and says
// under which key it can be sent once more.
func TestSilentChange(t *testing.T) {
	t.Parallel()
	ended, asked := make(chan struct{}), atomic.Int32{}
	s := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { asked.Add(1); <-ended }))
	defer s.Close()
	defer close(ended)
	var o bytes.Buffer
	code := Execute(t.Context(), Local{}, []string{"unpick", "hall", "--user", "mira", "--url", s.URL, "--timeout", "100ms"},
		cmdline.Streams{In: strings.NewReader(""), Out: &o, Err: &o}, func(string) string { return "" })
	if code != cmdline.ExitUnavailable || asked.Load() != 1 || !strings.Contains(o.String(), "it may have been done") ||
		!strings.Contains(o.String(), "--idempotency-key") {
		t.Errorf("%d, asked %d times: %s", code, asked.Load(), o.String())
	}
}

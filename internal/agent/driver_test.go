package agent

import (
	"bytes"
	"context"
	"crypto/ed25519"
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"cirque/core/endpoint"
	"cirque/internal/agentproto"
)

type noSpooler struct{ Spooler }

func (noSpooler) DriversFrom(func(context.Context, string) ([]byte, error)) {}

var someTime = time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)

type someMachine struct{}

func (someMachine) Facts(context.Context) (Facts, error) {
	return Facts{Machine: "desk-1", Platform: "linux/x64"}, nil
}

// TestDriverIsHeldToItsWord: a driver counts only with the checksum that was told, under the exact name, and described
// in a way that the spooler takes; what was fetched once is there while the service is away.
func TestDriverIsHeldToItsWord(t *testing.T) {
	t.Parallel()
	good := strings.ReplaceAll("*PPD-Adobe: \"4.3\"\n*FormatVersion: \"4.3\"\n*FileVersion: \"1.0\"\n*LanguageVersion: "+
		"English\n*LanguageEncoding: ISOLatin1\n*PCFileName: \"X.PPD\"\n*Manufacturer: \"S\"\n*Product: "+
		"\"(X)\"\n*ModelName: \"X\"\n*ShortNickName: \"X\"\n*NickName: \"MODEL\"\n*PSVersion: \"(3010.000) 0\"\n",
		"MODEL", "Mono 40")
	for says, c := range map[string]struct {
		exact, file, setUp, sum, want string
	}{
		"as told":          {"Mono 40", good, "a/mono.ppd", sumOf([]byte(good)), ""},
		"altered":          {"Mono 40", good + "*% x\n", "a/mono.ppd", sumOf([]byte(good)), "another checksum"},
		"of another name":  {"Mono 41", good, "a/mono.ppd", sumOf([]byte(good)), `does not name the driver "Mono 41"`},
		"of another kind":  {"Mono 40", good, "a/mono.inf", sumOf([]byte(good)), "takes .ppd files"},
		"not to be had":    {"Mono 40", "", "", "", "no such driver"},
		"cannot be parsed": {"Mono 40", "garbage", "a/mono.ppd", sumOf([]byte("garbage")), "cannot be read"},
	} {
		t.Run(says, func(t *testing.T) {
			t.Parallel()
			server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				if c.setUp == "" {
					w.WriteHeader(http.StatusNotFound)
					_, _ = w.Write([]byte(`{"detail":"no such driver"}`))
					return
				}
				if strings.HasSuffix(r.URL.Path, "/file") {
					_, _ = w.Write([]byte(c.file))
					return
				}
				signed(w, r, agentproto.Driver{Exact: c.exact, Package: "d", SetUpFile: c.setUp,
					Files: []agentproto.DriverFile{{Path: c.setUp, SHA256: c.sum}}})
			}))
			defer server.Close()
			a, err := New(Config{Service: server.URL, Token: "x", State: t.TempDir(), Spooler: noSpooler{},
				Machine: someMachine{}})
			if err != nil {
				t.Fatal(err)
			}
			b, err := a.driver(t.Context(), c.exact)
			if c.want != "" {
				if err == nil || !strings.Contains(err.Error(), c.want) {
					t.Fatalf("%q %v", b, err)
				}
				return
			}
			if err != nil || string(b) != c.file {
				t.Fatalf("%q %v", b, err)
			}
			server.Close()
			if again, err := a.driver(t.Context(), c.exact); err != nil || string(again) != c.file {
				t.Errorf("with the service away: %q %v", again, err)
			}
		})
	}
}

// TestRetriesGrow: a step that fails is tried again later each time, at once where something else is wanted, and keeps
// since when it has failed.
func TestRetriesGrow(t *testing.T) {
	t.Parallel()
	s := endpoint.Step{Do: "add", Want: endpoint.Want{Queue: "hall"}}
	var f failure
	now := someTime
	var waits []string
	for range 12 {
		f = failureAfter(f, s, errUnsigned, now)
		waits = append(waits, f.again.Sub(now).String())
		now = f.again
	}
	if got := strings.Join(waits, " "); got != "2s 4s 8s 16s 32s 1m4s 2m8s 4m16s 8m32s 10m0s 10m0s 10m0s" ||
		!f.Since.Equal(someTime) {
		t.Error(got, f.Since)
	}
	other := s
	other.Want.URI = "ipp://192.0.2.1/"
	if f.same(other) || !f.same(s) {
		t.Error("what is wanted is not told apart")
	}
	if f = failureAfter(f, other, errUnsigned, now); f.tries != 1 {
		t.Error("another step begins where the former was")
	}
}

// theKey is the service's in these tests.
var theKey = ed25519.NewKeyFromSeed(bytes.Repeat([]byte{7}, ed25519.SeedSize))

// signed answers as the service does.
func signed(w http.ResponseWriter, r *http.Request, v any) {
	asked, _ := io.ReadAll(r.Body)
	b, _ := json.Marshal(v)
	w.Header().Set(agentproto.SignatureHeader, agentproto.Sign(theKey, r.Header.Get(agentproto.NonceHeader), asked, "", b))
	w.Header().Set(agentproto.KeyHeader, agentproto.WriteKey(theKey.Public().(ed25519.PublicKey)))
	_, _ = w.Write(b)
}

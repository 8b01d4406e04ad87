package apiclient

import (
	"context"
	"encoding/json"
	"encoding/pem"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"slices"
	"strings"
	"testing"

	"cirque/core/fault"
	"cirque/core/page"
	"cirque/internal/api"
)

func serve(t *testing.T, f http.HandlerFunc) *Client {
	t.Helper()
	s := httptest.NewServer(f)
	t.Cleanup(s.Close)
	c, err := New(s.URL+"/base", "tok", nil)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func TestNewRefuses(t *testing.T) {
	t.Parallel()
	for _, c := range []struct{ base, token, ca, code string }{
		{"cirque.example:8631", "", "", "service-url"},
		{"ftp://cirque.example/", "", "", "service-url"},
		{"https://", "", "", "service-url"},
		{"https://cirque.example", "name: tok", "", "token-malformed"},
		{"https://cirque.example", "tok\n", "", "token-malformed"},
		{"https://cirque.example", "tok", "no certificate", "ca-file"},
	} {
		var ca []byte
		if c.ca != "" {
			ca = []byte(c.ca)
		}
		if _, err := New(c.base, c.token,
			ca); fault.As(err) == nil || fault.As(err).Code != c.code || fault.As(err).Fix == "" {
			t.Errorf("%+v: %v", c, err)
		}
	}
}

// TestRequest: what is sent is what was meant, below the address's own path.
func TestRequest(t *testing.T) {
	t.Parallel()
	c := serve(t, func(w http.ResponseWriter, r *http.Request) {
		var in map[string]int
		if err := json.NewDecoder(r.Body).Decode(&in); err != nil && r.Method == http.MethodPost {
			t.Error(err)
		}
		_ = json.NewEncoder(w).Encode([]string{r.Method, r.URL.EscapedPath(), r.URL.RawQuery, r.Header.Get("Authorization"),
			r.Header.Get("Content-Type"), r.Header.Get("If-Match"), fmt.Sprint(in["n"])})
	})
	got, err := Get[[]string](t.Context(), c, Path("/api/v1/queues", "hall/ 1?"), url.Values{"find": {"a b"}})
	if want := []string{"GET", "/base/api/v1/queues/hall%2F%201%3F", "find=a+b", "Bearer tok", "", "", "0"}; err != nil ||
		!slices.Equal(got, want) {
		t.Errorf("%q %v", got, err)
	}
	if got, err = Post[[]string](t.Context(), c, "/x",
		map[string]int{"n": 3}); err != nil || got[4] != "application/json" ||
		got[6] != "3" {
		t.Errorf("%q %v", got, err)
	}
	resp, err := c.Raw(t.Context(), http.MethodPost, "/x", nil, http.Header{"If-Match": {"7"}}, map[string]int{"n": 4})
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = resp.Body.Close() }()
	if err := json.NewDecoder(resp.Body).Decode(&got); err != nil || got[5] != "7" || got[6] != "4" ||
		got[3] != "Bearer tok" {
		t.Errorf("%q %v", got, err)
	}
}

// TestList reads page by page until there is none left.
func TestList(t *testing.T) {
	t.Parallel()
	asked := 0
	c := serve(t, func(w http.ResponseWriter, r *http.Request) {
		asked++
		q := r.URL.Query()
		if q.Get("limit") == "" || q.Get("site") != "north" {
			t.Error(q)
		}
		next := map[string]string{"": "b", "b": "c"}[q.Get("after")]
		_ = json.NewEncoder(w).Encode(page.Page[string]{Items: []string{"of " + q.Get("after")}, Next: next})
	})
	got, err := List[string](t.Context(), c, "/x", url.Values{"site": {"north"}})
	if err != nil || asked != 3 || !slices.Equal(got, []string{"of ", "of b", "of c"}) {
		t.Errorf("%q of %d pages, %v", got, asked, err)
	}
}

// TestProblems: a problem comes back as the fault that it was; what is no answer of Cirque's is said to be none.
func TestProblems(t *testing.T) {
	t.Parallel()
	whole := fault.New(fault.Conflict, "draft-changed", "look at it anew",
		"somebody else has changed it").With([]fault.Detail{
		{Place: "queues/0", What: "no", Fix: "yes"}})
	answers := map[string]func(w http.ResponseWriter){
		"draft-changed": func(w http.ResponseWriter) {
			w.Header().Set("Content-Type", "application/problem+json")
			w.WriteHeader(http.StatusConflict)
			_ = json.NewEncoder(w).Encode(api.Problem{Status: http.StatusConflict, Code: whole.Code, Kind: whole.Kind,
				Detail: whole.What,
				Fix:    whole.Fix, Places: whole.Details})
		},
		"answer-unreadable": func(w http.ResponseWriter) { http.Error(w, "<h1>Bad gateway</h1>", http.StatusBadGateway) },
	}
	for code, answer := range answers {
		c := serve(t, func(w http.ResponseWriter, _ *http.Request) { answer(w) })
		err := c.Do(t.Context(), http.MethodGet, "/x", nil, nil, nil)
		f := fault.As(err)
		if f == nil || f.Code != code || f.Fix == "" {
			t.Errorf("%s: %v", code, err)
			continue
		}
		if code == "draft-changed" && (f.Kind != fault.Conflict || f.What != whole.What || len(f.Details) != 1 ||
			f.Details[0] != whole.Details[0]) {
			t.Errorf("%+v", f)
		}
	}
	c := serve(t, func(w http.ResponseWriter, _ *http.Request) { _, _ = w.Write([]byte("<html>")) })
	if _, err := Get[map[string]string](t.Context(), c, "/x",
		nil); fault.As(err) == nil || fault.As(err).Code != "answer-unreadable" {
		t.Error(err)
	}
}

// TestUnreachable tells apart why there is no answer at all.
func TestUnreachable(t *testing.T) {
	t.Parallel()
	s := httptest.NewTLSServer(http.NotFoundHandler())
	defer s.Close()
	plain := httptest.NewServer(http.NotFoundHandler())
	defer plain.Close()
	gone := httptest.NewServer(http.NotFoundHandler())
	gone.Close()
	for base, code := range map[string]string{s.URL: "service-certificate", gone.URL: "service-unreachable",
		strings.Replace(plain.URL, "http:", "https:", 1): "service-plain"} {
		c, err := New(base, "", nil)
		if err != nil {
			t.Fatal(err)
		}
		if err := c.Do(t.Context(), http.MethodGet, "/", nil, nil, nil); fault.As(err) == nil || fault.As(err).Code != code {
			t.Errorf("%s: %v", code, err)
		}
		ctx, stop := context.WithCancel(t.Context())
		stop()
		if err := c.Do(ctx, http.MethodGet, "/", nil, nil, nil); !errors.Is(err, context.Canceled) {
			t.Errorf("stopped by the caller: %v", err)
		}
	}
	trusted, err := New(s.URL, "", pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: s.Certificate().Raw}))
	if err != nil {
		t.Fatal(err)
	}
	if err := trusted.Do(t.Context(), http.MethodGet, "/", nil, nil, nil); fault.As(err).Code != "answer-unreadable" {
		t.Error("with its authority named:", err)
	}
}

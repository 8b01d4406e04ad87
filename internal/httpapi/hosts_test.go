package httpapi

import (
	"net/http"
	"net/http/httptest"
	"testing"
)

// TestHosts: the service answers under its names, under addresses and on loopback, and under no name that somebody else
// has led here; how it does is told under any.
func TestHosts(t *testing.T) {
	t.Parallel()
	s := &server{cfg: Config{Hosts: func() []string { return []string{"Cirque.example", "*.print.example"} }}}
	h := s.arrive(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(http.StatusNoContent) }))
	for host, want := range map[string]int{
		"cirque.example": 204, "CIRQUE.EXAMPLE:8631": 204, "cirque.example.": 204, "a.print.example": 204,
		"a.b.print.example": 421, "print.example": 421, "evil.example": 421, "cirque.example.evil.example": 421, "": 421,
		"localhost": 204, "localhost:8631": 204, "127.0.0.1:8631": 204, "[::1]:8631": 204, "[2001:db8::1]": 204,
		"192.0.2.1": 204, "localhost.evil.example": 421, "127.0.0.1.evil.example": 421,
	} {
		for path, want := range map[string]int{"/api/v1/session": want, "/": want, "/readyz": 204, "/healthz": 204} {
			r := httptest.NewRequest(http.MethodGet, path, nil)
			r.Host = host
			w := httptest.NewRecorder()
			h.ServeHTTP(w, r)
			if w.Code != want {
				t.Errorf("%q %s: %d, want %d", host, path, w.Code, want)
			}
		}
	}
}

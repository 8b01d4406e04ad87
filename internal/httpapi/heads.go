package httpapi

import "net/http"

// heads answers HEAD as GET without the answer (RFC 9110, section 9.3.2); streams are not begun for it.
func heads(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method != http.MethodHead || r.URL.Path == "/api/v1/watch" || r.URL.Path == "/api/v1/audit/lines" {
			next.ServeHTTP(w, r)
			return
		}
		r = r.Clone(r.Context())
		r.Method = http.MethodGet
		next.ServeHTTP(headWriter{w}, r)
	})
}

// A headWriter writes nothing but the head.
type headWriter struct{ http.ResponseWriter }

func (headWriter) Write(b []byte) (int, error) { return len(b), nil }

// Unwrap gives what is written to (http.ResponseController).
func (w headWriter) Unwrap() http.ResponseWriter { return w.ResponseWriter }

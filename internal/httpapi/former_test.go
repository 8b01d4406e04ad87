package httpapi

import (
	"net/http"
	"net/http/httptest"
	"testing"
)

// TestFormerRoutes: what the version before called otherwise is answered by the present route, and says where that is.
func TestFormerRoutes(t *testing.T) {
	t.Parallel()
	for was, is := range map[string]string{
		"/api/v1/photographs":                      "/api/v1/snapshots",
		"/api/v1/photographs/before%2Fit/compare":  "/api/v1/snapshots/before%2Fit/compare",
		"/api/v1/exercises/3/stop":                 "/api/v1/failover-tests/3/stop",
		"/api/v1/servers/exercises/exercises":      "/api/v1/servers/exercises/failover-tests",
		"/api/v1/servers/a%20b/exercises":          "/api/v1/servers/a%20b/failover-tests",
		"/api/v1/directory/joins/7":                "/api/v1/directory/links/7",
		"/api/v1/directory/join-rules/address":     "/api/v1/directory/link-rules/address",
		"/api/v1/directory/lead":                   "/api/v1/directory/primary",
		"/api/v1/checkups/12/paper":                "/api/v1/checkups/12/print-result",
		"/api/v1/drivers/papers?model=Mono":        "/api/v1/drivers/print-results?model=Mono",
		"/api/v1/directory/strangers?limit=3":      "/api/v1/directory/unmatched?limit=3",
		"/api/v1/servers/exercises":                "/api/v1/servers/exercises",
		"/api/v1/photographs-of-yard":              "/api/v1/photographs-of-yard",
		"/exercises":                               "/exercises",
		"/api/v1/queues/photographs?find=papers":   "/api/v1/queues/photographs?find=papers",
		"/api/v1/snapshots/photographs/comparison": "/api/v1/snapshots/photographs/comparison",
	} {
		w := httptest.NewRecorder()
		former(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
			if got := r.URL.RequestURI(); got != is {
				t.Errorf("%s goes to %s, not to %s", was, got, is)
			}
		})).ServeHTTP(w, httptest.NewRequest(http.MethodGet, was, nil))
		if said := w.Header().Get("Deprecation") != ""; said != (was != is) {
			t.Errorf("%s: deprecation is said: %v", was, said)
		}
	}
}

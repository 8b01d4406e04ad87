package httpapi

import (
	"net/http"
	"net/url"
	"strings"
)

// formerRoutes are the paths of the version before, part by part (* stands for any one part), with the present ones.
// They are answered for one version more: docs/decisions/0035-plain-words.md.
var formerRoutes = []struct{ was, is string }{
	{"/api/v1/photographs", "/api/v1/snapshots"},
	{"/api/v1/exercises", "/api/v1/failover-tests"},
	{"/api/v1/servers/*/exercises", "/api/v1/servers/*/failover-tests"},
	{"/api/v1/directory/strangers", "/api/v1/directory/unmatched"},
	{"/api/v1/directory/joins", "/api/v1/directory/links"},
	{"/api/v1/directory/join-rules", "/api/v1/directory/link-rules"},
	{"/api/v1/directory/lead", "/api/v1/directory/primary"},
	{"/api/v1/checkups/*/paper", "/api/v1/checkups/*/print-result"},
	{"/api/v1/drivers/papers", "/api/v1/drivers/print-results"},
}

// renamedAt is when the former routes were renamed, as RFC 9745 section 2.1 writes a time.
const renamedAt = "@1795910400"

// former has requests for former routes answered by the present ones, and says so: by Deprecation (RFC 9745), and by a
// link to the successor (RFC 8594, section 5; RFC 5829, section 3.3).
func former(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		path, renamed := presentRoute(r.URL.EscapedPath())
		if !renamed {
			next.ServeHTTP(w, r)
			return
		}
		plain, err := url.PathUnescape(path)
		if err != nil { // the path as it came would have been refused before
			plain = path
		}
		to := *r.URL
		to.Path, to.RawPath = plain, path
		again := r.WithContext(r.Context())
		again.URL = &to
		w.Header().Set("Deprecation", renamedAt)
		w.Header().Set("Link", "<"+path+`>; rel="successor-version"`)
		next.ServeHTTP(w, again)
	})
}

// presentRoute gives the present path of a former one.
func presentRoute(path string) (string, bool) {
	if !strings.HasPrefix(path, "/api/v1/") {
		return path, false
	}
	parts := strings.Split(path, "/")
	for _, f := range formerRoutes {
		was := strings.Split(f.was, "/")
		if len(parts) < len(was) {
			continue
		}
		is, same := strings.Split(f.is, "/"), true
		for i, p := range was {
			same = same && (p == "*" && parts[i] != "" || p == parts[i])
			if p == "*" {
				is[i] = parts[i]
			}
		}
		if same {
			return strings.Join(append(is, parts[len(was):]...), "/"), true
		}
	}
	return path, false
}

package httpapi

import (
	"context"
	"net"
	"net/http"
	"net/netip"
	"slices"
	"strings"

	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/words"
)

type connectionKey struct{}

// OnConnection tells requests on which connection they came; it hears when somebody signs in on it.
func OnConnection(ctx context.Context, c interface{ SignedIn() }) context.Context {
	return context.WithValue(ctx, connectionKey{}, c)
}

// knownOn tells the connection that somebody has signed in.
func knownOn(ctx context.Context) {
	if c, ok := ctx.Value(connectionKey{}).(interface{ SignedIn() }); ok {
		c.SignedIn()
	}
}

// arrive finds where a request comes from, and puts its body under the limits of whoever is not known. Everything that
// answers lies behind it.
func (s *server) arrive(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		from := origin(r, s.cfg.Proxies)
		r = r.WithContext(context.WithValue(r.Context(), event.OriginKey{}, from))
		if !s.hosts(r) {
			w.Header().Set("Connection", "close")
			writeProblem(w, &fault.Error{Kind: "misdirected", Code: "host-unknown",
				What: "this service is not asked for under the name " + words.OneLine(r.Host, 255),
				Fix:  "ask under a name of its certificate, or have it started with --public-url"}, "")
			return
		}
		receive(w, r, from, &s.door.bodies)
		next.ServeHTTP(w, r)
	})
}

// hosts says whether a request is for this service. A name that somebody else has led here is none of its own: a page
// under that name could read what is here (DNS rebinding). Addresses cannot be led anywhere, and how the service does
// is told under any name.
func (s *server) hosts(r *http.Request) bool {
	if s.cfg.Hosts == nil || r.URL.Path == "/healthz" || r.URL.Path == "/readyz" {
		return true
	}
	host := r.Host
	if h, _, err := net.SplitHostPort(host); err == nil {
		host = h
	}
	host = strings.TrimSuffix(host, ".")
	if _, err := netip.ParseAddr(strings.Trim(host, "[]")); err == nil || strings.EqualFold(host, "localhost") {
		return true
	}
	return slices.ContainsFunc(s.cfg.Hosts(), func(name string) bool {
		if rest, wild := strings.CutPrefix(name, "*."); wild { // of a certificate (RFC 6125, section 6.4.3)
			_, after, ok := strings.Cut(host, ".")
			return ok && strings.EqualFold(after, rest)
		}
		return strings.EqualFold(name, host)
	})
}

// origin gives the address a request came from. Proxies tell from whom they have it, the nearest last, in Forwarded
// (RFC 7239) or X-Forwarded-For; each is believed as long as it is one of those that are trusted.
func origin(r *http.Request, trusted []netip.Prefix) string {
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		host = r.RemoteAddr
	}
	if len(trusted) == 0 {
		return host
	}
	at, err := netip.ParseAddr(host)
	if err != nil {
		return host
	}
	isTrusted := func(a netip.Addr) bool {
		return slices.ContainsFunc(trusted, func(p netip.Prefix) bool { return p.Contains(a) })
	}
	at = at.Unmap().WithZone("")
	for told := hops(r.Header); isTrusted(at) && len(told) > 0; told = told[:len(told)-1] {
		a, ok := hop(told[len(told)-1])
		if !ok {
			break // hidden, or no address: whoever told it is as far as is known
		}
		at = a
	}
	return at.String()
}

// hops gives what proxies told of where a request was, the nearest last.
func hops(h http.Header) []string {
	if list := h.Values("Forwarded"); len(list) > 0 {
		var out []string
		for _, element := range strings.Split(strings.Join(list, ","), ",") {
			node := ""
			for _, pair := range strings.Split(element, ";") {
				if k, v, ok := strings.Cut(strings.TrimSpace(pair), "="); ok && strings.EqualFold(k, "for") {
					node = strings.Trim(v, `"`)
				}
			}
			out = append(out, node)
		}
		return out
	}
	if list := h.Values("X-Forwarded-For"); len(list) > 0 {
		return strings.Split(strings.Join(list, ","), ",")
	}
	return nil
}

// hop reads a node (RFC 7239, section 6): an address, which may have a port.
func hop(node string) (netip.Addr, bool) {
	node = strings.TrimSpace(node)
	if ap, err := netip.ParseAddrPort(node); err == nil {
		return ap.Addr().Unmap().WithZone(""), true
	}
	a, err := netip.ParseAddr(strings.TrimSuffix(strings.TrimPrefix(node, "["), "]"))
	return a.Unmap().WithZone(""), err == nil
}

package httpapi

import (
	"net/http"
	"net/http/pprof"
	"slices"

	"github.com/gin-gonic/gin"

	"cirque/core/access"
	"cirque/core/fault"
)

// The profiles that Go's runtime takes of a process, by the names of net/http/pprof; cpu and trace take a while.
var profiles = []string{"allocs", "block", "cpu", "goroutine", "heap", "mutex", "threadcreate", "trace"}

// profile gives one to owners: it tells nothing of what is kept, and much of how it is done.
func (s *server) profile(c *gin.Context) {
	if err := access.Check(principalOf(c.Request.Context()), access.Profile); err != nil {
		s.problem(c, fault.As(err))
		return
	}
	kind := c.Param("kind")
	if !slices.Contains(profiles, kind) {
		s.problem(c, fault.New(fault.Unknown, "profile-unknown", "ask for one of allocs, block, cpu, goroutine, heap, mutex, "+
			"threadcreate and trace", "there is no profile %q", kind))
		return
	}
	var h http.Handler
	switch kind {
	case "cpu":
		h = http.HandlerFunc(pprof.Profile)
	case "trace":
		h = http.HandlerFunc(pprof.Trace)
	default:
		h = pprof.Handler(kind)
	}
	h.ServeHTTP(c.Writer, c.Request)
}

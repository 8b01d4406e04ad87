package httpapi

import (
	"net/http"
	"net/http/pprof"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"cirque/core/access"
	"cirque/core/fault"
)

// The profiles that Go's runtime takes of a process, by the names of net/http/pprof; cpu and trace take a while.
var profiles = []string{"allocs", "block", "cpu", "goroutine", "heap", "mutex", "threadcreate", "trace"}

// profile gives one to owners. It tells nothing of what is kept, and much of how it is done.
func profile(s *server) gin.HandlerFunc {
	return func(c *gin.Context) {
		h, err := profileOf(principalOf(c.Request.Context()), c.Param("kind"))
		if err != nil {
			s.problem(c, fault.As(err))
			return
		}
		h.ServeHTTP(c.Writer, c.Request)
	}
}

func profileOf(p *access.Principal, kind string) (http.Handler, error) {
	if err := access.Check(p, access.Profile); err != nil {
		return nil, err
	}
	switch {
	case !slices.Contains(profiles, kind):
		return nil, fault.New(fault.Unknown, "profile-unknown", "ask for one of "+strings.Join(profiles, ", "),
			"there is no profile %q", kind)
	case kind == "cpu":
		return http.HandlerFunc(pprof.Profile), nil
	case kind == "trace":
		return http.HandlerFunc(pprof.Trace), nil
	}
	return pprof.Handler(kind), nil
}

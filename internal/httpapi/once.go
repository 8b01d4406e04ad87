package httpapi

import (
	"bytes"
	"context"
	"crypto/sha256"
	"fmt"
	"io"
	"net/http"

	"github.com/gin-gonic/gin"

	"cirque/core/access"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/name"
	"cirque/internal/api"
	"cirque/internal/service/once"
)

// secretRoutes answer with a secret, which is kept nowhere.
var secretRoutes = map[string]bool{"POST /api/v1/tokens": true, "POST /api/v1/session/tokens": true,
	"POST /api/v1/tokens/:name/secret": true, "POST /api/v1/enrolment-tokens": true, "POST /api/v1/session/factors": true,
	"POST /api/v1/session/factors/begin": true, "POST /api/v1/session/recovery-codes": true,
	"POST /api/v1/emergency-account": true}

// once answers a request as it was answered before, where it was done already; else it has what is done now be kept
// under the request's key.
func (s *server) once(c *gin.Context, e entry, p *access.Principal, body []byte) {
	key := c.GetHeader(api.OnceHeader)
	if key == "" || p == nil || e.reads || c.FullPath() == "" {
		c.Next()
		return
	}
	ctx := c.Request.Context()
	print := sha256.New()
	fmt.Fprintln(print, c.Request.Method, c.Request.URL.EscapedPath(), c.Request.URL.RawQuery)
	print.Write(body)
	a, before, err := s.svc.Once.Begin(ctx, authorOf(p), key, print.Sum(nil))
	if err != nil {
		s.problem(c, fault.As(err))
		return
	}
	h := c.Writer.Header()
	if before != nil {
		h.Set("Idempotency-Replayed", "true")
		if before.Media != "" {
			h.Set("Content-Type", before.Media)
		}
		c.Abort()
		c.Writer.WriteHeader(before.Status)
		_, _ = c.Writer.Write(before.Answer) // the client has gone
		return
	}
	c.Request = c.Request.WithContext(context.WithValue(ctx, event.OnceKey{}, a))
	t := &tee{ResponseWriter: c.Writer}
	c.Writer = t
	c.Next()
	if status := t.Status(); status < 500 {
		s.svc.Once.Done(ctx, a, status, h.Get("Content-Type"), t.kept.Bytes(),
			secretRoutes[c.Request.Method+" "+c.FullPath()] || t.more)
	}
}

// authorOf names whoever asks among all who do.
func authorOf(p *access.Principal) string {
	kind := "account"
	if p.Token {
		kind = "token"
	}
	if p.Role == access.Agent {
		kind = "agent"
	}
	return kind + " " + name.Fold(p.Name)
}

// A tee keeps what is written, as far as it is kept at all.
type tee struct {
	gin.ResponseWriter
	kept bytes.Buffer
	more bool
}

func (t *tee) keep(b []byte) {
	if t.more = t.more || t.kept.Len()+len(b) > once.MostKept; !t.more {
		t.kept.Write(b)
	}
}

// Write writes and keeps.
func (t *tee) Write(b []byte) (int, error) { t.keep(b); return t.ResponseWriter.Write(b) }

// WriteString writes and keeps.
func (t *tee) WriteString(b string) (int, error) {
	t.keep([]byte(b))
	return io.WriteString(t.ResponseWriter, b)
}

// Unwrap gives what is written to (http.ResponseController).
func (t *tee) Unwrap() http.ResponseWriter { return t.ResponseWriter }

package httpapi

import (
	"io/fs"
	"net/http"
	"path"
	"reflect"
	"strings"

	"github.com/gin-gonic/gin"

	"cirque/core/fault"
)

func typeOf[T any]() reflect.Type { return reflect.TypeFor[T]() }

// console serves the built console. Paths that are no file lead to its one page, whose router knows them.
func (s *server) console() gin.HandlerFunc {
	notFound := func(c *gin.Context) {
		s.problem(c, fault.New(fault.Unknown, "route-unknown", "see /api/openapi.yaml", "there is nothing at %s",
			c.Request.URL.Path))
	}
	if s.cfg.Console == nil {
		return notFound
	}
	files := http.FileServerFS(s.cfg.Console)
	exists := func(p string) bool {
		info, err := fs.Stat(s.cfg.Console, p)
		return err == nil && !info.IsDir()
	}
	return func(c *gin.Context) {
		p := strings.TrimPrefix(path.Clean(c.Request.URL.Path), "/")
		get := c.Request.Method == http.MethodGet || c.Request.Method == http.MethodHead
		if !get || p == "api" || strings.HasPrefix(p, "api/") || strings.HasPrefix(p, "ipp") || strings.HasPrefix(p,
			"assets/") && !exists(p) {
			notFound(c)
			return
		}
		c.Status(http.StatusOK) // Gin has set 404 here
		if exists(p) {
			if strings.HasPrefix(p, "assets/") {
				c.Header("Cache-Control", "public, max-age=31536000, immutable") // their names carry a hash
			}
		} else {
			c.Request.URL.Path = "/"
			c.Header("Cache-Control", "no-cache")
		}
		files.ServeHTTP(c.Writer, c.Request)
	}
}

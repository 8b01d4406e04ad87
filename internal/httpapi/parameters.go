package httpapi

import (
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

	"cirque/core/fault"
	"cirque/core/name"
)

// queryOf are the names of the parameters that an operation takes in its query.
func queryOf(op *huma.Operation) []string {
	names := []string{}
	for _, p := range op.Parameters {
		if p.In == "query" {
			names = append(names, p.Name)
		}
	}
	return names
}

// unknownParameter refuses what an operation would pass over: a filter that is misspelt would else give everything.
func unknownParameter(c *gin.Context, known []string) error {
	if c.Request.URL.RawQuery == "" {
		return nil
	}
	for key := range c.Request.URL.Query() {
		if slices.Contains(known, key) {
			continue
		}
		fix := "it takes none"
		if near := name.Near(key, slices.Values(known), 3); len(near) > 0 {
			fix = "did you mean " + strings.Join(near, " or ") + "?"
		} else if len(known) > 0 {
			fix = "it takes " + strings.Join(known, ", ")
		}
		return fault.New(fault.Invalid, "parameter-unknown", fix, "%s %s takes no parameter %q", c.Request.Method,
			c.Request.URL.Path, clip(key))
	}
	return nil
}

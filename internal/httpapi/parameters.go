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
		takes := "it takes none"
		if len(known) > 0 {
			takes = "it takes " + strings.Join(known, ", ")
		}
		fix := name.DidYouMean(name.Near(key, slices.Values(known), 3), takes)
		return fault.New(fault.Invalid, "parameter-unknown", fix, "%s %s takes no parameter %q", c.Request.Method,
			c.Request.URL.Path, clip(key))
	}
	return nil
}

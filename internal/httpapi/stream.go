package httpapi

import (
	"context"
	"encoding/json"
	"net/http"

	"github.com/danielgtaylor/huma/v2"
)

// streamOf describes an answer of one JSON object a line.
func streamOf[L any](a huma.API, op *huma.Operation, says string) {
	schema := a.OpenAPI().Components.Schemas.Schema(typeOf[L](), true, "")
	op.Responses = map[string]*huma.Response{"200": {Description: says,
		Content: map[string]*huma.MediaType{"application/x-ndjson": {Schema: schema}}}}
}

// stream answers with lines as work tells them. The work's context ends when nobody reads them any more, and when the
// service stops.
func stream[L any](s *server, work func(ctx context.Context, line func(L))) *huma.StreamResponse {
	return &huma.StreamResponse{Body: func(c huma.Context) {
		ctx, cancel := context.WithCancel(c.Context())
		defer cancel()
		defer context.AfterFunc(s.cfg.Stopping, cancel)()
		c.SetHeader("Content-Type", "application/x-ndjson")
		c.SetHeader("X-Accel-Buffering", "no")
		enc := json.NewEncoder(c.BodyWriter())
		work(ctx, func(l L) {
			if enc.Encode(l) != nil {
				cancel() // nobody reads it any more
			}
			if f, ok := c.BodyWriter().(http.Flusher); ok {
				f.Flush()
			}
		})
	}}
}

package httpapi

import (
	"encoding/json"
	"fmt"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

	"cirque/core/event"
	"cirque/core/fault"
	"cirque/internal/api"
)

// heartbeat keeps idle connections open through what stands between.
const heartbeat = 20 * time.Second

// watch streams notices as server-sent events (WHATWG HTML, section 9.2), each of the type "notice".
func (s *server) watch(c *gin.Context) {
	ctx := c.Request.Context()
	notices, stop, err := s.svc.Audit.Watch(ctx, principalOf(ctx))
	if err != nil {
		s.problem(c, fault.As(err))
		return
	}
	defer stop()
	free, err := s.holds.take("streams of signals", principalOf(ctx), streamsMost)
	if err != nil {
		s.problem(c, fault.As(err))
		return
	}
	defer free()
	h := c.Writer.Header()
	h.Set("Content-Type", "text/event-stream")
	h.Set("X-Accel-Buffering", "no")
	c.Status(http.StatusOK)
	write := func(text string) bool {
		_, err := c.Writer.WriteString(text)
		c.Writer.Flush()
		return err == nil
	}
	tick := time.NewTicker(heartbeat)
	defer tick.Stop()
	for ok := write(": watching\n\n"); ok; {
		select {
		case n := <-notices:
			if n.What == event.Listing {
				continue // for the service alone
			}
			if !stillIn(ctx) {
				return
			}
			b, _ := json.Marshal(api.Signal{What: n.What, Subject: n.Subject}) // two strings
			ok = write(fmt.Sprintf("event: notice\ndata: %s\n\n", b))
		case <-tick.C:
			ok = stillIn(ctx) && write(": still here\n\n")
		case <-ctx.Done():
			return
		case <-s.cfg.Stopping.Done():
			return
		}
	}
}

// describeWatch puts the stream into the API's description; huma has no part in serving it.
func describeWatch(a huma.API) {
	doc := a.OpenAPI()
	schema := doc.Components.Schemas.Schema(typeOf[api.Signal](), true, "Signal")
	doc.AddOperation(&huma.Operation{Method: http.MethodGet, Path: "/api/v1/watch", OperationID: "watch",
		Summary: "Signals of what changed, as server-sent events of the type notice",
		Responses: map[string]*huma.Response{"200": {Description: "A stream without end",
			Content: map[string]*huma.MediaType{"text/event-stream": {Schema: schema}}}}})
}

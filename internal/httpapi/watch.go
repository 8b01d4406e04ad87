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

// watch streams notices as server-sent events (WHATWG HTML, section 9.2), each of the type "notice". Whoever was cut
// off names the last that came (Last-Event-ID) and gets what was missed; where it is not known any more, or was told by
// another process, a notice that some were lost.
func (s *server) watch(c *gin.Context) {
	ctx := c.Request.Context()
	watching, err := s.svc.Audit.Watch(ctx, principalOf(ctx), c.GetHeader("Last-Event-ID"))
	if err != nil {
		s.problem(c, fault.As(err))
		return
	}
	defer watching.Stop()
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
	tell := func(n event.Signal) bool {
		if n.What == event.Listing {
			return true // for the service alone
		}
		b, _ := json.Marshal(api.Signal{What: n.What, Subject: n.Subject}) // two strings
		return write(fmt.Sprintf("id: %s\nevent: notice\ndata: %s\n\n", n.ID, b))
	}
	tick := time.NewTicker(heartbeat)
	defer tick.Stop()
	// Whoever is cut off before anything was told goes on from here.
	ok := write(fmt.Sprintf("retry: 1000\nid: %s\n\n: watching\n\n", watching.At))
	for _, n := range watching.Missed {
		ok = ok && tell(n)
	}
	for ok {
		select {
		case n := <-watching.Notices:
			ok = stillIn(ctx) && tell(n)
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
		Description: "Each has an id. Whoever was cut off sends the last as Last-Event-ID and gets what was missed; " +
			"where that is not known any more, a signal that some were lost: read everything anew.",
		Parameters: []*huma.Param{{Name: "Last-Event-ID", In: "header", Schema: &huma.Schema{Type: huma.TypeString},
			Description: "The id of the last event that came."}},
		Responses: map[string]*huma.Response{"200": {Description: "A stream without end",
			Content: map[string]*huma.MediaType{"text/event-stream": {Schema: schema}}}}})
}

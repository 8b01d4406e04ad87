package httpapi

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"mime"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/core/readiness"
	"cirque/internal/agentproto"
	"cirque/internal/service/lineups"
	"cirque/internal/service/present"
)

// asking is what surrounds a question for lineups.
type asking struct {
	known string // the tag of the answer that is known already
	wait  string // Prefer
	when  When
}

// answered is what came of one.
type answered struct {
	lineups.Answer
	same bool
	pref string
}

func (s *server) ask(ctx context.Context, in asking, queries []lineup.Query, room []byte) (a answered, err error) {
	known, wait := agentproto.TagOf(in.known), agentproto.ParsePrefer(in.wait)
	when, err := in.when.parse()
	if err != nil {
		return a, err
	}
	if known == "" || when != (present.When{}) {
		a.Answer, err = s.svc.Lineups.Lineups(ctx, principalOf(ctx), queries, when, room)
		return a, err
	}
	if wait > 0 {
		free, err := s.holds.take("questions that wait", principalOf(ctx), waitsMost)
		if err != nil {
			return a, err
		}
		defer free()
		a.pref = agentproto.Prefer(wait)
	}
	// A poll must not hold up the service's stopping.
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	defer context.AfterFunc(s.cfg.Stopping, cancel)()
	a.Answer, a.same, err = s.svc.Lineups.WaitLineups(ctx, principalOf(ctx), queries, known, wait, room)
	if err == nil && !stillIn(ctx) {
		err = fault.New(fault.Unsigned, "signed-out", "sign in again", "who asked is not let in any more")
	}
	return a, err
}

// rooms are what answers are written into before they are sent.
var rooms = sync.Pool{New: func() any { b := make([]byte, 0, 16<<10); return &b }}

// lineup answers one context. It is asked more often than all else together, so it stands on Gin alone; huma describes
// it.
func (s *server) lineup(c *gin.Context) {
	ctx := c.Request.Context()
	refuse := func(err error) {
		p, ok := err.(*problem)
		if !ok {
			p = s.fail(ctx, err)
		}
		p.write(c.Writer)
	}
	var q lineup.Query
	if err := readBody(c, &q); err != nil {
		refuse(err)
		return
	}
	room := rooms.Get().(*[]byte)
	defer rooms.Put(room)
	a, err := s.ask(ctx, asking{c.GetHeader("If-None-Match"), c.GetHeader("Prefer"), When{c.Query("revision"),
		c.Query("as_of")}}, []lineup.Query{q}, (*room)[:0])
	if err != nil {
		refuse(err)
		return
	}
	h := c.Writer.Header()
	h.Set("ETag", agentproto.Quote(a.Tag))
	if age := s.age(a.AsOf); age != "" {
		h.Set("Age", age)
	}
	if a.pref != "" {
		h.Set("Preference-Applied", a.pref)
	}
	if a.same {
		c.Status(http.StatusNotModified)
		return
	}
	*room = a.JSON
	body := a.JSON[1 : len(a.JSON)-1] // of the array
	h.Set("Content-Type", "application/json")
	h.Set("Content-Length", strconv.Itoa(len(body)))
	c.Status(http.StatusOK)
	_, _ = c.Writer.Write(body) // the client has gone
}

// age is the Age header of an answer (RFC 9111, section 5.1), in seconds, where what it says was so a while ago; ""
// where it is so now.
func (s *server) age(asOf time.Time) string {
	age := s.svc.Present.AgeOf(asOf)
	if age < readiness.SaidAfter {
		return ""
	}
	return strconv.Itoa(int(age / time.Second))
}

// readBody reads a small JSON body strictly: one value, no keys that are not known. Errors are problems as huma makes
// them.
func readBody(c *gin.Context, v any) error {
	if t := c.GetHeader("Content-Type"); t != "" && t != "application/json" {
		if media, _, err := mime.ParseMediaType(t); err != nil || media != "application/json" {
			return newError(http.StatusUnsupportedMediaType, "unknown content type: "+t)
		}
	}
	b, err := io.ReadAll(c.Request.Body)
	switch {
	case err != nil:
		return unread(err)
	case len(b) == 0:
		return newError(http.StatusBadRequest, "", &huma.ErrorDetail{Message: "request body is required", Location: "body"})
	}
	dec := json.NewDecoder(strings.NewReader(string(b)))
	dec.DisallowUnknownFields()
	err = dec.Decode(v)
	var kind *json.UnmarshalTypeError
	switch {
	case errors.As(err, &kind):
		return newError(http.StatusUnprocessableEntity, "validation failed", &huma.ErrorDetail{Message: "expected " +
			kind.Type.String(), Location: "body." + kind.Field})
	case err != nil && strings.HasPrefix(err.Error(), "json: unknown field "):
		name := strings.Trim(strings.TrimPrefix(err.Error(), "json: unknown field "), `"`)
		return newError(http.StatusUnprocessableEntity, "validation failed", &huma.ErrorDetail{Message: "unexpected property",
			Location: "body." + name})
	case err != nil:
		return newError(http.StatusBadRequest, "")
	case dec.More():
		return newError(http.StatusBadRequest, "")
	}
	return nil
}

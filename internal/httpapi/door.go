package httpapi

import (
	"bytes"
	"context"
	"errors"
	"io"
	"mime"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/core/words"
)

// A body is what an operation takes: how many bytes at most, and for the larger ones who may send them, which is asked
// before any of it is read. The operation itself asks again, with the scope.
type body struct {
	most  int64
	needs access.Action
	told  bool // by a machine of what others made up there: control characters are taken out of it, not refused
	grave bool // asked of whoever has just shown who they are
}

// The sizes of bodies.
var (
	small  = body{most: 64 << 10}
	medium = body{most: 4 << 20}
	large  = body{most: 64 << 20}
)

// by is the body of whoever may do an action.
func (b body) by(a access.Action) body {
	b.needs = a
	return b
}

// asTold is the body of a machine that tells what it found.
func (b body) asTold() body {
	b.told = true
	return b
}

// gravely is the body of what matters most: somebody at a console has to have shown lately who they are.
func (b body) gravely() body {
	b.grave = true
	return b
}

// graveKey is where an operation keeps that it matters most.
const graveKey = "cirque-grave"

// toldKey is where an operation keeps that its body is told.
const toldKey = "cirque-told"

// readsKey is where an operation keeps that it changes nothing.
const readsKey = "cirque-reads"

// actionKey is where an operation keeps who may send its body.
const actionKey = "cirque-needs"

// An entry is what the door knows of a route.
type entry struct {
	open  bool // needs no sign-in
	own   bool // looks at its body itself
	most  int64
	needs access.Action
	told  bool
	reads bool // changes nothing
	grave bool // asked of whoever has just shown who they are
	aged  bool // answers also where what is known here is old
	// versioned is held to a version where it is done, rather than to what is read at its address.
	versioned bool
	query     []string     // its parameters there; nil takes any
	schema    *huma.Schema // of JSON that it takes
}

// A door stands before every route: it knows which of them need a sign-in, and lets no body further that was not asked
// for, is too large, trickles, or is not what the description says.
type door struct {
	entries  map[string]entry // by method and the path's pattern
	registry huma.Registry
	bodies   bodies
	current  func() error // fails where what is known here is too old; nil where it never is
}

// of reads the entries out of the API's description.
func (d *door) of(doc *huma.OpenAPI) {
	d.entries, d.registry = map[string]entry{}, doc.Components.Schemas
	d.bodies.unknown = map[string]int64{}
	for path, item := range doc.Paths {
		pattern := strings.NewReplacer("{", ":", "}", "").Replace(path)
		for _, op := range []*huma.Operation{item.Get, item.Post, item.Put, item.Patch, item.Delete} {
			if op == nil {
				continue
			}
			e := entry{open: op.Security != nil && len(op.Security) == 0, most: op.MaxBodyBytes}
			e.needs, _ = op.Metadata[actionKey].(access.Action)
			e.told, _ = op.Metadata[toldKey].(bool)
			e.grave, _ = op.Metadata[graveKey].(bool)
			e.reads, _ = op.Metadata[readsKey].(bool)
			e.reads = e.reads || op == item.Get
			e.versioned, e.query = versioned[op.OperationID], queryOf(op)
			if op.RequestBody != nil {
				if media := op.RequestBody.Content["application/json"]; media != nil {
					e.schema = media.Schema
				}
			}
			d.entries[op.Method+" "+pattern] = e
		}
	}
	// These look at their bodies themselves: one because it is asked most, the other because it passes documents on.
	for _, route := range []string{"POST /api/v1/lineups", "POST /ipp/*queue"} {
		e := d.entries[route]
		e.own = true
		d.entries[route] = e
	}
	for _, route := range agedRoutes {
		e := d.entries[route]
		e.aged = true
		d.entries[route] = e
	}
	e := d.entries["POST /ipp/*queue"]
	e.open = true // it asks for the sign-in of printing, and reads nothing before
	d.entries["POST /ipp/*queue"] = e
}

// agedRoutes are asked also where what is known here is too old to say who may do what: one's own lineups, and how the
// service does.
var agedRoutes = []string{"POST /api/v1/lineups", "POST /api/v1/lineups/batch", "GET /api/v1/session", "GET /healthz",
	"GET /readyz", "GET /metrics"}

type bodyKey struct{}

// bodyOf gives the bytes of a request's body, which the door has read.
func bodyOf(ctx context.Context) []byte {
	b, _ := ctx.Value(bodyKey{}).([]byte)
	return b
}

// open turns a request away that brings no sign-in where one is needed, and reads the body of the others.
func (s *server) open(c *gin.Context) {
	in, _ := c.Request.Body.(*inflow)
	if in != nil {
		defer in.done()
	}
	route := c.FullPath()
	e := s.door.entries[c.Request.Method+" "+route]
	if strings.HasPrefix(route, "/api/openapi") {
		e.open = true // the description itself
	}
	p := principalOf(c.Request.Context())
	refuse := func(f *fault.Error) {
		if in != nil {
			in.refused(c.Request.ContentLength)
		}
		s.problem(c, f)
	}
	if p == nil && !e.open && route != "" {
		refuse(fault.As(access.Check(nil, e.needs)))
		return
	}
	if route != "" && !e.aged && s.door.current != nil {
		if err := s.door.current(); err != nil {
			refuse(fault.As(err))
			return
		}
	}
	if e.grave {
		if err := s.svc.Factors.Proven(p); err != nil {
			refuse(fault.As(err))
			return
		}
	}
	if place := controlIn(c); place != "" && route != "" {
		refuse(fault.New(fault.Invalid, "control-character", "leave it out", "%s has a control character", place))
		return
	}
	if e.query != nil {
		if err := unknownParameter(c, e.query); err != nil {
			refuse(fault.As(err))
			return
		}
	}
	if in == nil {
		s.once(c, e, p, nil)
		return
	}
	if p != nil {
		in.signed(e.most)
		if e.needs != "" {
			if err := access.Check(p, e.needs); err != nil {
				_ = s.fail(c.Request.Context(), err) // for the log
				refuse(fault.As(err))
				return
			}
		}
	}
	if e.own || route == "" || e.most == 0 {
		if !e.own || p == nil {
			in.refused(c.Request.ContentLength)
		}
		c.Next()
		return
	}
	b, err := io.ReadAll(in)
	if err == nil {
		err = s.check(c, e, b)
	}
	if err != nil {
		p := unread(err)
		p.RequestID = requestID(c.Request.Context())
		c.Abort()
		p.write(c.Writer)
		return
	}
	ctx := context.WithValue(c.Request.Context(), bodyKey{}, b)
	c.Request = c.Request.WithContext(ctx)
	c.Request.Body = io.NopCloser(bytes.NewReader(b))
	s.once(c, e, p, b)
}

// controlIn names what has a control character among the parts of a path and its query; "" where nothing has.
func controlIn(c *gin.Context) string {
	for _, p := range c.Params {
		if words.Controls(p.Value, false) {
			return p.Key
		}
	}
	if c.Request.URL.RawQuery == "" {
		return ""
	}
	for key, list := range c.Request.URL.Query() {
		if words.Controls(key, false) || slices.ContainsFunc(list, func(v string) bool { return words.Controls(v, false) }) {
			return clip(words.Escape(key, ""))
		}
	}
	return ""
}

// check holds a JSON body against its schema.
func (s *server) check(c *gin.Context, e entry, b []byte) error {
	if e.schema == nil || len(b) == 0 {
		return nil // huma says that a body is missing
	}
	if t := c.GetHeader("Content-Type"); t != "" && t != "application/json" {
		if media, _, err := mime.ParseMediaType(t); err != nil || media != "application/json" {
			return newError(http.StatusUnsupportedMediaType, "unknown content type: "+t)
		}
	}
	return checkJSON(s.door.registry, e.schema, b, !e.told)
}

// unread is the problem of a body that was not taken.
func unread(err error) *problem {
	var p *problem
	switch {
	case errors.As(err, &p):
		return p
	case errors.Is(err, errTooLarge):
		err = newError(http.StatusRequestEntityTooLarge, "")
	case errors.Is(err, errBusy):
		err = problemOf(fault.New(fault.TooMany, "bodies-in-flight", "send it again in a while",
			"as much is being sent here at once as is taken"), "")
	case errors.Is(err, errSlow{}):
		err = newError(http.StatusRequestTimeout, "")
	default:
		err = newError(http.StatusBadRequest, "")
	}
	errors.As(err, &p)
	return p
}

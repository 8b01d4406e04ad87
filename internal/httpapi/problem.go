package httpapi

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

	"cirque/core/fault"
	"cirque/internal/api"
)

var statusOf = map[fault.Kind]int{
	fault.Invalid: http.StatusUnprocessableEntity, fault.Unknown: http.StatusNotFound, fault.Conflict: http.StatusConflict,
	fault.Unsigned: http.StatusUnauthorized, fault.Denied: http.StatusForbidden, fault.TooMany: http.StatusTooManyRequests,
	fault.TooLarge: http.StatusRequestEntityTooLarge, fault.Unavailable: http.StatusServiceUnavailable,
	fault.Internal: http.StatusInternalServerError, "method": http.StatusMethodNotAllowed,
	"misdirected": http.StatusMisdirectedRequest, precondition: http.StatusPreconditionFailed,
	left: http.StatusRequestTimeout,
}

// left is the kind of fault of a request whose client has gone before it was answered: nobody's fault here. Nobody
// reads the status; figures and log have it among what is not the service's failing.
const left = fault.Kind("left")

// problem is an api.Problem as huma wants its errors.
type problem struct{ api.Problem }

func (p *problem) Error() string                { return p.Detail }
func (p *problem) GetStatus() int               { return p.Status }
func (p *problem) ContentType(string) string    { return "application/problem+json" }
func (p *problem) MarshalJSON() ([]byte, error) { return json.Marshal(p.Problem) }

func problemOf(err error, id string) *problem {
	f := fault.As(err)
	status := statusOf[f.Kind]
	return &problem{api.Problem{Type: "about:blank", Title: http.StatusText(status), Status: status, Detail: f.What,
		Code: f.Code, Kind: f.Kind, Fix: f.Fix, Places: f.Details, RequestID: id}}
}

// fail logs what only the log may know, and gives the problem.
func (s *server) fail(ctx context.Context, err error) *problem {
	if errors.Is(err, context.Canceled) && ctx.Err() != nil {
		err = fault.New(left, "request-left", "ask again", "whoever asked has gone before the answer")
	}
	f := fault.As(err)
	if want, _ := ctx.Value(ifMatchKey).(string); want != "" && movedCodes[f.Code] {
		told := *f
		told.Kind = precondition
		f = &told
	}
	if f.Kind == fault.Internal || f.Kind == fault.Unavailable {
		s.log.ErrorContext(ctx, "request failed", "id", requestID(ctx), "code", f.Code, "error", err)
	}
	if f.Kind == fault.Denied {
		who := ""
		if p := principalOf(ctx); p != nil {
			who = p.Name
		}
		s.log.WarnContext(ctx, "refused", "id", requestID(ctx), "code", f.Code, "who", who, "remote", remoteOf(ctx),
			"says", f.What)
	}
	return problemOf(f, requestID(ctx))
}

// problem ends a plain Gin request.
func (s *server) problem(c *gin.Context, f *fault.Error) {
	c.Abort()
	writeProblem(c.Writer, f, requestID(c.Request.Context()))
}

func writeProblem(w http.ResponseWriter, f *fault.Error, id string) { problemOf(f, id).write(w) }

func (p *problem) write(w http.ResponseWriter) {
	w.Header().Set("Content-Type", "application/problem+json")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(p.Status)
	_ = json.NewEncoder(w).Encode(p.Problem) // the client has gone
}

// newError makes problems of what huma itself finds wrong with a request. Rejected values are not echoed: one may be a
// password.
func newError(status int, message string, errs ...error) huma.StatusError {
	kind, code, fix := fault.Invalid, "request-invalid", "see the API's description at /api/openapi.yaml"
	switch status {
	case http.StatusRequestEntityTooLarge:
		kind, code, fix, message = fault.TooLarge, "body-too-large", "send less at once", "the body is too large"
	case http.StatusInternalServerError:
		kind, code, fix, message = fault.Internal, "internal", "the service's log has the cause",
			"something went wrong inside Cirque"
	case http.StatusUnsupportedMediaType:
		code, fix = "media-type", "send application/json"
	case http.StatusRequestTimeout:
		kind, code, fix, message = fault.Unavailable, "body-slow", "send it again", "the body did not arrive in time"
	case http.StatusBadRequest:
		code, message = "body-unreadable", "the body is missing, or cannot be read"
	}
	p := &problem{api.Problem{Type: "about:blank", Title: http.StatusText(status), Status: status, Detail: message,
		Code: code, Kind: kind, Fix: fix}}
	for _, e := range errs {
		if d, ok := e.(*huma.ErrorDetail); ok {
			p.Places = append(p.Places, fault.Detail{Place: strings.TrimPrefix(d.Location, "body."), What: d.Message})
		}
	}
	if len(p.Places) > 0 && message == "validation failed" {
		p.Detail = p.Places[0].Place + ": " + p.Places[0].What
	}
	return p
}

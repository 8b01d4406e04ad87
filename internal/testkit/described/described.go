// Package described holds what a service answers against the API's description: a status that it names, a value that its
// schema takes, a code that the list of problems has. Tests stand it around the service.
package described

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"

	"github.com/danielgtaylor/huma/v2"

	"cirque/internal/httpapi"
)

// An operation of the description, with how its path is told.
type operation struct {
	*huma.Operation
	pattern *regexp.Regexp
	words   int // of the path that are fixed: the more, the better it fits
	looked  *sync.Map
}

// mostLooked is how many answers of one status are looked at, of one operation: what is wrong with it shows in few.
const mostLooked = 25

// enough says whether so many have been looked at already.
func (o operation) enough(status int) bool {
	n, _ := o.looked.LoadOrStore(status, new(atomic.Int64))
	return n.(*atomic.Int64).Add(1) > mostLooked
}

type description struct {
	ops      []operation
	registry huma.Registry
	codes    map[string]bool
}

var read = sync.OnceValue(func() description {
	doc := httpapi.Described("test")
	d := description{registry: doc.Components.Schemas, codes: map[string]bool{}}
	variable := regexp.MustCompile(`\\\{[^}]*\\\}`)
	for path, item := range doc.Paths {
		pattern := regexp.MustCompile("^" + variable.ReplaceAllString(regexp.QuoteMeta(path), "[^/]+") + "$")
		for _, op := range []*huma.Operation{item.Get, item.Post, item.Put, item.Patch, item.Delete} {
			if op != nil {
				d.ops = append(d.ops, operation{op, pattern, -strings.Count(path, "{"), new(sync.Map)})
			}
		}
	}
	slices.SortFunc(d.ops, func(a, b operation) int { return b.words - a.words })
	codes, _ := d.registry.Map()["Problem"].Properties["code"].Extensions["x-codes"].(map[string]any)
	for code := range codes {
		d.codes[code] = true
	}
	return d
})

// Around stands around a service's handler and tells what is not as described.
func Around(next http.Handler, tell func(what string)) http.Handler {
	d := read()
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if !strings.HasPrefix(r.URL.Path, "/api/v1/") && r.URL.Path != "/readyz" || r.URL.Path == "/api/v1/watch" {
			next.ServeHTTP(w, r)
			return
		}
		method, path := r.Method, r.URL.EscapedPath()
		rec := &recorder{ResponseWriter: w, status: http.StatusOK}
		next.ServeHTTP(rec, r)
		for _, what := range d.wrong(method, path, rec) {
			tell(fmt.Sprintf("%s %s answers %d: %s", method, path, rec.status, what))
		}
	})
}

func (d description) wrong(method, path string, rec *recorder) []string {
	i := slices.IndexFunc(d.ops, func(o operation) bool { return o.Method == method && o.pattern.MatchString(path) })
	if i < 0 || rec.status == http.StatusNotModified {
		return nil // not of the API, or a method that it does not have
	}
	op := d.ops[i]
	if op.enough(rec.status) {
		return nil
	}
	var out []string
	response := op.Responses[strconv.Itoa(rec.status)]
	switch {
	case rec.status == http.StatusMethodNotAllowed || rec.status == http.StatusMisdirectedRequest:
		return nil // the door's, before any operation
	case response == nil:
		return []string{"the status is not described"}
	case rec.status >= 400 && path != "/readyz":
		var p struct{ Code string }
		if err := json.Unmarshal(rec.body.Bytes(), &p); err != nil || !d.codes[p.Code] {
			out = append(out, fmt.Sprintf("the code %q is not in the list of problems", p.Code))
		}
		return out
	}
	media := response.Content["application/json"]
	if media == nil || rec.cut || rec.body.Len() == 0 {
		return nil
	}
	var v any
	if err := json.Unmarshal(rec.body.Bytes(), &v); err != nil {
		return []string{err.Error()}
	}
	res := &huma.ValidateResult{}
	huma.Validate(d.registry, media.Schema, huma.NewPathBuffer(nil, 0), huma.ModeReadFromServer, v, res)
	for _, err := range res.Errors {
		// A value that may be null is one of two; the validation knows no null, and takes both. What it is, is looked at
		// below.
		if !strings.Contains(err.Error(), "matched multiple") {
			out = append(out, err.Error())
		}
	}
	d.nulls(media.Schema, v, "", &out)
	return out[:min(len(out), 5)]
}

// zeroTime is what a time is that nobody has set: it has no place in an answer.
const zeroTime = "0001-01-01T00:00:00Z"

// nulls tells of null where the schema has none, which the validation passes over, and of times that nobody set.
func (d description) nulls(s *huma.Schema, v any, at string, out *[]string) {
	if len(*out) > 5 {
		return
	}
	for s != nil && s.Ref != "" {
		s = d.registry.SchemaFromRef(s.Ref)
	}
	if s == nil {
		return
	}
	if v == zeroTime {
		*out = append(*out, at+" is a time that nobody has set")
		return
	}
	if v == nil && !nullable(s) {
		*out = append(*out, at+" is null, and is not described so")
		return
	}
	if len(s.OneOf) > 0 && v != nil {
		s = d.registry.SchemaFromRef(s.OneOf[0].Ref)
		res := &huma.ValidateResult{}
		huma.Validate(d.registry, s, huma.NewPathBuffer(nil, 0), huma.ModeReadFromServer, v, res)
		for _, err := range res.Errors {
			if !strings.Contains(err.Error(), "matched multiple") {
				*out = append(*out, at+": "+err.Error())
			}
		}
	}
	switch v := v.(type) {
	case map[string]any:
		for key, x := range v {
			of := s.Properties[key]
			if of == nil {
				of, _ = s.AdditionalProperties.(*huma.Schema)
			}
			d.nulls(of, x, at+"."+key, out)
		}
	case []any:
		for i, x := range v {
			d.nulls(s.Items, x, at+"["+strconv.Itoa(i)+"]", out)
		}
	}
}

func nullable(s *huma.Schema) bool {
	return s.Nullable || s.Type == "" && len(s.OneOf) == 0 || slices.ContainsFunc(s.OneOf, func(o *huma.Schema) bool {
		return o.Type == "null"
	})
}

// mostKept is how much of an answer is looked at.
const mostKept = 8 << 20

// A recorder writes, and keeps what it writes.
type recorder struct {
	http.ResponseWriter
	status int
	body   bytes.Buffer
	cut    bool
}

// WriteHeader keeps the status.
func (r *recorder) WriteHeader(status int) {
	r.status = status
	r.ResponseWriter.WriteHeader(status)
}

// Write writes and keeps.
func (r *recorder) Write(b []byte) (int, error) {
	if r.body.Len()+len(b) > mostKept {
		r.cut = true
	} else {
		r.body.Write(b)
	}
	return r.ResponseWriter.Write(b)
}

// Flush flushes.
func (r *recorder) Flush() {
	if f, ok := r.ResponseWriter.(http.Flusher); ok {
		f.Flush()
	}
}

// Unwrap gives what is written to (http.ResponseController).
func (r *recorder) Unwrap() http.ResponseWriter { return r.ResponseWriter }

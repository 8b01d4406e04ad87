package httpapi

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"net/http"
	"net/http/httptest"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/internal/service/present"
)

// mostTagged is how large an answer may be that is held back to give it a tag.
const mostTagged = 4 << 20

// A held answer waits for its tag; one that streams, or is too large, goes out as it comes.
type held struct {
	gin.ResponseWriter
	kept bytes.Buffer
	out  bool // it has begun to go out
}

// during has what follows be held; also where it panics, what is said of that goes out.
func (h *held) during(c *gin.Context) {
	c.Writer = h
	defer func() { c.Writer = h.ResponseWriter }()
	c.Next()
}

func (h *held) release() {
	if h.out {
		return
	}
	h.out = true
	_, _ = h.ResponseWriter.Write(h.kept.Bytes()) // the client has gone
	h.kept = bytes.Buffer{}
}

// Write keeps, or writes.
func (h *held) Write(b []byte) (int, error) {
	if !h.out && h.kept.Len()+len(b) > mostTagged {
		h.release()
	}
	if h.out {
		return h.ResponseWriter.Write(b)
	}
	return h.kept.Write(b)
}

// WriteString keeps, or writes.
func (h *held) WriteString(s string) (int, error) { return h.Write([]byte(s)) }

// Flush lets what is there go: it streams.
func (h *held) Flush() {
	h.release()
	h.ResponseWriter.Flush()
}

// Unwrap gives what is written to (http.ResponseController).
func (h *held) Unwrap() http.ResponseWriter { return h.ResponseWriter }

// conditional gives answers to reads a tag (RFC 9110, section 8.8.3), answers 304 to whoever has them already, and
// holds changes to what whoever asks has seen (section 13.1.1).
func (s *server) conditional(c *gin.Context) {
	path := c.FullPath()
	if !strings.HasPrefix(path, "/api/v1/") || path == "/api/v1/watch" {
		c.Next()
		return
	}
	if c.Request.Method == http.MethodGet {
		s.tagged(c)
		return
	}
	want := c.GetHeader("If-Match")
	e := s.door.entries[c.Request.Method+" "+path]
	if want == "" || e.reads {
		c.Next()
		return
	}
	ctx := context.WithValue(c.Request.Context(), ifMatchKey, want)
	c.Request = c.Request.WithContext(ctx)
	if e.versioned {
		c.Next() // it is held to a version where it is done
		return
	}
	if _, there := s.door.entries["GET "+path]; !there {
		s.problem(c, fault.New(fault.Invalid, "if-match-unknown", "leave If-Match out",
			"nothing is read at %s, so that nothing can be held against a tag", c.Request.URL.Path))
		return
	}
	s.matching.Lock() // whoever changes the same with a tag waits
	defer s.matching.Unlock()
	if now := s.tagNow(c.Request); !matches(want, now) {
		s.problem(c, changedMeanwhile())
		return
	}
	c.Next()
}

func changedMeanwhile() *fault.Error {
	return fault.New(precondition, "changed-meanwhile", "read it again, and make the change once more",
		"it is not any more as the tag in If-Match says")
}

func (s *server) tagged(c *gin.Context) {
	h := &held{ResponseWriter: c.Writer}
	h.during(c)
	if h.out {
		return
	}
	head := c.Writer.Header()
	if c.Writer.Status() == http.StatusOK && h.kept.Len() > 0 {
		tag := head.Get("ETag")
		if tag == "" {
			sum := sha256.Sum256(h.kept.Bytes())
			tag = `"` + hex.EncodeToString(sum[:12]) + `"`
			head.Set("ETag", tag)
		}
		if none := c.GetHeader("If-None-Match"); none != "" && matches(none, tag) {
			head.Del("Content-Type")
			c.Writer.WriteHeader(http.StatusNotModified)
			c.Writer.WriteHeaderNow()
			return
		}
	}
	h.release()
}

// tagNow is the tag of what is at an address now; "" where nothing is.
func (s *server) tagNow(was *http.Request) string {
	r := was.Clone(was.Context())
	r.Method, r.Body, r.ContentLength = http.MethodGet, http.NoBody, 0
	for _, h := range []string{"If-Match", "Idempotency-Key", "Content-Type", "If-None-Match"} {
		r.Header.Del(h)
	}
	r.URL.RawQuery = ""
	rec := httptest.NewRecorder()
	s.engine.ServeHTTP(rec, r)
	if rec.Code != http.StatusOK {
		return ""
	}
	return rec.Header().Get("ETag")
}

// matches says whether a tag is among those of If-Match or If-None-Match; * is any that is there.
func matches(list, tag string) bool {
	for t := range strings.SplitSeq(list, ",") {
		if t = strings.TrimSpace(t); tag != "" && (t == "*" || strings.TrimPrefix(t, "W/") == tag) {
			return true
		}
	}
	return false
}

// precondition is the kind of fault of a change that is held against a tag, and is refused.
const precondition = fault.Kind("precondition")

// movedCodes are those of changes that were made on a version which is not the present one.
var movedCodes = map[string]bool{"draft-moved": true, "estate-moved": true}

// versioned are the operations that are held to a state of the draft, or a revision of the estate, where they are done:
// the tags of both are made of these.
var versioned = map[string]bool{"edit": true, "apply": true, "discard": true, "rename-queues": true,
	"move-queues":       true,
	"apply-queue-table": true, "propose-draft": true, "publish-draft": true, "publish": true, "revert": true}

// ofEstate are those of them that are held to the estate's revision.
var ofEstate = map[string]bool{"publish": true, "revert": true}

// tagOf makes the tag of something that has versions, of all numbers that it is told by.
func tagOf(kind string, numbers ...int64) string {
	for _, n := range numbers {
		kind += "-" + strconv.FormatInt(n, 10)
	}
	return `"` + kind + `"`
}

// draftTag is the tag of a draft as it is told: which it is, its version, and the revision beside which it stands.
func draftTag(d estate.DraftSheet) string { return tagOf("draft", d.ID, d.Version, int64(d.Current)) }

// heldTo has an operation be held to the version that If-Match names.
func heldTo(ctx context.Context, id string) (context.Context, error) {
	want, _ := ctx.Value(ifMatchKey).(string)
	if want = strings.TrimSpace(want); want == "" || want == "*" || !versioned[id] {
		return ctx, nil
	}
	kind, text, _ := strings.Cut(strings.Trim(want, `"`), "-")
	var numbers []int64
	for part := range strings.SplitSeq(text, "-") {
		n, err := strconv.ParseInt(part, 10, 64)
		if err != nil {
			return ctx, changedMeanwhile()
		}
		numbers = append(numbers, n)
	}
	switch {
	case ofEstate[id] && kind == "revision" && len(numbers) == 1:
		return present.HoldToRevision(ctx, numbers[0]), nil
	case !ofEstate[id] && kind == "draft" && len(numbers) == 3: // what others have published is merged, not refused
		return present.HoldToDraft(ctx, present.DraftState{ID: numbers[0], Version: numbers[1]}), nil
	}
	return ctx, changedMeanwhile()
}

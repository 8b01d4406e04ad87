package httpapi

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"

	"cirque/core/words"

	"github.com/danielgtaylor/huma/v2"
)

// Limits on JSON that comes in.
const (
	jsonDepth  = 64
	jsonValues = 250_000
	// complaintsMost is how many complaints one body gets; nobody reads more.
	complaintsMost = 50
)

// A checker holds a value against a schema. It ends when it has complained enough.
type checker struct {
	strict   bool // control characters are refused
	registry huma.Registry
	found    []error
	place    []byte
	res      huma.ValidateResult
	path     *huma.PathBuffer
}

// checkJSON gives a problem with up to complaintsMost places, or nil. Schemas are JSON Schema as huma makes it (OpenAPI
// 3.1, section 4.8.24).
func checkJSON(registry huma.Registry, schema *huma.Schema, b []byte, strict bool) error {
	unreadable := func(what string) error {
		return newError(http.StatusBadRequest, "", &huma.ErrorDetail{Location: "body", Message: what})
	}
	if what := beyond(b); what != "" {
		return unreadable(what)
	}
	var v any
	if err := json.Unmarshal(b, &v); err != nil {
		return unreadable(err.Error())
	}
	k := checker{strict: strict, registry: registry, place: []byte("body"), path: huma.NewPathBuffer(nil, 0)}
	if !k.value(schema, v) {
		k.found = append(k.found, &huma.ErrorDetail{Location: "body", Message: "reading ended there; more may be wrong"})
	}
	if len(k.found) > 0 {
		return newError(http.StatusUnprocessableEntity, "validation failed", k.found...)
	}
	return nil
}

// beyond says which limit JSON is beyond, before anything is built of it; "" where none. It counts what separates and
// nests outside texts, so it need not be right about anything else.
func beyond(b []byte) string {
	values, depth, text := 1, 0, false
	for i := 0; i < len(b); i++ {
		switch c := b[i]; {
		case text && c == '\\':
			i++
		case c == '"':
			text = !text
		case text:
		case c == '{' || c == '[':
			values++
			if depth++; depth > jsonDepth {
				return fmt.Sprintf("it is nested deeper than %d levels", jsonDepth)
			}
		case c == '}' || c == ']':
			depth--
		case c == ',':
			if values++; values > jsonValues {
				return fmt.Sprintf("more than %d values stand in it; send less at once", jsonValues)
			}
		}
	}
	return ""
}

// complain notes what is wrong where the checker is; false when that was enough.
func (k *checker) complain(message string) bool {
	if len(k.found) == complaintsMost {
		return false
	}
	k.found = append(k.found, &huma.ErrorDetail{Location: string(k.place), Message: message})
	return true
}

// part holds what stands at a part of the place against its schema.
func (k *checker) part(part string, s *huma.Schema, v any) bool {
	n := len(k.place)
	k.place = append(k.place, part...)
	ok := k.value(s, v)
	k.place = k.place[:n]
	return ok
}

// resolve follows references, and takes "this or null" apart. Nil is any value.
func (k *checker) resolve(s *huma.Schema) (_ *huma.Schema, orNull bool) {
	for s != nil {
		switch {
		case s.Ref != "":
			s = k.registry.SchemaFromRef(s.Ref)
		case len(s.OneOf) == 2 && s.OneOf[1].Type == "null":
			s, orNull = s.OneOf[0], true
		default:
			return s, orNull || s.Nullable
		}
	}
	return nil, true
}

// value holds one against its schema; false when that is enough.
func (k *checker) value(s *huma.Schema, v any) bool {
	s, orNull := k.resolve(s)
	if s == nil || v == nil && orNull {
		return true
	}
	switch v := v.(type) {
	case string:
		if k.strict && words.Controls(v, k.severalLines()) && !k.complain("control characters are not taken") {
			return false
		}
	case []any:
		if s.Type == huma.TypeArray {
			return k.array(s, v)
		}
	case map[string]any:
		if s.Type == huma.TypeObject {
			return k.object(s, v)
		}
	}
	// What is plain, or of another type than it should be, huma judges.
	k.res.Reset()
	huma.Validate(k.registry, s, k.path, huma.ModeWriteToServer, v, &k.res)
	for _, e := range k.res.Errors {
		message := e.Error()
		if d, ok := errors.AsType[*huma.ErrorDetail](e); ok {
			message = d.Message
		}
		if !k.complain(message) {
			return false
		}
	}
	return true
}

// severalLines says whether what stands where the checker is may have several lines: files, notes, certificates, and
// what people answer.
func (k *checker) severalLines() bool {
	last := string(k.place[bytes.LastIndexByte(k.place, '.')+1:])
	return slices.Contains([]string{"text", "note", "notice", "request", "ca", "reason", "answer", "before", "after"},
		last) ||
		bytes.Contains(k.place, []byte(".object")) // an edit of the estate, whose reader says which may
}

func (k *checker) array(s *huma.Schema, v []any) bool {
	if s.MinItems != nil && len(v) < *s.MinItems && !k.complain(fmt.Sprintf("expected array length >= %d", *s.MinItems)) {
		return false
	}
	if s.MaxItems != nil && len(v) > *s.MaxItems {
		// What stands in it is beside the point then.
		return k.complain(fmt.Sprintf("expected array length <= %d", *s.MaxItems))
	}
	for i, e := range v {
		if !k.part("["+strconv.Itoa(i)+"]", s.Items, e) {
			return false
		}
	}
	return true
}

func (k *checker) object(s *huma.Schema, v map[string]any) bool {
	for _, name := range s.Required {
		if _, ok := v[name]; !ok && !s.Properties[name].ReadOnly && !k.complain("expected required property "+name+
			" to be present") {
			return false
		}
	}
	keys := make([]string, 0, len(v))
	for key := range v {
		keys = append(keys, key)
	}
	slices.Sort(keys)
	for _, key := range keys {
		of, known := s.Properties[key]
		if known && v[key] == nil && !slices.Contains(s.Required, key) {
			continue
		}
		if !known {
			if of, known = s.AdditionalProperties.(*huma.Schema); !known && s.AdditionalProperties == false {
				n := len(k.place)
				k.place = append(append(k.place, '.'), clip(key)...)
				ok := k.complain("unexpected property")
				if k.place = k.place[:n]; !ok {
					return false
				}
				continue
			}
		}
		if !k.part("."+clip(key), of, v[key]) {
			return false
		}
	}
	return true
}

// clip keeps a key that somebody made up short in a place.
func clip(key string) string {
	const most = 64
	if short := words.Clip(key, most); short != key {
		return short + "…"
	}
	return key
}

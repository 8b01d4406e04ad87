package estate

import (
	"encoding"
	"reflect"
	"strconv"
	"strings"
)

// Schema describes an estate's file as a JSON Schema (draft 2020-12), out of the types themselves, for editors: keys,
// shapes, values and what each is for. What objects say of one another it cannot know; Parse does.
func Schema() map[string]any {
	s := &schema{defs: map[string]any{}}
	root := s.object(reflect.TypeFor[Document]())
	delete(root, "required") // of several files one says which version it is
	root["$schema"] = "https://json-schema.org/draft/2020-12/schema"
	root["title"] = "An estate"
	root["description"] = "Everything that the administrator has decided, as one document of lists; or a part of it."
	root["properties"].(map[string]any)["estate"] = map[string]any{"const": Version,
		"description": "The format's version."}
	root["$defs"] = s.defs
	return root
}

type schema struct{ defs map[string]any }

// object describes a struct by its keys.
func (s *schema) object(t reflect.Type) map[string]any {
	keys, needed := map[string]any{}, []string{}
	for i := range t.NumField() {
		f := t.Field(i)
		key, opts, _ := strings.Cut(f.Tag.Get("json"), ",")
		if key == "" || key == "-" {
			continue
		}
		v := s.of(f.Type)
		s.narrow(v, f, key)
		keys[key] = v
		if !strings.Contains(opts, "omitempty") {
			needed = append(needed, key)
		}
	}
	out := map[string]any{"type": "object", "properties": keys, "additionalProperties": false}
	if len(needed) > 0 {
		out["required"] = needed
	}
	return out
}

// narrow adds what a field's tags say.
func (s *schema) narrow(v map[string]any, f reflect.StructField, key string) {
	if doc := f.Tag.Get("doc"); doc != "" {
		v["description"] = doc
	}
	of := v
	if items, ok := v["items"].(map[string]any); ok {
		of = items
	}
	if f.Type == reflect.TypeFor[[]string]() && key == "days" {
		of["enum"] = []string{"mon", "tue", "wed", "thu", "fri", "sat", "sun"}
	}
	if among := f.Tag.Get("enum"); among != "" {
		of["enum"] = strings.Split(among, ",")
	}
	for _, bound := range []string{"minimum", "maximum"} {
		if n, err := strconv.Atoi(f.Tag.Get(bound)); err == nil {
			of[bound] = n
		}
	}
	if key == "name" && f.Type.Kind() == reflect.String {
		v["pattern"] = nameRE.String()
		v["description"] = nameFix
	}
}

var marshals = reflect.TypeFor[encoding.TextMarshaler]()

// of describes a type; objects are described once each.
func (s *schema) of(t reflect.Type) map[string]any {
	if t.Implements(marshals) {
		return map[string]any{"type": "string"}
	}
	switch t.Kind() {
	case reflect.Pointer:
		return s.of(t.Elem())
	case reflect.Bool:
		return map[string]any{"type": "boolean"}
	case reflect.Int, reflect.Int64:
		return map[string]any{"type": "integer"}
	case reflect.Slice:
		return map[string]any{"type": "array", "minItems": 1, "items": s.of(t.Elem())}
	case reflect.Map:
		return map[string]any{"type": "object", "minProperties": 1, "additionalProperties": s.of(t.Elem())}
	case reflect.Struct:
		if _, known := s.defs[t.Name()]; !known {
			s.defs[t.Name()] = nil // it may hold itself
			s.defs[t.Name()] = s.object(t)
		}
		return map[string]any{"$ref": "#/$defs/" + t.Name()}
	case reflect.Interface: // an option's value (IPP)
		return map[string]any{"type": []string{"string", "integer", "boolean", "array"}}
	default:
		return map[string]any{"type": "string"}
	}
}

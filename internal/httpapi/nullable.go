package httpapi

import (
	"reflect"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
)

// tellOfNull has the description say where an object may be null: where a field points to one and is written even when
// it points to nothing (OpenAPI 3.1, section 4.8.24.1; huma tells it of plain values alone).
func tellOfNull(registry huma.Registry) {
	for name, schema := range registry.Map() {
		if t := registry.TypeFromRef("#/components/schemas/" + name); t != nil {
			nullsIn(t, schema)
		}
	}
}

func nullsIn(t reflect.Type, schema *huma.Schema) {
	for t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	if t.Kind() != reflect.Struct {
		return
	}
	for i := range t.NumField() {
		f := t.Field(i)
		key, how, _ := strings.Cut(f.Tag.Get("json"), ",")
		if f.Anonymous && key == "" {
			nullsIn(f.Type, schema)
			continue
		}
		if f.Type.Kind() != reflect.Pointer || f.Type.Elem().Kind() != reflect.Struct || key == "" || key == "-" ||
			f.Type.Elem() == reflect.TypeFor[time.Time]() || strings.Contains(how, "omit") ||
			f.Tag.Get("nullable") == "false" {
			continue
		}
		if was := schema.Properties[key]; was != nil && was.Ref != "" {
			both := &huma.Schema{OneOf: []*huma.Schema{{Ref: was.Ref}, {Type: "null"}}, Description: was.Description}
			both.PrecomputeMessages()
			schema.Properties[key] = both
		}
	}
}

package httpapi

import (
	"encoding/json"
	"errors"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

	"context"
)

// described gives every JSON body that the API describes, by its operation.
func described(tb testing.TB) (huma.Registry, map[string]*huma.Schema) {
	tb.Helper()
	s := &server{cfg: Config{Stopping: context.Background()}}
	s.door.of(s.register(gin.New()).OpenAPI())
	out := map[string]*huma.Schema{}
	for route, e := range s.door.entries {
		if e.schema != nil {
			out[route] = e.schema
		}
	}
	if len(out) < 40 {
		tb.Fatalf("only %d bodies are described", len(out))
	}
	return s.door.registry, out
}

// places are those of a problem.
func places(err error) []string {
	var out []string
	if p, ok := errors.AsType[*problem](err); ok {
		for _, d := range p.Places {
			out = append(out, d.Place+": "+d.What)
		}
	}
	return out
}

// TestCheckJSON: the first complaints of each kind, with their places.
func TestCheckJSON(t *testing.T) {
	t.Parallel()
	registry, bodies := described(t)
	for _, c := range []struct{ route, body, want string }{
		{"POST /api/v1/session", `{"name":"a","password":"b"}`, ""},
		{"POST /api/v1/session", `{"name":1,"password":"b"}`, "name: expected string"},
		{"POST /api/v1/session", `{"name":["a"],"password":"b"}`, "name: expected string"},
		{"POST /api/v1/session", `{"name":"a"}`, "body: expected required property password to be present"},
		{"POST /api/v1/session", `{"name":"a","password":"b","x":{"y":[1]}}`, "x: unexpected property"},
		{"POST /api/v1/session", `[]`, "body: expected object"},
		{"POST /api/v1/session", `{"name":"a\nFAKE","password":"b"}`, "name: control characters are not taken"},
		{"POST /api/v1/session", `{"name":"a\u0000","password":"b"}`, "name: control characters are not taken"},
		{"POST /api/v1/session", `{"name":"a\u202eb","password":"b"}`, "name: control characters are not taken"},
		{"POST /api/v1/snapshots", `{"name":"a","note":"two\nlines"}`, ""},
		{"POST /api/v1/snapshots", `{"name":"a","note":"\u001b[2J"}`, "note: control characters are not taken"},
		{"POST /api/v1/session", `{"name":"a","password":"b"}x`, "body: invalid character 'x' after top-level value"},
		{"POST /api/v1/session", `{"name":"a","password":`, "body: unexpected end of JSON input"},
		{"POST /api/v1/session", strings.Repeat("[", 100), "body: it is nested deeper than 64 levels"},
		{"POST /api/v1/lineups/batch", `[]`, "body: expected array length >= 1"},
		{"POST /api/v1/lineups/batch", `[{"user":"mira"},{"user":2}]`, "body[1].user: expected string"},
		{"POST /api/v1/lineups/batch", `{}`, "body: expected array"},
	} {
		got := places(checkJSON(registry, bodies[c.route], []byte(c.body), true))
		if want := c.want; want == "" && len(got) > 0 ||
			want != "" && (len(got) == 0 || strings.TrimPrefix(got[0], "body.") != want) {
			t.Errorf("%s of %s\n got %q\nwant %q", c.body, c.route, got, want)
		}
	}
}

// TestComplaintsEnd: of very many the first fifty are told, and that there are more; what is beyond the limits is
// refused before anything is built of it.
func TestComplaintsEnd(t *testing.T) { //nolint:paralleltest // it counts allocations
	registry, bodies := described(t)
	for what, body := range map[string]string{
		"elements": "[" + strings.Repeat("0,", 9_000) + "0]",
		"unknown":  "[" + strings.Repeat(`{"x":0},`, 9_000) + "{}]",
	} {
		got := places(checkJSON(registry, bodies["POST /api/v1/lineups/batch"], []byte(body), true))
		if len(got) != complaintsMost+1 || got[complaintsMost] != "body: reading ended there; more may be wrong" {
			t.Errorf("%s: %d complaints, the last %q", what, len(got), got[len(got)-1])
		}
	}
	for what, body := range map[string]string{
		"more values than anybody sends": "[" + strings.Repeat("0,", 10<<20) + "0]",
		"objects":                        "[" + strings.Repeat(`{},`, 10<<20) + "{}]",
		"levels":                         strings.Repeat(`{"a":`, 10<<20),
	} {
		var got []string
		cost := testing.AllocsPerRun(1, func() {
			got = places(checkJSON(registry, bodies["POST /api/v1/lineups/batch"], []byte(body), true))
		})
		if len(got) != 1 || cost > 100 {
			t.Errorf("%s: %q, with %v allocations", what, got, cost)
		}
	}
}

// TestCheckJSONAsHuma: on made-up bodies for every operation, the checker takes what huma's own validation takes.
func TestCheckJSONAsHuma(t *testing.T) {
	t.Parallel()
	registry, bodies := described(t)
	r := rand.New(rand.NewPCG(1, 2))
	routes := slices.Sorted(func(yield func(string) bool) {
		for route := range bodies {
			if !yield(route) {
				return
			}
		}
	})
	taken := 0
	for range 200 {
		for _, route := range routes {
			schema := bodies[route]
			b, err := json.Marshal(madeUp(r, registry, schema, 0))
			if err != nil {
				t.Fatal(err)
			}
			var v any
			_ = json.Unmarshal(b, &v)
			var res huma.ValidateResult
			huma.Validate(registry, schema, huma.NewPathBuffer(nil, 0), huma.ModeWriteToServer, v, &res)
			got := checkJSON(registry, schema, b, true)
			if (got == nil) != (len(res.Errors) == 0) {
				t.Fatalf("%s %s\n got %v\nhuma %v", route, b, places(got), res.Errors)
			}
			if got == nil {
				taken++
			}
		}
	}
	if all := 200 * len(routes); taken < all/20 || taken > all*19/20 {
		t.Errorf("%d of %d bodies were taken: they prove little", taken, all)
	}
}

// madeUp gives a value that is often what the schema wants.
func madeUp(r *rand.Rand, registry huma.Registry, s *huma.Schema, depth int) any {
	for s != nil && s.Ref != "" {
		s = registry.SchemaFromRef(s.Ref)
	}
	odd := []any{nil, true, 1.0, -3.5, "", "x", "2026-11-29T10:00:00Z", []any{}, map[string]any{}, []any{1.0},
		map[string]any{"x": 1.0}}
	if s == nil || r.IntN(30) == 0 || depth > 8 {
		return odd[r.IntN(len(odd))]
	}
	if len(s.OneOf) > 0 {
		return madeUp(r, registry, s.OneOf[r.IntN(len(s.OneOf))], depth+1)
	}
	if len(s.Enum) > 0 && r.IntN(10) > 0 {
		return s.Enum[r.IntN(len(s.Enum))]
	}
	switch s.Type {
	case huma.TypeObject:
		out := map[string]any{}
		for name, p := range s.Properties {
			if slices.Contains(s.Required, name) && r.IntN(60) > 0 || r.IntN(4) == 0 {
				out[name] = madeUp(r, registry, p, depth+1)
			}
		}
		if r.IntN(40) == 0 {
			out["more"] = 1.0
		}
		return out
	case huma.TypeArray:
		out := []any{}
		for range r.IntN(3) + 1 {
			out = append(out, madeUp(r, registry, s.Items, depth+1))
		}
		return out
	case huma.TypeInteger, huma.TypeNumber:
		return float64(r.IntN(100))
	case huma.TypeBoolean:
		return r.IntN(2) == 0
	case huma.TypeString:
		return []string{"x", "some text", "2026-11-29T10:00:00Z"}[r.IntN(3)]
	}
	return odd[r.IntN(len(odd))]
}

// FuzzCheckJSON: any bytes are judged without panic, and what is taken can be read.
func FuzzCheckJSON(f *testing.F) {
	registry, bodies := described(f)
	schema := bodies["POST /api/v1/lineups/batch"]
	for _, s := range []string{`[{"user":"mira"}]`, `[0,0]`, `{"a":{}}`, "[[[[", `[{"user":"\ud800"}]`, "\x00"} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		if err := checkJSON(registry, schema, b, true); err == nil && !json.Valid(b) {
			t.Fatalf("taken: %q", b)
		}
	})
}

// BenchmarkCheckJSON holds a question for 1,000 lineups against its schema, beside decoding it alone.
func BenchmarkCheckJSON(b *testing.B) {
	registry, bodies := described(b)
	body := []byte("[" + strings.Repeat(`{"user":"mira","machine":"desk-1","addresses":["10.40.8.7"],"platform":"linux"},`,
		999) + `{"user":"mira"}]`)
	b.Run("check", func(b *testing.B) {
		b.SetBytes(int64(len(body)))
		for b.Loop() {
			if err := checkJSON(registry, bodies["POST /api/v1/lineups/batch"], body, true); err != nil {
				b.Fatal(places(err))
			}
		}
	})
	b.Run("decode", func(b *testing.B) {
		b.SetBytes(int64(len(body)))
		for b.Loop() {
			var v any
			if err := json.Unmarshal(body, &v); err != nil {
				b.Fatal(err)
			}
		}
	})
}

package estate_test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"go.yaml.in/yaml/v3"

	"cirque/core/document"
	"cirque/core/estate"
	"cirque/internal/testkit/worlds"
)

// compiled is the schema as another's validator understands it.
func compiled(t *testing.T) *jsonschema.Schema {
	t.Helper()
	b, err := json.Marshal(estate.Schema())
	if err != nil {
		t.Fatal(err)
	}
	v, err := jsonschema.UnmarshalJSON(strings.NewReader(string(b)))
	if err != nil {
		t.Fatal(err)
	}
	c := jsonschema.NewCompiler()
	if err := c.AddResource("estate.json", v); err != nil {
		t.Fatal(err)
	}
	s, err := c.Compile("estate.json")
	if err != nil {
		t.Fatal(err)
	}
	return s
}

// written is a file as a validator takes it.
func written(t *testing.T, text string) any {
	t.Helper()
	var v any
	if err := yaml.Unmarshal([]byte(text), &v); err != nil {
		t.Fatal(err)
	}
	b, err := json.Marshal(v)
	if err != nil {
		t.Fatal(err)
	}
	out, err := jsonschema.UnmarshalJSON(strings.NewReader(string(b)))
	if err != nil {
		t.Fatal(err)
	}
	return out
}

// TestSchemaTakesEstates: whatever Parse takes in the notation of today, the schema takes: the demo, random estates.
func TestSchemaTakesEstates(t *testing.T) {
	t.Parallel()
	s := compiled(t)
	files, err := filepath.Glob("../../demo/estate/*.yaml")
	if err != nil || len(files) == 0 {
		t.Fatal(files, err)
	}
	texts := []string{worlds.Harbour}
	for _, f := range files {
		b, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		texts = append(texts, string(b))
	}
	for seed := range 100 {
		b, err := worlds.New(uint64(seed)).Estate().YAML()
		if err != nil {
			t.Fatal(err)
		}
		texts = append(texts, string(b))
	}
	for _, text := range texts {
		if err := s.Validate(written(t, text)); err != nil {
			t.Fatalf("%v\n%.2000s", err, text)
		}
	}
}

// TestSchemaRefuses: what is wrong with keys, shapes and values, the schema says as Parse does.
func TestSchemaRefuses(t *testing.T) {
	t.Parallel()
	s := compiled(t)
	for _, text := range []string{
		"estate: 2", "quues: [{name: q}]", "queues: []", "queues: [{title: Q}]", "queues: [{name: Q 1}]",
		"queues: [{name: q, lable: [a]}]", "queues: [{name: q, listed: perhaps}]", "queues: [{name: q, labels: a}]",
		"grants: [{name: g, effect: give, queues: [q]}]", "grants: [{name: g, queues: [q]}]",
		"grants: [{name: g, effect: place, queues: [q], default: high}]",
		"queues: [{name: q, open: [{days: [monday], from: '08:00', to: '09:00'}]}]",
		"server_sets: [{name: s, style: both, members: [a]}]", "settings: {continuity: {down_after: many}}",
		"promises: [{name: p, context: {user: x, session: remot}, receives: [q]}]",
	} {
		if !strings.HasPrefix(text, "estate") {
			text = "estate: 1\n" + text
		}
		if s.Validate(written(t, text)) == nil {
			t.Errorf("the schema takes %s", text)
		}
		if _, err := estate.Parse([]document.File{{Name: "e", Text: text}}, estate.Options{}); err == nil {
			t.Errorf("Parse takes %s", text)
		}
	}
}

package lineup_test

import (
	"encoding/json"
	"reflect"
	"slices"
	"testing"
	"time"

	"cirque/core/directory"
	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/live"
	"cirque/internal/testkit/specification"
)

// read gives a sample of the specification.
func read(t testing.TB, sample string) string {
	t.Helper()
	nth := slices.Index([]string{"sample.yaml", "directory.yaml", "answer.json"}, sample)
	return specification.Samples(t, "estate.md")[nth]
}

// world makes a world of an estate and a directory as texts.
func world(t testing.TB, est, dir string) *lineup.World {
	t.Helper()
	doc, err := estate.Parse([]document.File{{Name: "estate.yaml", Text: est}}, estate.Options{})
	if err != nil {
		t.Fatal(err)
	}
	records, err := directory.Parse([]document.File{{Name: "directory.yaml", Text: dir}})
	if err != nil {
		t.Fatal(err)
	}
	return lineup.Bind(lineup.Compile(doc, 1, lineup.Options{Zone: zone}), directory.New(records), live.State{})
}

func context(t testing.TB, query string) lineup.Context {
	t.Helper()
	var q lineup.Query
	if err := json.Unmarshal([]byte(query), &q); err != nil {
		t.Fatal(err)
	}
	c, err := q.Context(time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC))
	if err != nil {
		t.Fatal(err)
	}
	return c
}

// TestSample holds the specification's own sample against its own answer.
func TestSample(t *testing.T) {
	w := world(t, read(t, "sample.yaml"), read(t, "directory.yaml"))
	got, err := w.Resolve(context(t,
		`{"user":"mira.solvang","addresses":["::ffff:10.40.8.77"],"platform":"windows/x64","time":"2026-11-23T10:00:00Z"}`), nil)
	if err != nil {
		t.Fatal(err)
	}
	same(t, got, read(t, "answer.json"))
}

// same compares a value with JSON, field by field: what is missing counts too.
func same(t *testing.T, got any, want string) {
	t.Helper()
	text, err := json.MarshalIndent(got, "", " ")
	if err != nil {
		t.Fatal(err)
	}
	var a, b any
	if err := json.Unmarshal(text, &a); err != nil {
		t.Fatal(err)
	}
	if err := json.Unmarshal([]byte(want), &b); err != nil {
		t.Fatal(err)
	}
	if !reflect.DeepEqual(a, b) {
		t.Errorf("got %s\nwant %s", text, want)
	}
}

package test

import (
	"bytes"
	"context"
	"path/filepath"
	"strings"
	"testing"

	"cirque/demo"
	"cirque/internal/app"
	"cirque/internal/story"
	"cirque/internal/story/ondemo"
	"cirque/internal/testkit"
)

// TestStory plays the demo's morning: all happens as it is told, what it says to look at stands there on that page, and
// at the end the demo is as it was.
func TestStory(t *testing.T) {
	t.Parallel()
	text, err := demo.Files.ReadFile("story.yaml")
	if err != nil {
		t.Fatal(err)
	}
	s, err := story.Parse(text)
	if err != nil {
		t.Fatal(err)
	}
	dir, err := scratch()
	if err != nil {
		t.Fatal(err)
	}
	data := filepath.Join(dir, "data")
	d, err := app.StartDemo(t.Context(), app.Options{Data: data, Database: testkit.Database(t), Listen: "127.0.0.1:0",
		PlainHTTP: true, Throwaway: true, Health: true})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := d.Stop(); err != nil {
			t.Error(err)
		}
	})
	stage, ok := ondemo.Of(data)
	if !ok {
		t.Fatal("the demo is not known by its data")
	}
	exported := func() string {
		code, out := stage.Run(t.Context(), []string{"estate", "export"})
		if code != 0 {
			t.Fatal(out)
		}
		return out
	}
	before := exported()
	p := signedInAt(t, d)
	looked := 0
	var told bytes.Buffer
	if err := story.Play(t.Context(), s, story.Config{Stage: stage, Out: &told, URL: d.URL,
		Next: func(_ context.Context, step story.Step) bool {
			for _, l := range step.Look {
				p.goTo(l.Page)
				p.see(l.See)
				looked++
			}
			return true
		}}); err != nil {
		t.Fatalf("%v\n%s", err, told.String())
	}
	if looked < len(s.Steps) {
		t.Errorf("%d steps, and only %d pages to look at", len(s.Steps), looked)
	}
	if after := exported(); after != before {
		t.Error("the estate is not as it was")
	}
	for _, args := range []string{"duties", "draft list"} {
		if code, out := stage.Run(t.Context(), strings.Fields(args)); code != 0 || strings.Contains(out, "drained") ||
			strings.Contains(out, "story") {
			t.Errorf("%s: %d %s", args, code, out)
		}
	}
}

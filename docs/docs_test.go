package docs

import (
	"regexp"
	"strings"
	"testing"
)

// TestGuides: each guide has a title and a beginning, and what it links to among the guides is there.
func TestGuides(t *testing.T) {
	t.Parallel()
	list := Guides()
	if len(list) < 10 {
		t.Fatalf("%d guides", len(list))
	}
	link := regexp.MustCompile(`\]\(([a-z-]+)\.md(#[a-z-]+)?\)`)
	for _, g := range list {
		if g.Title == "" || g.Begins == "" || g.Text != "" {
			t.Errorf("%+v", g)
		}
		whole, ok := Find(g.Name)
		if !ok || !strings.Contains(whole.Text, g.Title) {
			t.Errorf("%s is not found", g.Name)
		}
		for _, m := range link.FindAllStringSubmatch(whole.Text, -1) {
			if _, ok := Find(m[1]); !ok {
				t.Errorf("%s leads to %s, which is not there", g.Name, m[1])
			}
		}
	}
	for _, name := range []string{"", "nothing", "../decisions/0001-one-core-package-more", "/etc/passwd"} {
		if _, ok := Find(name); ok {
			t.Errorf("%q is found", name)
		}
	}
}

// Package docs holds the guides, for the console to show beside what they are about.
package docs

import (
	"embed"
	"path"
	"slices"
	"strings"
)

//go:embed guide/*.md
var files embed.FS

// A Guide is one page of instructions.
type Guide struct {
	Name   string `json:"name" doc:"Such as drafts."`
	Title  string `json:"title"`
	Begins string `json:"begins" doc:"Its first sentences, for whoever thinks of opening it."`
	Text   string `json:"text,omitempty" doc:"All of it, in Markdown; in lists it is left out."`
}

// Guides lists all guides by name, without their texts.
func Guides() []Guide {
	list, _ := files.ReadDir("guide") // it is embedded
	var out []Guide
	for _, f := range list {
		g, _ := Find(strings.TrimSuffix(f.Name(), ".md"))
		g.Text = ""
		out = append(out, g)
	}
	slices.SortFunc(out, func(a, b Guide) int { return strings.Compare(a.Name, b.Name) })
	return out
}

// Find gives one guide; ok is false where there is none of that name.
func Find(name string) (g Guide, ok bool) {
	b, err := files.ReadFile(path.Join("guide", path.Base(name)+".md"))
	if err != nil {
		return g, false
	}
	text := string(b)
	title, rest, _ := strings.Cut(text, "\n")
	begins, _, _ := strings.Cut(strings.TrimSpace(rest), "\n\n")
	return Guide{Name: name, Title: strings.TrimPrefix(title, "# "), Begins: strings.Join(strings.Fields(begins), " "),
		Text: text}, true
}

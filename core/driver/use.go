package driver

import (
	"fmt"
	"slices"
	"strings"
)

// A Use is a kind of what people print, which the choice of a page language depends on.
type Use string

// The uses that there is advice for.
const (
	Office   Use = "office"       // letters, tables, mail, web pages
	Layout   Use = "layout"       // typeset pages, pictures, what has to look as it was drawn
	Drawings Use = "drawings"     // plans on wide paper
	Labels   Use = "labels"       // labels and slips
	Old      Use = "old-programs" // programs that bring page language of their own
	Sessions Use = "sessions"     // remote sessions over thin lines
)

// Uses lists them.
var Uses = []Use{Office, Layout, Drawings, Labels, Old, Sessions}

// languagesFor has the page languages by use, the best first.
var languagesFor = map[Use][]string{
	Office:   {"PCL6", "PostScript", "XPS", "PDF", "PCL5"},
	Layout:   {"PostScript", "PDF", "XPS", "PCL6", "PCL5"},
	Drawings: {"HPGL", "PostScript", "PDF", "PCL6"},
	Labels:   {"ZPL", "PCL5", "PCL6"},
	Old:      {"PCL5", "PCL6", "PostScript"},
	Sessions: {"PCL6", "PCL5", "PostScript", "XPS"},
}

func (u Use) rank(language string) int {
	if i := slices.Index(languagesFor[u], language); i >= 0 {
		return i
	}
	return len(languagesFor[u]) + rank[language]
}

// Advice says in words which page languages a model's uses come to, and whether one queue does for all.
func Advice(choices []Choice, uses []Use) string {
	if len(uses) == 0 {
		return ""
	}
	var languages []string
	of := map[string][]string{}
	for _, c := range choices {
		for _, u := range c.For {
			language := c.Language
			if language == "" {
				language = "its only language"
			}
			if !slices.Contains(languages, language) {
				languages = append(languages, language)
			}
			if !slices.Contains(of[language], string(u)) {
				of[language] = append(of[language], string(u))
			}
		}
	}
	parts := make([]string, 0, len(languages))
	for _, l := range languages {
		parts = append(parts, l+" for "+strings.Join(of[l], ", "))
	}
	switch len(languages) {
	case 0:
		return "No package has a name for this model, so there is nothing to choose."
	case 1:
		return fmt.Sprintf("One queue does for all: %s.", parts[0])
	}
	return fmt.Sprintf("Best with %d queues on the one device: %s.", len(languages), strings.Join(parts, "; "))
}

package findings

import (
	"maps"
	"regexp"
	"slices"
	"strings"

	"cirque/core/document"
)

// keywords are the values of options that are words of a standard, and numbers of an enum as they are written.
var keywords = map[string][]string{
	"sides": {"one-sided", "two-sided-long-edge", "two-sided-short-edge"}, // RFC 8011, section 5.2.8
	"print-color-mode": {"auto", "auto-monochrome", "bi-level", "color", "highlight", "monochrome", "process-bi-level",
		"process-monochrome"}, // PWG 5100.13, section 6.2.3
	"print-quality":         {"3", "4", "5"},           // RFC 8011, section 5.2.13
	"orientation-requested": {"3", "4", "5", "6", "7"}, // RFC 8011, section 5.2.10, PWG 5100.13
	"print-content-optimize": {"auto", "graphic", "photo", "text",
		"text-and-graphic"}, // PWG 5100.7, section 6.9.38
	"page-delivery": {"reverse-order-face-down", "reverse-order-face-up", "same-order-face-down", "same-order-face-up",
		"system-specified"},
	"presentation-direction-number-up": {"tobottom-toleft", "tobottom-toright", "toleft-tobottom", "toleft-totop",
		"toright-tobottom", "toright-totop", "totop-toleft", "totop-toright"},
	"print-scaling": {"auto", "auto-fit", "fill", "fit", "none"}, // PWG 5100.16
}

// options are further options whose values are a device's own.
var options = append([]string{"copies", "finishings", "job-priority", "job-hold-until", "media", "media-col",
	"media-source", "media-type", "multiple-document-handling", "number-up", "output-bin", "printer-resolution",
	"print-rendering-intent", "page-ranges", "job-sheets"}, slices.Sorted(maps.Keys(keywords))...)

// mediaName is a self-describing name of a size (PWG 5101.1, section 5), or one of RFC 8011's older names.
var mediaName = regexp.MustCompile(`^((custom|iso|jis|jpn|na|asme|oe|om|prc|roc|disc)_[a-z0-9.-]+_` +
	`[0-9.]+x[0-9.]+(mm|in)` +
	`|(iso|jis|jpn|na|asme|engineering)-[a-z0-9-]+|default|choice_.*)$`)

// papers gives the sizes among media, without their measures, sorted.
func papers(media []string) []string {
	var out []string
	for _, m := range media {
		if parts := strings.Split(m, "_"); len(parts) == 3 && parts[0] != "custom" {
			out = append(out, parts[1])
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

func nearFix(word string, known []string) string {
	if near := document.Nearest(word, known); near != "" {
		return "did you mean " + near + "?"
	}
	return "write one of " + few(known)
}

func few(list []string) string {
	if len(list) <= 6 {
		return strings.Join(list, ", ")
	}
	return strings.Join(list[:6], ", ") + " and others"
}

func sortedKeys[V any](m map[string]V) []string { return slices.Sorted(maps.Keys(m)) }

func yesNo(b *bool) string {
	switch {
	case b == nil:
		return ""
	case *b:
		return "yes"
	}
	return "no"
}

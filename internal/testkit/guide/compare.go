package guide

import (
	"fmt"
	"regexp"
	"strings"
)

// What differs from one run to the next: times, ages, spans, addresses on loopback, secrets, fingerprints.
var passing = []struct {
	is *regexp.Regexp
	as string
}{
	{regexp.MustCompile(`(Mon|Tue|Wed|Thu|Fri|Sat|Sun) `), ""},
	{regexp.MustCompile(`\d{4}-\d\d-\d\d([ T]\d\d:\d\d(:\d\d(\.\d+)?)?)?( ?[A-Z]{1,5}\b|[+-]\d\d:\d\d)?`), "TIME"},
	{regexp.MustCompile(`\b\d{1,2} (` + months + `)( \d{4})?( \d\d:\d\d( [A-Z]{3,5}\b)?)?`), "TIME"},
	{regexp.MustCompile(`\b\d\d:\d\d(:\d\d)?( [A-Z]{3,5}\b)?`), "TIME"},
	{regexp.MustCompile(`\b\d+(\.\d+)? (ms|µs|s|min|h|d|seconds?|minutes?|hours?|days?)\b`), "SPAN"},
	{regexp.MustCompile(`\b(\d+(\.\d+)?(ms|µs|s|m|h|d))+\b`), "SPAN"},
	{regexp.MustCompile(`\bjust now\b|\bSPAN ago\b`), "AGO"},
	{regexp.MustCompile(`\b127\.\d+\.\d+\.\d+:\d+`), "ADDRESS"},
	{regexp.MustCompile(`cirque(-enrol)?_[A-Za-z0-9.]+`), "SECRET"},
	{regexp.MustCompile(`\b[0-9a-f]{8,}\b`), "NUMBER"},
	{regexp.MustCompile(`\berased-person-\d+\b`), "SOMEBODY"}, // counts what happened before
	{regexp.MustCompile(`[ \t]+`), " "},
}

const months = "January|February|March|April|May|June|July|August|September|October|November|December"

func plain(line string) string {
	for _, p := range passing {
		line = p.is.ReplaceAllString(line, p.as)
	}
	return strings.TrimSpace(line)
}

// Compare says how what was printed differs from what a guide shows; it is empty where it does not. A line … stands for
// any lines, … within a line for any text, and what passes (times, ages, ports, secrets) counts as alike.
func Compare(shown []string, printed string) string {
	if shown == nil {
		return ""
	}
	got := strings.Split(strings.TrimRight(printed, "\n"), "\n")
	i := 0
	for k, want := range shown {
		if strings.TrimSpace(want) == "…" {
			if k == len(shown)-1 {
				return ""
			}
			for i < len(got) && !alike(shown[k+1], got[i]) {
				i++
			}
			continue
		}
		if i >= len(got) {
			return fmt.Sprintf("%q is shown, and nothing more is printed", want)
		}
		if !alike(want, got[i]) {
			return fmt.Sprintf("%q is shown, and printed is %q", want, got[i])
		}
		i++
	}
	if i < len(got) {
		return fmt.Sprintf("%q is printed, and nothing more is shown", got[i])
	}
	return ""
}

// What a guide shows of a long answer.
const (
	widest  = 126
	longest = 11
	head    = 8
)

// Shown gives what is printed as a guide shows it: long lines, and long answers, end with ….
func Shown(printed string) []string {
	lines := strings.Split(strings.TrimRight(printed, "\n"), "\n")
	if len(lines) > longest {
		lines = append(lines[:head:head], "…")
	}
	for i, line := range lines {
		if r := []rune(line); len(r) > widest {
			line = strings.TrimRight(string(r[:widest-2]), " ") + "…"
		}
		lines[i] = strings.TrimRight(line, " ")
	}
	return lines
}

func alike(want, got string) bool {
	want, got = plain(want), plain(got)
	parts := strings.Split(want, "…")
	if len(parts) == 1 {
		return want == got
	}
	for i, p := range parts {
		parts[i] = regexp.QuoteMeta(strings.TrimSpace(p))
	}
	return regexp.MustCompile("^" + strings.Join(parts, ".*") + "$").MatchString(got)
}

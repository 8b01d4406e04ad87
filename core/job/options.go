package job

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
)

// A Fit is what becomes of a job's options at a device.
type Fit struct {
	Did      Options    // what goes there
	Defaults Options    // what the queue fills in
	Replaced []Replaced // what the device cannot do, by name
}

// FitOptions fills what a job left open with its queue's defaults, and replaces what a device cannot do: an option that
// it has otherwise by what the queue has, or the device's own default; one that it has not at all is left out. able are
// the values that it has by option, nil where nothing is known of it: then everything goes there as it is.
func FitOptions(asked, defaults Options, able map[string][]string, own map[string]any) Fit {
	out := Fit{Did: Options{}, Defaults: Options{}, Replaced: []Replaced{}}
	for k, v := range asked {
		if able == nil || Able(able, k, v) {
			out.Did[k] = v
			continue
		}
		r := Replaced{Option: k, Asked: v}
		for _, instead := range []any{defaults[k], own[k]} {
			if instead != nil && Able(able, k, instead) {
				r.Done = instead
				out.Did[k] = instead
				break
			}
		}
		out.Replaced = append(out.Replaced, r)
	}
	for k, v := range defaults {
		if _, said := asked[k]; said {
			continue
		}
		// A size says more than the rest of a collection: what is asked of the one leaves the other alone.
		if _, said := asked[other[k]]; said {
			continue
		}
		if able == nil || Able(able, k, v) {
			out.Defaults[k], out.Did[k] = v, v
		}
	}
	slices.SortFunc(out.Replaced, func(a, b Replaced) int { return strings.Compare(a.Option, b.Option) })
	return out
}

// other are options that say in another way what one says.
var other = map[string]string{"media": "media-col", "media-col": "media"}

// always are options that every printer has in some way (RFC 8011, section 5.2), or that are not the printer's concern.
var always = []string{"job-name", "job-priority", "job-hold-until", "job-sheets", "multiple-document-handling"}

// Able says whether a device has a value of an option; of a list, all of them.
func Able(able map[string][]string, option string, value any) bool {
	if slices.Contains(always, option) {
		return true
	}
	has, known := able[option]
	if !known {
		return false
	}
	if list, ok := value.([]any); ok {
		return !slices.ContainsFunc(list, func(v any) bool { return !slices.ContainsFunc(has, holds(v)) })
	}
	if _, ok := value.(map[string]any); ok {
		return true // its members are judged where they are understood
	}
	return slices.ContainsFunc(has, holds(value))
}

// holds says whether what a device has is a value, a range that holds it, or merely that it has the option.
func holds(value any) func(has string) bool {
	word := fmt.Sprint(value)
	number, isNumber := value.(float64)
	if i, ok := value.(int); ok {
		number, isNumber = float64(i), true
	}
	return func(has string) bool {
		if has == word {
			return true
		}
		if _, isTruth := value.(bool); has == "true" && !isTruth {
			return true // such as page-ranges-supported
		}
		from, to, isRange := strings.Cut(has, "-")
		a, err1 := strconv.Atoi(from)
		b, err2 := strconv.Atoi(to)
		return isNumber && isRange && err1 == nil && err2 == nil && float64(a) <= number && number <= float64(b)
	}
}

// Common gives what all of several devices have, by option; options that not all of them have are left out. A device of
// which nothing is known, a nil map, limits nothing.
func Common(devices []map[string][]string) map[string][]string {
	var out map[string][]string
	for _, d := range devices {
		switch {
		case d == nil:
		case out == nil:
			out = maps.Clone(d)
		default:
			for option, values := range out {
				both := inBoth(values, d[option])
				if out[option] = both; len(both) == 0 {
					delete(out, option)
				}
			}
		}
	}
	return out
}

// inBoth gives the values of a that b has, too; of two ranges their common part.
func inBoth(a, b []string) []string {
	var out []string
	for _, v := range a {
		if slices.Contains(b, v) {
			out = append(out, v)
			continue
		}
		from, to, ok := span(v)
		if !ok {
			continue
		}
		for _, w := range b {
			if f, t, ok := span(w); ok && max(from, f) <= min(to, t) {
				out = append(out, fmt.Sprintf("%d-%d", max(from, f), min(to, t)))
			}
		}
	}
	return out
}

func span(s string) (from, to int, ok bool) {
	a, b, is := strings.Cut(s, "-")
	from, err1 := strconv.Atoi(a)
	to, err2 := strconv.Atoi(b)
	return from, to, is && err1 == nil && err2 == nil
}

// Number gives an option as a whole number, or other where it is none.
func (o Options) Number(option string, other int) int {
	switch v := o[option].(type) {
	case float64:
		return int(v)
	case int:
		return v
	}
	return other
}

// Ranges gives an option as ranges of pages (RFC 8011, section 5.2.7).
func (o Options) Ranges(option string) []PageRange {
	list, ok := o[option].([]any)
	if !ok {
		list = []any{o[option]}
	}
	var out []PageRange
	for _, v := range list {
		if text, is := v.(string); is {
			if from, to, ok := span(text); ok {
				out = append(out, PageRange{from, to})
			}
		}
	}
	return out
}

// Impressions estimates what a document of so many pages comes to with the options.
func (o Options) Impressions(pages *int) *int {
	return Estimate(pages, o.Ranges("page-ranges"), o.Number("number-up", 1), o.Number("copies", 1))
}

package stock

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// Text writes an option's value as IPP's keyword or number.
func Text(v any) string {
	switch x := v.(type) {
	case float64:
		return strconv.FormatFloat(x, 'f', -1, 64)
	case []any:
		var parts []string
		for _, p := range x {
			parts = append(parts, Text(p))
		}
		return strings.Join(parts, " ")
	}
	return fmt.Sprint(v)
}

// kept are the options that a queue of the estate is given when it is made from what was found; all others depend on
// the one server or device.
var kept = []string{"sides", "print-color-mode", "media", "media-source", "media-type", "print-quality", "finishings",
	"output-bin", "number-up", "orientation-requested"}

// Defaults takes those of the options that are worth keeping in the estate.
func Defaults(options map[string]any) map[string]any {
	out := map[string]any{}
	for _, k := range kept {
		v, ok := options[k]
		// none, and one page a sheet
		if !ok || Text(v) == "" || k == "finishings" && Text(v) == "3" || k == "number-up" && Text(v) == "1" {
			continue
		}
		out[k] = v
	}
	if len(out) == 0 {
		return nil
	}
	return out
}

// Refused lists the defaults whose values a device does not take, given what it supports; options that it says nothing
// of are let pass.
func Refused(defaults map[string]any, supported map[string][]string) []string {
	var out []string
	for k, v := range defaults {
		values, said := supported[k]
		if said && len(values) > 0 && !slices.Contains(values, Text(v)) {
			out = append(out, fmt.Sprintf("%s = %s", k, Text(v)))
		}
	}
	slices.Sort(out)
	return out
}

// Labels proposes labels: colour or mono, and the sizes of paper that it takes.
func Labels(supported map[string][]string, colour *bool) []string {
	var out []string
	switch {
	case colour != nil && *colour || slices.Contains(supported["print-color-mode"], "color"):
		out = append(out, "colour")
	case colour != nil || len(supported["print-color-mode"]) > 0:
		out = append(out, "mono")
	}
	for _, m := range supported["media"] {
		for prefix, label := range map[string]string{"iso_a4_": "a4", "iso_a3_": "a3", "iso_a0_": "wide",
			"na_letter_": "letter"} {
			if strings.HasPrefix(m, prefix) && !slices.Contains(out, label) {
				out = append(out, label)
			}
		}
	}
	if len(out) > 1 {
		slices.SortStableFunc(out[1:], cmp.Compare[string])
	}
	return out
}

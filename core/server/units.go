package server

import (
	"strings"

	"cirque/core/estate"
)

// UnitsIn says what is fitted, in words; "" where nothing is said.
func UnitsIn(u *estate.Units) string {
	if !u.Some() {
		return ""
	}
	var out []string
	if len(u.Trays) > 0 {
		out = append(out, "trays "+strings.Join(u.Trays, ", "))
	}
	if u.TwoSided != nil {
		out = append(out, map[bool]string{true: "two-sided", false: "one-sided"}[*u.TwoSided])
	}
	if len(u.Finishings) > 0 {
		out = append(out, "finishings "+strings.Join(u.Finishings, ", "))
	}
	return strings.Join(out, "; ")
}

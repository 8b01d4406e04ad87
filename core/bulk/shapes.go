package bulk

import (
	"encoding/json"
	"slices"
	"strings"

	"cirque/core/estate"
	"cirque/core/stock"
)

// nothing is a text that is empty, and said to be.
const nothing = `""`

// entries reads the entries of a value, each as JSON has it.
func entries(shape Shape, value string, complain func(fix, format string, args ...any)) []any {
	var out []any
	switch shape {
	case Words:
		for w := range strings.SplitSeq(value, ",") {
			if w = strings.TrimSpace(w); w != "" {
				out = append(out, w)
			}
		}
	case Paths:
		for _, p := range paths(value, complain) {
			out = append(out, plainly(p))
		}
	case Windows:
		for _, w := range windows(value, complain) {
			out = append(out, plainly(w))
		}
	case Text, Flag, Number, Pairs, Group:
	}
	return out
}

// plainly gives a value as it is once it went through JSON.
func plainly(v any) any {
	b, err := json.Marshal(v)
	var out any
	if err != nil || decode(b, &out) != nil {
		return nil // what JSON wrote it reads
	}
	return out
}

// scalar is an option's value: a number or yes and no where it looks so, or where it was before and is written alike.
func scalar(s string, before any) any {
	switch {
	case before != nil && stock.Text(before) == s:
		return before
	case digits(s) && len(s) < 10:
		return json.Number(s)
	case s == "true" || s == "false":
		return s == "true"
	}
	return s
}

func flag(s string) (on, ok bool) {
	switch strings.ToLower(s) {
	case "yes", "true", "1":
		return true, true
	case "no", "false", "0", "":
		return false, true
	}
	return false, false
}

// windows reads "mon tue 08:00-17:00; sat 09:00-12:00"; without days every day is meant.
func windows(s string, complain func(fix, format string, args ...any)) []estate.Window {
	var out []estate.Window
	for _, p := range parts(s) {
		fields := strings.Fields(p)
		from, to, ok := strings.Cut(fields[len(fields)-1], "-")
		if !ok || from == "" || !digits(from[:1]) {
			complain("write days and hours, such as mon tue 08:00-17:00, divided by semicolons", "%q names no hours", p)
			continue
		}
		w := estate.Window{From: from, To: to}
		for _, d := range fields[:len(fields)-1] {
			w.Days = append(w.Days, days(strings.ToLower(d))...)
		}
		out = append(out, w)
	}
	return out
}

var week = []string{"mon", "tue", "wed", "thu", "fri", "sat", "sun"}

// days gives the days of mon-fri; anything else is one day, for whoever reads it to judge.
func days(s string) []string {
	first, last, ok := strings.Cut(s, "-")
	i, j := slices.Index(week, first), slices.Index(week, last)
	if !ok || i < 0 || j < i {
		return []string{s}
	}
	return slices.Clone(week[i : j+1])
}

// Write gives a value of a shape as Assign reads it.
func Write(shape Shape, v any) string {
	list, _ := v.([]any)
	var out []string
	switch shape {
	case Text, Number:
		switch v {
		case nil:
			return ""
		case "":
			return nothing
		}
		return stock.Text(v)
	case Flag:
		on, _ := v.(bool)
		return yes(on)
	case Words:
		for _, e := range list {
			out = append(out, stock.Text(e))
		}
		return strings.Join(out, ", ")
	case Paths:
		var p []estate.Path
		if again(v, &p) {
			return pathsText(p)
		}
	case Windows:
		var ws []estate.Window
		if again(v, &ws) {
			for _, w := range ws {
				out = append(out, strings.TrimSpace(strings.Join(w.Days, " ")+" "+w.From+"-"+w.To))
			}
		}
		return strings.Join(out, "; ")
	case Pairs:
		m, _ := v.(map[string]any)
		return pairsText(m)
	case Group:
	}
	return ""
}

// again reads what went through JSON into its own type.
func again(v, into any) bool {
	b, err := json.Marshal(v)
	return err == nil && v != nil && json.Unmarshal(b, into) == nil
}

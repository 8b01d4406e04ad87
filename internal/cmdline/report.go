package cmdline

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"cirque/core/fault"
	"cirque/core/words"
)

// A Failure is what a program reads in place of an answer, on standard error: the keys are those of the API's problems.
type Failure struct {
	Detail string         `json:"detail"`
	Code   string         `json:"code"`
	Kind   fault.Kind     `json:"kind"`
	Fix    string         `json:"fix,omitempty"`
	Cause  string         `json:"cause,omitempty"`
	Places []fault.Detail `json:"places,omitempty"`
	Exit   int            `json:"exit"`
}

// kindUsage is the kind of failure that is a mistake in the call's words.
const kindUsage = fault.Kind("usage")

// failureOf says what an error comes to.
func failureOf(err error) Failure {
	if f, ok := errors.AsType[*fault.Error](err); ok {
		out := Failure{Detail: f.What, Code: f.Code, Kind: f.Kind, Fix: f.Fix, Places: f.Details, Exit: exitOf(f.Kind)}
		if f.Err != nil && (f.Kind == fault.Unavailable || f.Kind == fault.Internal) {
			out.Cause, _, _ = strings.Cut(f.Err.Error(), "\n")
		}
		return out
	}
	if u := usageOf(err); u != nil {
		return Failure{Detail: u.What, Code: "usage", Kind: kindUsage, Fix: u.Fix, Exit: ExitUsage}
	}
	if errors.Is(err, context.Canceled) {
		return Failure{Detail: "stopped", Code: "stopped", Kind: fault.Internal, Exit: ExitFailed}
	}
	return Failure{Detail: err.Error(), Code: "failed", Kind: fault.Internal, Exit: ExitFailed}
}

// usageOf gives the mistake in the call's words that an error is, or nil; cobra's own are put into our words.
func usageOf(err error) *Usage {
	if u, ok := errors.AsType[*Usage](err); ok {
		return u
	}
	if rest, ok := strings.CutPrefix(err.Error(), "required flag(s) "); ok {
		list := strings.Split(strings.TrimSuffix(rest, " not set"), ", ")
		for i := range list {
			list[i] = "--" + strings.Trim(list[i], `"`)
		}
		if len(list) == 1 {
			return &Usage{What: list[0] + " is missing"}
		}
		return &Usage{What: strings.Join(list[:len(list)-1], ", ") + " and " + list[len(list)-1] + " are missing"}
	}
	return nil
}

// Report tells an error and gives the exit code. As json or yaml it is one object; else it is a line with the fix, and
// a line for each thing that is wrong where there are several or where each has its place.
func Report(w io.Writer, program, form string, err error) int {
	if errors.Is(err, ErrNo) {
		return ExitNo
	}
	f := failureOf(err)
	if form == JSON || form == YAML {
		if werr := Encode(w, form, f); werr == nil {
			return f.Exit
		}
	}
	lines := append([]fault.Detail(nil), f.Places...)
	says := f.Detail
	switch {
	case len(lines) > 1 && slices.ContainsFunc(lines, func(d fault.Detail) bool { return strings.Contains(says, d.What) }):
		says = words.Count(len(lines), "thing") + " to mend" // each stands below, once, with its own fix
		if slices.ContainsFunc(lines, func(d fault.Detail) bool { return f.Fix == d.Fix }) {
			f.Fix = ""
		}
	case len(lines) == 1 && strings.Contains(says, lines[0].What) && !strings.Contains(lines[0].Place, ":"):
		lines = nil
	case len(lines) == 1 && strings.Contains(says, lines[0].What):
		says, lines = lines[0].Place+": "+lines[0].What, nil
	}
	if f.Kind == kindUsage {
		says, f.Fix = strings.TrimPrefix(says, program+" "), cmp.Or(f.Fix, "see --help")
	}
	if f.Fix != "" {
		says += "; " + f.Fix
	}
	if f.Cause != "" {
		says += " (" + f.Cause + ")"
	}
	fmt.Fprintln(w, program+": "+says)
	for _, d := range lines {
		fmt.Fprintln(w, "  "+d.String())
	}
	return f.Exit
}

// flagError puts what is wrong with a flag into our words.
func flagError(c *cobra.Command, err error) error {
	var unknown *pflag.NotExistError
	var bare *pflag.ValueRequiredError
	var bad *pflag.InvalidValueError
	switch {
	case errors.As(err, &unknown):
		return unknownFlag(c, unknown.GetSpecifiedName(), unknown.GetSpecifiedShortnames() != "")
	case errors.As(err, &bare):
		return &Usage{What: "--" + bare.GetFlag().Name + " needs a value"}
	case errors.As(err, &bad):
		f := bad.GetFlag()
		what := fmt.Sprintf("--%s %q: %s", f.Name, bad.GetValue(), plainCause(f.Value.Type(), errors.Unwrap(bad)))
		return &Usage{What: what}
	}
	return &Usage{What: err.Error()}
}

// plainCause says why a value does not do, where only Go's own parsers have said so.
func plainCause(kind string, err error) string {
	switch kind {
	case "int", "int64", "uint", "int64Slice":
		return "that is no whole number"
	case "bool":
		return "say true or false"
	}
	if err == nil {
		return "it cannot be read"
	}
	return err.Error()
}

// Forms in which answers are printed.
const (
	Table = "table"
	JSON  = "json"
	YAML  = "yaml"
)

// FormFlag has a program's commands take the form in which they answer, and refuse one that is none.
func FormFlag(c *cobra.Command, into *string) {
	c.PersistentFlags().StringVarP(into, "output", "o", Table, "how to print: table, json or yaml")
	c.PersistentPreRunE = func(*cobra.Command, []string) error {
		if *into != Table && *into != JSON && *into != YAML {
			return &Usage{What: fmt.Sprintf("%q is no way to print: table, json or yaml", *into)}
		}
		return nil
	}
}

// FormOf finds, among words that could not all be read, in which form an answer is wanted.
func FormOf(args []string) string {
	form := Table
	for i, a := range args {
		name, value, has := strings.Cut(a, "=")
		switch {
		case a == "--":
			return form
		case (name == "-o" || name == "--output") && !has && i+1 < len(args):
			value = args[i+1]
		case name == "-o" || name == "--output":
		case strings.HasPrefix(a, "-o"):
			value = a[2:]
		default:
			continue
		}
		if value == JSON || value == YAML {
			form = value
		}
	}
	return form
}

// Encode writes a value as JSON or YAML; both forms have the same keys.
func Encode(w io.Writer, form string, v any) error {
	if form == YAML {
		return encodeYAML(w, v)
	}
	enc := json.NewEncoder(w)
	enc.SetIndent("", "  ")
	return enc.Encode(v)
}

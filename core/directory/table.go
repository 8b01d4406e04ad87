package directory

import (
	"fmt"
	"slices"
	"strings"

	"cirque/core/document"
	"cirque/core/fault"
	"cirque/core/name"
)

const maxRows = 1_000_000

var tableColumns = []string{"display_name", "email", "unit", "employee", "location", "platform", "members",
	"external_id"}

// ParseTables reads tables as spreadsheets write them: a head line with kind and name, and further columns as a source
// has them; each line is one user, group or machine, a user where kind is empty. A group's members are divided by
// semicolons or line ends. Problems come all at once, as an Invalid fault.
func ParseTables(files []document.File) (Records, error) {
	var out Records
	var bad []fault.Detail
	seen := map[string]string{}
	for _, f := range files {
		rows, head, err := document.Table(f.Name, f.Text, []string{"name"}, append([]string{"kind"},
			tableColumns...), maxRows)
		if err != nil {
			return Records{}, err
		}
		for i, row := range rows {
			place := fmt.Sprintf("%s, row %d", f.Name, i+2) // a quoted cell may hold line ends
			complain := func(fix, what string, args ...any) {
				bad = append(bad, fault.Detail{Place: place, What: fmt.Sprintf(what, args...), Fix: fix})
			}
			cell := func(column string) string { return document.Cell(row, head, column) }
			kind, called := strings.ToLower(cell("kind")), cell("name")
			if kind == "" {
				kind = "user"
			}
			may := map[string][]string{"user": {"display_name", "email", "unit", "employee", "external_id"}, "group": {"members",
				"external_id"}, "machine": {"unit", "location", "platform", "external_id"}}[kind]
			if may == nil {
				complain("write user, group or machine", "%q is no kind", kind)
				continue
			}
			if !name.Valid(called) {
				complain("write a text without control characters", "%q is no name", called)
			}
			for _, column := range tableColumns {
				if cell(column) != "" && !slices.Contains(may, column) {
					complain("leave the cell empty", "a %s has no %s", kind, column)
				}
			}
			if unit := cell("unit"); unit != "" && !name.ValidUnit(unit) {
				complain(`write names divided by single slashes, a slash inside a name as \/`, "%q is no unit", unit)
			}
			key := kind + " " + name.Fold(called)
			if first, taken := seen[key]; taken {
				complain("leave one of the two out (upper and lower case are the same here)", "the %s %q is already there, at %s",
					kind, called, first)
			}
			seen[key] = place
			switch kind {
			case "user":
				out.Users = append(out.Users, User{Name: called, DisplayName: cell("display_name"), Email: cell("email"),
					Unit: cell("unit"), Employee: cell("employee"), ExternalID: cell("external_id")})
			case "machine":
				out.Machines = append(out.Machines, Machine{Name: called, Unit: cell("unit"), Location: cell("location"),
					Platform: cell("platform"), ExternalID: cell("external_id")})
			default:
				g := Group{Name: called, ExternalID: cell("external_id")}
				for _, m := range strings.FieldsFunc(cell("members"), func(r rune) bool { return r == ';' || r == '\n' }) {
					m = strings.TrimSpace(m)
					if !validMember(m) {
						complain("write user:NAME, group:NAME or machine:NAME", "%q is no member", m)
						continue
					}
					g.Members = append(g.Members, m)
				}
				out.Groups = append(out.Groups, g)
			}
		}
	}
	if len(bad) > 0 {
		return Records{}, Invalid(bad, len(bad))
	}
	return out, nil
}

func validMember(m string) bool {
	kind, who, ok := strings.Cut(m, ":")
	return ok && slices.Contains([]string{"user", "group", "machine"}, kind) && name.Valid(who)
}

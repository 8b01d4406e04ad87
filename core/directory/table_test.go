package directory

import (
	"reflect"
	"strings"
	"testing"

	"cirque/core/document"
	"cirque/core/fault"
)

func TestTables(t *testing.T) {
	t.Parallel()
	r, err := ParseTables([]document.File{
		{Name: "people.csv", Text: "\ufeffname;display_name;unit;employee\r\nmira.solvang;Mira " +
			"Solvang;staff/office;1007\r\nida;;;\r\n"},
		{Name: "rest.csv", Text: "kind,name,members,platform,location\ngroup,clerks,\"user:mira.solvang; " +
			"group:temps\nmachine:till-07\",,\nmachine,till-07,,linux/x64,ard/hall\n"}})
	want := Records{Users: []User{{Name: "mira.solvang", DisplayName: "Mira Solvang", Unit: "staff/office",
		Employee: "1007"}, {Name: "ida"}},
		Groups:   []Group{{Name: "clerks", Members: []string{"user:mira.solvang", "group:temps", "machine:till-07"}}},
		Machines: []Machine{{Name: "till-07", Platform: "linux/x64", Location: "ard/hall"}}}
	if err != nil || !reflect.DeepEqual(r, want) {
		t.Errorf("%+v %v", r, err)
	}
	for text, says := range map[string]string{
		"kind,nam\nuser,x\n":                          `did you mean name?`,
		"kind,name\nperson,x\n":                       `"person" is no kind`,
		"kind,name\nuser,\n":                          `"" is no name`,
		"kind,name,members\nuser,x,user:y\n":          "a user has no members",
		"kind,name,members\ngroup,x,y\n":              `"y" is no member`,
		"name,unit\nx,a//b\n":                         `"a//b" is no unit`,
		"name\nMira\nmira\n":                          `already there, at t.csv, row 2`,
		"name\n\"x\n":                                 "is no table",
		"name,display_name\nx\n":                      "the line has 1 of 2 columns",
		"name\n" + strings.Repeat("\"\",\"\"\n", 300): `"" is no name`,
	} {
		_, err := ParseTables([]document.File{{Name: "t.csv", Text: text}})
		f := fault.As(err)
		if f == nil || f.Kind != fault.Invalid || len(f.Details) > 100 {
			t.Errorf("%q: %v", text, err)
			continue
		}
		all := f.What
		for _, d := range f.Details {
			all += "\n" + d.String()
		}
		if !strings.Contains(all, says) {
			t.Errorf("%q: %s", text, all)
		}
	}
}

func FuzzTables(f *testing.F) {
	f.Add("kind,name,members\ngroup,x,user:y\n")
	f.Add("name;unit\nx;a/b\n")
	f.Fuzz(func(t *testing.T, text string) {
		r, err := ParseTables([]document.File{{Name: "t", Text: text}})
		if err != nil {
			if fault.As(err).Kind != fault.Invalid {
				t.Error(err)
			}
			return
		}
		New(r)
	})
}

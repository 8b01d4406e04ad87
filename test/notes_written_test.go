package test

import (
	"strings"
	"testing"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/person"
	"cirque/internal/api"
	"cirque/internal/apiclient"
)

// TestNotesWritten: the help desk writes down what there is to know about a person or a machine; it is read with them,
// handed out and erased with a person's data, and stands in the audit.
func TestNotesWritten(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(twoPeople + "machines: [{name: till-7}]\n")
	s.publish(oneQueue)
	s.calls([]call{
		{"note list", 0, "Nothing is written down."},
		{"note write person mira on~leave", 0, "on leave"},
		{"note write machine till-7 its~cable~is~loose", 0, "its cable is loose"},
		{"note write queue hall x", 3, "write person or machine"},
		{"note write machine till-77 x", 4, "did you mean till-7?"},
		{"note write person mirra x", 4, "did you mean mira?"},
		{"note remove person nobody", 0, "any more"},
		{"note show person MIRA", 0, "on leave"},
		{"note list --kind machine", 0, "till-7"},
		{"note list --find cable", 0, "its cable"},
		{"person mira", 0, "Written down:"},
		{"note write person mira back~again", 0, "back again"},
		{"note show machine till-8", 0, "Nothing is written down about till-8."},
		{"note remove machine till-7", 0, "any more"},
		{"audit --about mira", 0, "A note about mira was written"},
	}...)
	auditor := s.client(s.tokenFor("reader", access.Auditor, ""))
	mira := "/api/v1/notes/person/mira"
	if err := auditor.Do(t.Context(), "PUT", mira, nil, api.WriteNote{Note: "x"}, nil); err == nil {
		t.Error("an auditor wrote a note")
	}
	var lines directory.WrittenNote
	err := s.c.Do(t.Context(), "PUT", "/api/v1/notes/person/jonas", nil, api.WriteNote{Note: "one\nand two"}, &lines)
	if err != nil || lines.Says != "one\nand two" {
		t.Errorf("a note of two lines: %q %v", lines.Says, err)
	}
	kept, err := apiclient.Get[person.Kept](t.Context(), s.c, "/api/v1/people/mira/data", nil)
	if err != nil || len(kept.Notes) != 1 || kept.Notes[0].Says != "back again" {
		t.Errorf("%+v %v", kept.Notes, err)
	}
	s.must("personal-data", "erase", "mira", "-m", "asked")
	if code, out, errs := s.run("note", "show", "person", "mira"); code != 0 ||
		!strings.Contains(out, "Nothing is written") {
		t.Error(code, out, errs)
	}
	if code, out, _ := s.run("audit", "--lines"); code != 0 || strings.Contains(out, "back again") {
		t.Errorf("what was written about whoever is erased stands in the audit: %d\n%s", code, out)
	}
}

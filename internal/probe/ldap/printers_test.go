package ldap

import (
	"testing"

	"cirque/core/advert"
)

// TestBelow: only what lies below what is read is touched, however it is written.
func TestBelow(t *testing.T) {
	t.Parallel()
	for dn, want := range map[string]bool{"printer-name=a,ou=printers,dc=skerry,dc=example": true,
		"printer-name=a,OU=Printers,DC=Skerry, dc=example": true, "dc=skerry,dc=example": false,
		"printer-name=a,dc=other,dc=example": false, "dc=example": false, "": false, "no dn": false} {
		if got := below(dn, "dc=skerry,dc=example"); got != want {
			t.Errorf("%q: %v", dn, got)
		}
	}
}

// TestPrinterFilter: what is typed is looked for as it is, and adds nothing to the filter.
func TestPrinterFilter(t *testing.T) {
	t.Parallel()
	got := printerFilter(advert.Seek{Words: []string{"a*)(b"}, Place: "Quay", Colour: true})
	if want := `(&(objectClass=printerAbstract)(|(printer-name=*a\2a\29\28b*)(printer-aliases=*a\2a\29\28b*)` +
		`(printer-info=*a\2a\29\28b*)(printer-location=*a\2a\29\28b*)(printer-make-and-model=*a\2a\29\28b*))` +
		`(|(printer-location=*Quay*))(printer-color-supported=TRUE))`; got != want {
		t.Errorf("%s\nwant %s", got, want)
	}
}

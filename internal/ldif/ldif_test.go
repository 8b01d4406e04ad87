package ldif

import (
	"errors"
	"strings"
	"testing"
)

func TestParse(t *testing.T) {
	t.Parallel()
	got, err := Parse("version: 1\n# a comment\n that goes on\ndn: uid=mira,ou=staff,\n " +
		"dc=skerry,dc=example\nobjectClass: person\ncn;lang-nb:: w4VzZQ==\nmail:x@skerry.example\r\nempty:\n\n\ndn:: " +
		"Y249Zw==\nmember: a\nMember: b\n")
	if err != nil || len(got) != 2 {
		t.Fatalf("%+v %v", got, err)
	}
	a := got[0]
	if a.DN != "uid=mira,ou=staff,dc=skerry,dc=example" || a.Line != 4 || a.Get("cn") != "Åse" ||
		a.Get("mail") != "x@skerry.example" || a.Get("empty") != "" {
		t.Errorf("%+v", a)
	}
	if b := got[1]; b.DN != "cn=g" || strings.Join(b.All("member"), " ") != "a b" {
		t.Errorf("%+v", b)
	}
}

func TestRefused(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		in   string
		line int
		what string
	}{
		"version":          {"version: 2\n", 1, "only 1"},
		"changes":          {"dn: a\nchangetype: delete\n", 2, "list of changes"},
		"no dn":            {"cn: a\n", 1, "begins with dn"},
		"no blank between": {"dn: a\ncn: b\ndn: c\n", 3, "blank line"},
		"base64":           {"dn: a\ncn:: %%%\n", 2, "base64"},
		"url":              {"dn: a\ncn:< file:///etc/passwd\n", 2, "other files"},
		"no colon":         {"dn: a\nwhat\n", 2, "NAME: VALUE"},
		"continues":        {" x\n", 1, "continues nothing"},
		"latin-1":          {"dn: a\ncn: \xe5se\n", 2, "not UTF-8"},
	} {
		_, err := Parse(c.in)
		var pe *ParseError
		if !errors.As(err, &pe) || pe.Line != c.line || !strings.Contains(pe.What, c.what) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// FuzzParse holds that every record has a DN line, and every attribute a name and a later line.
func FuzzParse(f *testing.F) {
	f.Add("dn: a\ncn: b\n c\n\ndn:: YQ==\n")
	f.Fuzz(func(t *testing.T, in string) {
		records, err := Parse(in)
		if err != nil {
			return
		}
		for _, r := range records {
			for _, a := range r.Attributes {
				if a.Name == "" || a.Line <= r.Line || a.Name != strings.ToLower(a.Name) {
					t.Fatalf("%+v in %+v", a, r)
				}
			}
		}
	})
}

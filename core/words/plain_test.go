package words_test

import (
	"reflect"
	"strings"
	"testing"
	"unicode/utf8"

	"cirque/core/words"
)

func TestPlain(t *testing.T) {
	t.Parallel()
	for in, want := range map[string]string{"Åse Lunde": "Åse Lunde",
		"a\x1b]0;X\x07\x1b[31mroot\nFAKE": `a\u001b]0;X\u0007\u001b[31mroot\nFAKE`,
		"a\u009b31m":                      `a\u009b31m`, "a\u202eb": `a\u202eb`, "tab\there": `tab\there`, "": ""} {
		if got := words.Escape(in, ""); got != want {
			t.Errorf("%q: %s, want %s", in, got, want)
		}
	}
	if got := words.Escape("a\n\tb\x1b", "\n\t"); got != "a\n\tb\\u001b" {
		t.Errorf("%q", got)
	}
	if got := words.OneLine(" report\r\n\x1b[2J.pdf ", 100); got != "report   [2J.pdf" {
		t.Errorf("%q", got)
	}
	for most := range 12 {
		if got := words.OneLine(strings.Repeat("å", 30_000), most); len(got) > most || !utf8.ValidString(got) {
			t.Errorf("%d: %q", most, got)
		}
	}
	type inner struct{ A string }
	v := struct {
		S    string
		L    []string
		In   []inner
		P    *inner
		M    map[string]inner
		Any  any
		Nil  *inner
		kept string
	}{"a\x00", []string{"b\x1b"}, []inner{{"c\u202e"}}, &inner{"d\n\x07"}, map[string]inner{"k": {"e\x01"}},
		"f", nil, "g\x01"}
	words.Clean(&v)
	if v.S != "a " || v.L[0] != "b " || v.In[0].A != "c " || v.P.A != "d\n " || v.M["k"].A != "e " || v.kept != "g\x01" {
		t.Errorf("%+v", v)
	}
	before := v
	words.Clean(&v)
	if !reflect.DeepEqual(before, v) {
		t.Error("a second time changes something")
	}
}

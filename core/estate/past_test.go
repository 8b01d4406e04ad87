package estate_test

import (
	"slices"
	"testing"

	"cirque/core/estate"
)

func TestPast(t *testing.T) {
	t.Parallel()
	rev := func(n int) estate.Revision { return estate.Revision{Number: n} }
	for _, c := range []struct {
		before, after, kind string
		keys                []string
	}{
		{"", `{"name":"a","uri":"x"}`, "added", []string{"name", "uri"}},
		{`{"name":"a","uri":"x","note":"n"}`, `{"name":"a","uri":"y","mac":"m"}`, "changed", []string{"mac", "note", "uri"}},
		{`{"name":"a"}`, "", "removed", []string{}},
	} {
		got, err := estate.NewPast(rev(3), []byte(c.before), []byte(c.after))
		if err != nil || got.Kind != c.kind || !slices.Equal(got.Keys, c.keys) || got.Revision.Number != 3 {
			t.Errorf("%s to %s: %+v %v", c.before, c.after, got, err)
		}
	}
	if _, err := estate.NewPast(rev(1), []byte("{"), nil); err == nil {
		t.Error("what is no object was read")
	}
	past := []estate.Past{{Revision: rev(4), Keys: []string{"note"}}, {Revision: rev(2), Keys: []string{"uri", "note"}}}
	for key, want := range map[string]int{"note": 4, "uri": 2, "mac": 0} {
		if r, ok := estate.Since(past, key); r.Number != want || ok != (want > 0) {
			t.Errorf("%s: %+v", key, r)
		}
	}
}

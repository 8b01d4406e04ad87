package driver_test

import (
	"slices"
	"strings"
	"testing"

	"cirque/core/driver"
	"cirque/core/estate"
)

const fitted = `*PPD-Adobe: "4.3"
*NickName: "Mono 40"
*OpenGroup: InstallableOptions/Options Installed
*OpenUI *Option1/Duplex Unit: Boolean
*DefaultOption1: False
*Option1 True/Installed: ""
*Option1 False/Not Installed: ""
*CloseUI: *Option1
*OpenUI *Option2/Tray 2: PickOne
*DefaultOption2:NotInstalled
*Option2 Installed/Installed: ""
*Option2 NotInstalled/Not Installed: ""
*CloseUI: *Option2
*OpenUI *Option3/Tray 10: Boolean
*DefaultOption3: True
*Option3 True/Installed: ""
*Option3 False/Not Installed: ""
*CloseUI: *Option3
*OpenUI *Option4/Stapling Finisher: Boolean
*DefaultOption4: False
*Option4 True/Installed: ""
*Option4 False/Not Installed: ""
*CloseUI: *Option4
*CloseGroup: InstallableOptions
*OpenUI *InputSlot/Tray: PickOne
*DefaultInputSlot: Tray1
*InputSlot Tray1/Tray 1: ""
*InputSlot Tray2/Tray 2: ""
*CloseUI: *InputSlot
`

// TestFit: what is fitted becomes the default of the options that ask for it, what is listed otherwise is not there,
// and what a description does not know is said.
func TestFit(t *testing.T) {
	t.Parallel()
	yes, no := true, false
	for _, c := range []struct {
		units estate.Units
		want  map[string]string
		lacks []string
	}{
		{estate.Units{}, map[string]string{"Option1": "False", "Option3": "True"}, nil},
		{estate.Units{TwoSided: &yes}, map[string]string{"Option1": "True", "Option2": "NotInstalled",
			"Option3": "True"}, nil},
		{estate.Units{TwoSided: &no, Trays: []string{"tray-1", "tray-2"}}, map[string]string{"Option1": "False",
			"Option2": "Installed", "Option3": "False", "Option4": "False"}, nil},
		{estate.Units{Trays: []string{"tray-10"}}, map[string]string{"Option2": "NotInstalled", "Option3": "True"}, nil},
		{estate.Units{Finishings: []string{"staple"}}, map[string]string{"Option4": "True"}, nil},
		{estate.Units{Finishings: []string{"punch"}, Trays: []string{"tray-7"}}, map[string]string{"Option2": "NotInstalled",
			"Option3": "False", "Option4": "False"}, []string{"tray-7", "punch"}},
	} {
		out, lacks := driver.Fit([]byte(fitted), &c.units)
		if !slices.Equal(lacks, c.lacks) {
			t.Errorf("%+v: it lacks %v, want %v", c.units, lacks, c.lacks)
		}
		p, err := driver.ParsePPD(out)
		if err != nil {
			t.Fatal(err)
		}
		for _, o := range p.Options {
			if want, ok := c.want[o.Keyword]; ok && o.Default != want {
				t.Errorf("%+v: %s is %q, want %q", c.units, o.Keyword, o.Default, want)
			}
		}
		if a, b := strings.Count(fitted, "\n"), strings.Count(string(out), "\n"); a != b {
			t.Errorf("%d lines have become %d", a, b)
		}
		again, _ := driver.Fit(out, &c.units)
		if string(again) != string(out) {
			t.Error("a second time it is another")
		}
	}
}

// FuzzFit: whatever is a description stays one, and has the same options.
func FuzzFit(f *testing.F) {
	f.Add(fitted, "tray-2", true)
	f.Fuzz(func(t *testing.T, text, tray string, two bool) {
		before, err := driver.ParsePPD([]byte(text))
		if err != nil {
			return
		}
		out, _ := driver.Fit([]byte(text), &estate.Units{TwoSided: &two, Trays: []string{tray}})
		after, err := driver.ParsePPD(out)
		if err != nil || len(after.Options) != len(before.Options) || after.NickName != before.NickName {
			t.Fatalf("%v\n%s", err, out)
		}
	})
}

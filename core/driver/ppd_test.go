package driver_test

import (
	"slices"
	"strings"
	"testing"

	"cirque/core/driver"
)

const description = `*PPD-Adobe: "4.3"
*% a remark
*FormatVersion: "4.3"
*FileVersion: "2.0"
*Manufacturer: "Northreach"
*ModelName: "Wide 90"
*NickName: "Wide 90 <E4> v9.0"
*1284DeviceID: "MFG:Northreach;
MDL:Wide 90;"
*ColorDevice: True
*OpenUI *PageSize/Sheet: PickOne
*DefaultPageSize: A0
*PageSize A0/A0: "<</PageSize[2384 3370]>>setpagedevice"
*PageSize A1/A1 sheet: "
  several lines of it
"
*End
*CloseUI: *PageSize
*OpenUI *Duplex/Two-sided: PickOne
*DefaultDuplex: None
*Duplex None/Off: ""
*Duplex DuplexNoTumble/Long edge: ""
*CloseUI: *Duplex
`

func TestPPD(t *testing.T) {
	for name, text := range map[string]string{"plain": description, "carriage returns": strings.ReplaceAll(description,
		"\n", "\r"), "both": strings.ReplaceAll(description, "\n", "\r\n")} {
		p, err := driver.ParsePPD([]byte(text))
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		if p.NickName != "Wide 90 ä v9.0" || p.Maker != "Northreach" || p.Version != "2.0" || !strings.HasPrefix(p.DeviceID,
			"MFG:Northreach;") {
			t.Errorf("%s: %+v", name, p)
		}
		if !p.Features.Colour || !p.Features.TwoSided || !slices.Equal(p.Features.Media, []string{"A0", "A1"}) {
			t.Errorf("%s: %+v", name, p.Features)
		}
		if len(p.Options) != 2 || p.Options[0].Default != "A0" || p.Options[0].Title != "Sheet" {
			t.Errorf("%s: %+v", name, p.Options)
		}
	}
}

func TestPPDRefused(t *testing.T) {
	for text, says := range map[string]string{
		"":              "line 1: it does not begin with *PPD-Adobe:",
		"*ModelName: x": "line 1: it does not begin with *PPD-Adobe:",
		"*PPD-Adobe: \"4.3\"\n*FormatVersion: \"4.3\"\n":           "it has neither *NickName nor *ModelName",
		"*PPD-Adobe: \"4.3\"\n*NickName: \"never\nending\n":        "line 2: a quoted value without its end",
		"*PPD-Adobe: \"4.3\"\n\x00":                                driver.ErrEncoding.Error(),
		"*PPD-Adobe: \"4.3\"\n" + strings.Repeat("\n", 300_000):    "more lines than any description has",
		"*PPD-Adobe: \"4.3\"\n" + manyOptions() + "*NickName: \"x": "more options than any description has",
	} {
		if _, err := driver.ParsePPD([]byte(text)); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%.40q: %v, want %q", text, err, says)
		}
	}
}

func manyOptions() string {
	var b strings.Builder
	for i := range 5000 {
		b.WriteString("*OpenUI *O" + strings.Repeat("x", i%7) + string(rune('a'+i%26)) + string(rune('a'+i/26%26)) +
			string(rune('a'+i/676)) + ": PickOne\n")
	}
	return b.String()
}

func FuzzPPD(f *testing.F) {
	f.Add([]byte(description))
	f.Add([]byte("*PPD-Adobe: \"4.3\"\n*Include: \"self.ppd\"\n*NickName: \"<>\"\n"))
	f.Fuzz(func(t *testing.T, b []byte) {
		if p, err := driver.ParsePPD(b); err == nil && p.NickName == "" {
			t.Error("a description without a name")
		}
	})
}

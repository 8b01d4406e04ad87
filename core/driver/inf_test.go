package driver_test

import (
	"errors"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"unicode/utf16"

	"cirque/core/driver"
)

const small = `; a comment
[Version]
Signature="$Windows NT$"
Provider=%Maker%
Class=Printer
DriverVer=9/4/2026,3.1.0.0

[Manufacturer]
%Maker% = Models, NTamd64, NTamd64.10.0, NTarm64, NTia64

[Models.NTamd64]
"Mono 40; the ""quiet"" one" = MONO, USBPRINT\M40, M40 ; two ids
%Slip% = SLIP
[models.ntARM64]
%Slip% = SLIP,ARM\S3
[Models]
"Old one"=SLIP
[MONO]
Needs=COMMON
CopyFiles=@mono.gpd,Files
DataFile=mono.dat
[COMMON]
ConfigFile=\
  ui.dll
[Files]
render.dll,render64.dll
[SLIP.NTamd64]
CopyFiles=@slip64.gpd
[SLIP]
CopyFiles=@slip.gpd
[Strings]
Maker="Tarnhelm Gerätebau"
Slip = "Slip 3  v1.4 100%%"
[Strings.0407]
Maker="anders"
`

func utf16le(s string) []byte {
	b := []byte{0xff, 0xfe}
	for _, u := range utf16.Encode([]rune(s)) {
		b = append(b, byte(u), byte(u>>8))
	}
	return b
}

func utf16be(s string) []byte {
	b := []byte{0xfe, 0xff}
	for _, u := range utf16.Encode([]rune(s)) {
		b = append(b, byte(u>>8), byte(u))
	}
	return b
}

// TestINF reads one file in each encoding that makers use.
func TestINF(t *testing.T) {
	for name, b := range map[string][]byte{
		"UTF-8": []byte(small), "UTF-8 with a mark": []byte("\ufeff" + small), "UTF-16": utf16le(small),
		"UTF-16, big end first": utf16be(small), "UTF-16 without a mark": utf16le(small)[2:],
		"code page": []byte(strings.ReplaceAll(small, "ä", "\xe4")), "with carriage returns": []byte(strings.ReplaceAll(small,
			"\n", "\r\n")),
	} {
		f, err := driver.ParseINF(b)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		if f.Provider != "Tarnhelm Gerätebau" || f.Version != "3.1.0.0" || f.Date != "2026-09-04" || f.Class != "Printer" {
			t.Errorf("%s: %q %q %q %q", name, f.Provider, f.Version, f.Date, f.Class)
		}
		var got []string
		for _, m := range f.Models {
			got = append(got, m.Exact+"|"+m.Platform+"|"+strings.Join(m.HardwareIDs, " ")+"|"+strings.Join(m.Files, " "))
		}
		slices.Sort(got)
		want := []string{
			`Mono 40; the "quiet" one|windows/x64|USBPRINT\M40 M40|ui.dll mono.gpd render64.dll mono.dat`,
			`Old one|windows/x86||slip.gpd`,
			"Slip 3  v1.4 100%|windows/arm64|ARM\\S3|slip.gpd",
			"Slip 3  v1.4 100%|windows/x64||slip64.gpd",
		}
		if !slices.Equal(got, want) {
			t.Errorf("%s:\n%s\nwant\n%s", name, strings.Join(got, "\n"), strings.Join(want, "\n"))
		}
	}
}

// TestINFRefused: what is no set-up file gives an error that says where, and nothing else.
func TestINFRefused(t *testing.T) {
	version := "[Version]\nClass=Printer\n[Manufacturer]\nM=M,NTamd64\n[M.NTamd64]\n\"A\"=A\n"
	for name, c := range map[string]struct {
		b    []byte
		says string
	}{
		"empty":              {nil, "it has no [Version] section"},
		"another file":       {[]byte("MZ\x90\x00\x03\x00\x00\x00"), driver.ErrEncoding.Error()},
		"half a letter":      {append(utf16le(small), 'x'), driver.ErrEncoding.Error()},
		"a zero in it":       {[]byte("[Version]\n\x00\x00\x00\x00x"), driver.ErrEncoding.Error()},
		"an open section":    {[]byte("[Version]\n[Manufac"), "line 2: a section's name without its closing bracket"},
		"a line without end": {[]byte("[Version]\n" + strings.Repeat("x\\\n", 70_000)), "line 2: a line without end"},
		"too long":           {make([]byte, driver.MaxSetUpFile+1), driver.ErrTooLong.Error()},
		"too many lines": {[]byte("[Version]\n" + strings.Repeat("\n", 300_000)), "line 200001: more lines than " +
			"any set-up file has"},
		"too many models": {[]byte(version + strings.Repeat("x", 0) + manyModels()),
			"more models than any set-up file has"},
		"a section that needs it": {[]byte(version + "[A]\nNeeds=A\n"), "line 8: the section [A] needs itself, or others " +
			"without end"},
		"sections around a circle": {[]byte(version + "[A]\nNeeds=B\n[B]\nNeeds=C\n[C]\nNeeds=A\n"),
			"line 12: the section [A] needs itself, or others without end"},
		"a chain that never ends": {[]byte(version + "[A]\nNeeds=A0\n" + chainOf(40)),
			"needs itself, or others without end"},
		"cut off within a mark":     {[]byte{0xff, 0xfe, 'a'}, driver.ErrEncoding.Error()},
		"zeros where letters stand": {append([]byte{0xff, 0xfe}, make([]byte, 64)...), driver.ErrEncoding.Error()},
	} {
		f, err := driver.ParseINF(c.b)
		if err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v, want %q (%v)", name, err, c.says, f)
		}
		var format *driver.FormatError
		if !errors.As(err, &format) && !errors.Is(err, driver.ErrEncoding) && !errors.Is(err, driver.ErrTooLong) {
			t.Errorf("%s: an error of another kind: %v", name, err)
		}
	}
}

func manyModels() string {
	var b strings.Builder
	b.WriteString("[M.NTamd64]\n")
	for i := range 20_001 {
		b.WriteString("\"")
		for n := i; ; n /= 26 {
			b.WriteByte(byte('a' + n%26))
			if n < 26 {
				break
			}
		}
		b.WriteString("\"=X\n")
	}
	return b.String()
}

func chainOf(n int) string {
	var b strings.Builder
	for i := range n {
		b.WriteString("[A" + strings.Repeat("0", i+1) + "]\nNeeds=A" + strings.Repeat("0", i+2) + "\n")
	}
	return b.String()
}

// TestIncludes: sections that a set-up file needs are looked up in those that it includes; a circle of them is a
// problem, and gives no names.
func TestIncludes(t *testing.T) {
	head := "[Version]\nClass=Printer\n[Manufacturer]\nM=M,NTamd64\n[M.NTamd64]\n"
	a := head + "\"A\"=A\n[A]\nInclude=B.INF,ntprint.inf\nNeeds=SHARED\n"
	b := "[Version]\nClass=Printer\n[SHARED]\nCopyFiles=@shared.dll\n"
	p := driver.Index([]driver.File{{Path: "x/a.inf", Data: []byte(a)}, {Path: "x/b.inf", Data: []byte(b)},
		{Path: "x/shared.dll", Data: []byte("s")}})
	if len(p.Models) != 1 || !slices.Equal(p.Models[0].Files, []string{"shared.dll"}) {
		t.Errorf("models %+v, problems %v", p.Models, p.Problems)
	}
	if needs := p.Needs(p.Models[0]); !slices.Contains(needs, "x/shared.dll") {
		t.Error("the model needs", needs)
	}
	circle := driver.Index([]driver.File{{Path: "a.inf", Data: []byte(a)}, {Path: "b.inf",
		Data: []byte(b + "Include=c.inf\n")}, {Path: "c.inf", Data: []byte(b + "Include=a.inf\n")}})
	if len(circle.Models) != 0 || len(circle.Problems) != 3 || !strings.Contains(circle.Problems[0].What,
		"it includes itself: a.inf includes b.inf includes c.inf includes a.inf") {
		t.Errorf("models %+v, problems %v", circle.Models, circle.Problems)
	}
}

// TestDemoPackages: what the demo's own packages are said to be.
func TestDemoPackages(t *testing.T) {
	for dir, want := range map[string]int{"skerrymark-office-3.1": 7, "skerrymark-office-2.4": 2,
		"tarnhelm-slips-and-labels": 4, "northreach-wide-90": 5} {
		var files []driver.File
		list, err := filepath.Glob("../../demo/drivers/" + dir + "/*")
		if err != nil || len(list) == 0 {
			t.Fatal(dir, err)
		}
		for _, f := range list {
			b, err := os.ReadFile(f)
			if err != nil {
				t.Fatal(err)
			}
			files = append(files, driver.File{Path: filepath.Base(f), Data: b})
		}
		if p := driver.Index(files); len(p.Models) != want {
			t.Errorf("%s: %d names, want %d; %v", dir, len(p.Models), want, p.Problems)
		}
	}
}

func FuzzINF(f *testing.F) {
	f.Add([]byte(small))
	f.Add(utf16le(small))
	f.Add([]byte("[Version]\n[A]\nNeeds=A\n"))
	f.Add([]byte("[Version]\n[Strings]\na=%b%\nb=%a%\n"))
	f.Fuzz(func(t *testing.T, b []byte) {
		d, err := driver.ParseINF(b)
		if err != nil {
			return
		}
		for _, m := range d.Models {
			if m.Exact == "" || m.Platform == "" {
				t.Errorf("a model without name or platform: %+v", m)
			}
		}
	})
}

// TestPartsOf: what a driver is loaded by, through Needs, per platform, with what the system takes where a file leaves
// it out; and the catalogue of the platform.
func TestPartsOf(t *testing.T) {
	t.Parallel()
	f, err := driver.ParseINF([]byte(`[Version]
Class=Printer
CatalogFile=any.cat
CatalogFile.NTamd64=x64.cat
[Manufacturer]
"Skerrymark"=Models,NTamd64,NTarm64
[Models.NTamd64]
"Mono 40 PCL6"=MONO
"Bare"=BARE
"Nothing"=NOTHING
[Models.NTarm64]
"Mono 40 PCL6"=BARE
[MONO]
Needs=COMMON
DriverFile=mono.dll
DataFile=mono.dat
[COMMON]
ConfigFile=ui.dll
HelpFile=mono.hlp
DriverFile=common.dll
[BARE]
DriverFile=bare.dll
[NOTHING]
DataFile=x.dat
`))
	if err != nil {
		t.Fatal(err)
	}
	bare := driver.Parts{Driver: "bare.dll", Data: "bare.dll", Config: "bare.dll"}
	for _, c := range []struct {
		exact, platform string
		want            driver.Parts
		ok              bool
	}{
		// The first that is said counts: COMMON stands before.
		{"Mono 40 PCL6", "windows/x64", driver.Parts{Driver: "common.dll", Data: "mono.dat", Config: "ui.dll",
			Help: "mono.hlp"}, true},
		{"Mono 40 PCL6", "windows/arm64", bare, true},
		{"Bare", "windows/x64", bare, true},
		{"Bare", "windows/arm64", driver.Parts{}, false},
		{"mono 40 pcl6", "windows/x64", driver.Parts{}, false},
		{"Nothing", "windows/x64", driver.Parts{Data: "x.dat"}, false},
	} {
		if got, ok := f.PartsOf(c.exact, c.platform); got != c.want || ok != c.ok {
			t.Errorf("%s on %s: %+v %v", c.exact, c.platform, got, ok)
		}
	}
	if x64, arm := f.Catalog("windows/x64"), f.Catalog("windows/arm64"); x64 != "x64.cat" || arm != "any.cat" {
		t.Error(x64, arm)
	}
}

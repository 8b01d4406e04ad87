package driver

import (
	"path"
	"slices"
	"strings"
)

// A Model is one name that a set-up file accepts, on one platform.
type Model struct {
	Exact       string   `json:"exact" doc:"The name to the letter."`
	Maker       string   `json:"maker,omitempty"`
	Platform    string   `json:"platform" doc:"os or os/arch."`
	SetUpFile   string   `json:"set_up_file" doc:"Its path in the package."`
	Provider    string   `json:"provider,omitempty"`
	Version     string   `json:"version,omitempty"`
	Date        string   `json:"date,omitempty" doc:"YYYY-MM-DD."`
	Language    string   `json:"language,omitempty" doc:"The page language that the name speaks of: PCL6, PCL5, PostScript, XPS, PDF, HPGL or ZPL."`
	HardwareIDs []string `json:"hardware_ids,omitempty"`
	Files       []string `json:"files,omitempty" doc:"The files that the set-up of this model names."`
	Missing     []string `json:"missing,omitempty" doc:"Those of them that the package lacks."`
	Features    *Feature `json:"features,omitempty" doc:"What the set-up file says that the model can do; PPD only."`
}

var architectures = map[string]string{"": "windows/x86", "nt": "windows/x86", "ntx86": "windows/x86",
	"ntamd64": "windows/x64", "ntarm64": "windows/arm64"}

// platformOf reads a decoration such as NTamd64.10.0; "" where Cirque has no word for it.
func platformOf(decoration string) string {
	arch, _, _ := strings.Cut(strings.ToLower(strings.TrimSpace(decoration)), ".")
	return architectures[arch]
}

// A modelLine is one line of a models section: a model's name, with where its set-up stands.
type modelLine struct {
	entry
	maker, platform, decoration string
}

// modelLines reads [Manufacturer] and the models sections that it names, per architecture.
func (f *INF) modelLines(do func(l modelLine) error) error {
	for _, m := range f.section("manufacturer") {
		if len(m.values) == 0 || m.values[0] == "" {
			continue
		}
		maker, base := m.key, m.values[0]
		if maker == "" {
			maker = base // a line with a section's name alone
		}
		for _, decoration := range append([]string{""}, m.values[1:]...) {
			platform, section := platformOf(decoration), base
			if decoration != "" {
				section = base + "." + decoration
			}
			if platform == "" {
				continue
			}
			for _, e := range f.section(section) {
				if e.key == "" || len(e.values) == 0 || e.values[0] == "" {
					continue
				}
				if err := do(modelLine{e, maker, platform, decoration}); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// models collects the models.
func (f *INF) models() error {
	type key struct{ exact, platform, maker string }
	at := map[key]int{}
	return f.modelLines(func(l modelLine) error {
		k := key{l.key, l.platform, l.maker}
		i, there := at[k]
		if !there {
			if len(f.Models) >= maxModels {
				return &FormatError{l.line, "more models than any set-up file has"}
			}
			i = len(f.Models)
			at[k] = i
			f.Models = append(f.Models, Model{Exact: l.key, Maker: l.maker, Platform: l.platform, Provider: f.Provider,
				Version: f.Version, Date: f.Date, Language: languageOf(l.key)})
		}
		one := &f.Models[i]
		for _, id := range l.values[1:] {
			if id != "" && !slices.Contains(one.HardwareIDs, id) && len(one.HardwareIDs) < 64 {
				one.HardwareIDs = append(one.HardwareIDs, id)
			}
		}
		if there {
			return nil
		}
		var err error
		one.Files, err = f.filesOf(l.values[0], l.decoration)
		return err
	})
}

// find gives a section of the file itself, else of those that it includes.
func (f *INF) find(section string) ([]entry, bool) {
	low := strings.ToLower(section)
	if list, ok := f.sections[low]; ok {
		return list, true
	}
	for _, o := range f.with {
		if list, ok := o.sections[low]; ok {
			return list, true
		}
	}
	return nil, false
}

// filesOf collects the files that an install section names.
func (f *INF) filesOf(install, decoration string) ([]string, error) {
	var out []string
	file := func(name string) {
		name = strings.TrimPrefix(name, "@")
		if name != "" && len(out) < 1024 && !slices.ContainsFunc(out, func(o string) bool {
			return strings.EqualFold(o, name)
		}) {
			out = append(out, name)
		}
	}
	err := f.settings(install, decoration, func(e entry) {
		switch strings.ToLower(e.key) {
		case "copyfiles":
			for _, v := range e.values {
				if strings.HasPrefix(v, "@") {
					file(v)
					continue
				}
				copied, _ := f.find(v)
				for _, c := range copied {
					if c.key == "" && len(c.values) > 0 {
						source := c.values[0]
						if len(c.values) > 1 && c.values[1] != "" {
							source = c.values[1] // the name that it has in the package
						}
						file(source)
					}
				}
			}
		case "driverfile", "configfile", "datafile", "helpfile":
			if len(e.values) > 0 {
				file(e.values[0])
			}
		}
	})
	return out, err
}

// settings walks through the lines of an install section, through Needs as far as the sections stand in the same file
// or in those that it includes. Sections that need each other in a circle are an error.
func (f *INF) settings(install, decoration string, do func(e entry)) error {
	const open, done = 1, 2
	state := map[string]int{}
	var walk func(section string, from, depth int) error
	walk = func(section string, from, depth int) error {
		for _, suffix := range []string{"." + decoration, ".nt"} {
			if _, ok := f.find(section + suffix); ok && suffix != "." {
				section += suffix
				break
			}
		}
		low := strings.ToLower(section)
		if state[low] == open || depth > maxNesting {
			return &FormatError{from, "the section [" + section + "] needs itself, or others without end"}
		}
		if state[low] == done {
			return nil
		}
		state[low] = open
		defer func() { state[low] = done }()
		list, _ := f.find(low)
		for _, e := range list {
			switch strings.ToLower(e.key) {
			case "needs", "datasection":
				for _, v := range e.values {
					if err := walk(v, e.line, depth+1); err != nil {
						return err
					}
				}
			default:
				do(e)
			}
		}
		return nil
	}
	return walk(install, 0, 0)
}

// lacking says which files of a model are nowhere in a package; a maker's files may be compressed, with an underscore
// for the last letter, and what comes with the system itself is looked for elsewhere.
func lacking(files []string, has map[string]bool) []string {
	var out []string
	for _, name := range files {
		low := strings.ToLower(path.Base(strings.ReplaceAll(name, `\`, "/")))
		if !has[low] && (low == "" || !has[low[:len(low)-1]+"_"]) && !ofTheSystem[low] {
			out = append(out, name)
		}
	}
	return out
}

// ofTheSystem are files that the operating system has itself.
var ofTheSystem = map[string]bool{"pscript5.dll": true, "ps5ui.dll": true, "pscript.hlp": true, "pscript.ntf": true,
	"unidrv.dll": true, "unidrvui.dll": true, "unidrv.hlp": true, "unires.dll": true,
	"stdnames.gpd": true, "stddtype.gdl": true, "stdschem.gdl": true, "stdschmx.gdl": true, "mxdwdrv.dll": true,
	"localspl.dll": true}

var languages = []struct{ word, language string }{{"pcl6", "PCL6"}, {"pcl 6", "PCL6"}, {"pclxl", "PCL6"},
	{"pcl5", "PCL5"}, {"pcl 5", "PCL5"}, {"postscript", "PostScript"}, {"hpgl", "HPGL"}, {"hp-gl", "HPGL"}, {"xps", "XPS"},
	{"zpl", "ZPL"}, {"pdf", "PDF"}}

// languageOf reads the page language out of a driver's name, where it says one.
func languageOf(exact string) string {
	low := strings.ToLower(exact)
	for _, l := range languages {
		if strings.Contains(low, l.word) {
			return l.language
		}
	}
	for _, w := range strings.FieldsFunc(low, func(r rune) bool {
		return r == ' ' || r == '(' || r == ')' || r == '-' || r == '/'
	}) {
		if w == "ps" || w == "ps3" {
			return "PostScript"
		}
	}
	return ""
}

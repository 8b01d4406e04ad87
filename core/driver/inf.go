package driver

import (
	"slices"
	"strings"
)

// Limits on what a set-up information file may hold; what is over them is refused as a whole.
const (
	maxLines   = 200_000
	maxEntries = 200_000
	maxModels  = 20_000
	maxNesting = 16 // of Needs and of string substitution
)

// An INF is a set-up information file for printers: plain text in sections, in which strings stand by name.
type INF struct {
	Provider string
	Class    string
	Version  string // such as 3.1.0.0
	Date     string // YYYY-MM-DD
	Models   []Model
	Includes []string // other set-up files that it names, by small letters

	sections map[string][]entry // by lower-case name
	strings  map[string]string
	with     []*INF // those of Includes that are at hand
}

// entry is one line of a section: key = values, or values alone.
type entry struct {
	key    string // as it stands, strings put in; "" where there is none
	values []string
	line   int
}

// ParseINF reads one set-up information file. Errors are *FormatError, ErrTooLong or ErrEncoding. What is not a
// printer's has no models.
func ParseINF(b []byte) (*INF, error) {
	s, err := text(b)
	if err != nil {
		return nil, err
	}
	f := &INF{sections: map[string][]entry{}, strings: map[string]string{}}
	if err := f.read(s); err != nil {
		return nil, err
	}
	if _, ok := f.sections["version"]; !ok {
		return nil, &FormatError{0, "it has no [Version] section"}
	}
	f.Provider, f.Class = f.first("version", "provider"), f.first("version", "class")
	f.Date, f.Version = driverVer(f.section("version"), f)
	f.includes()
	return f, f.models()
}

// includes collects what Include lines name.
func (f *INF) includes() {
	for _, list := range f.sections {
		for _, e := range list {
			if !strings.EqualFold(e.key, "include") {
				continue
			}
			for _, v := range e.values {
				if v = strings.ToLower(v); v != "" && !slices.Contains(f.Includes, v) && len(f.Includes) < 64 {
					f.Includes = append(f.Includes, v)
				}
			}
		}
	}
	slices.Sort(f.Includes)
}

// link looks the models' files up again in the files that a set-up file includes, as far as they are at hand: those
// that come with the operating system are not. It fails where a file includes itself, in however many steps.
func link(name string, all map[string]*INF) error {
	f := all[name]
	var walk func(at string, path []string) error
	seen := map[string]bool{}
	walk = func(at string, path []string) error {
		for _, i := range all[at].Includes {
			if all[i] == nil {
				continue
			}
			if i == name {
				return &FormatError{0, "it includes itself: " + strings.Join(append(path, i), " includes ")}
			}
			if seen[i] {
				continue
			}
			seen[i] = true
			f.with = append(f.with, all[i])
			if err := walk(i, append(path, i)); err != nil {
				return err
			}
		}
		return nil
	}
	if err := walk(name, []string{name}); err != nil || len(f.with) == 0 {
		return err
	}
	f.Models = nil
	return f.models()
}

func (f *INF) section(name string) []entry { return f.sections[strings.ToLower(name)] }

// first gives the first value of a key in a section.
func (f *INF) first(section, key string) string {
	for _, e := range f.section(section) {
		if strings.EqualFold(e.key, key) && len(e.values) > 0 {
			return e.values[0]
		}
	}
	return ""
}

// driverVer splits DriverVer=mm/dd/yyyy,w.x.y.z.
func driverVer(version []entry, f *INF) (date, number string) {
	for _, e := range version {
		if !strings.EqualFold(e.key, "driverver") || len(e.values) == 0 {
			continue
		}
		parts := strings.FieldsFunc(e.values[0], func(r rune) bool { return r == '/' || r == '-' })
		if len(parts) == 3 && len(parts[2]) == 4 && digits(parts[0]+parts[1]+parts[2]) {
			pad := func(s string) string { return strings.Repeat("0", max(0, 2-len(s))) + s }
			date = parts[2] + "-" + pad(parts[0]) + "-" + pad(parts[1])
		}
		if len(e.values) > 1 {
			number = e.values[1]
		}
	}
	return date, number
}

func digits(s string) bool {
	return s != "" && !strings.ContainsFunc(s, func(r rune) bool { return r < '0' || r > '9' })
}

// read takes the lines apart, then puts the strings in, for they may stand at the end.
func (f *INF) read(s string) error {
	section, n, entries := "", 0, 0
	var joined strings.Builder
	begun := 0
	for line := range strings.Lines(s) {
		if n++; n > maxLines {
			return &FormatError{n, "more lines than any set-up file has"}
		}
		l := strings.TrimSpace(uncommented(strings.TrimRight(line, "\r\n")))
		if joined.Len() == 0 {
			begun = n
		}
		if cut, more := strings.CutSuffix(l, `\`); more && !strings.HasPrefix(l, "[") {
			joined.WriteString(cut)
			if joined.Len() > 1<<16 {
				return &FormatError{begun, "a line without end"}
			}
			continue
		}
		joined.WriteString(l)
		l = joined.String()
		joined.Reset()
		if l == "" {
			continue
		}
		if l[0] == '[' {
			end := strings.IndexByte(l, ']')
			if end < 0 {
				return &FormatError{begun, "a section's name without its closing bracket"}
			}
			section = strings.ToLower(strings.TrimSpace(l[1:end]))
			if f.sections[section] == nil {
				f.sections[section] = []entry{}
			}
			continue
		}
		if entries++; entries > maxEntries {
			return &FormatError{begun, "more entries than any set-up file has"}
		}
		e := entry{line: begun}
		key, rest, hasKey := cutKey(l)
		if !hasKey {
			rest = l
		} else {
			e.key = key
		}
		e.values = fields(rest)
		f.sections[section] = append(f.sections[section], e)
	}
	if joined.Len() > 0 {
		f.sections[section] = append(f.sections[section], entry{values: fields(joined.String()), line: begun})
	}
	f.putStrings()
	return nil
}

// uncommented cuts what follows a semicolon outside of quotes.
func uncommented(l string) string {
	quoted := false
	for i := 0; i < len(l); i++ {
		switch l[i] {
		case '"':
			quoted = !quoted
		case ';':
			if !quoted {
				return l[:i]
			}
		}
	}
	return l
}

// cutKey cuts at the first equals sign outside of quotes.
func cutKey(l string) (key, rest string, ok bool) {
	quoted := false
	for i := 0; i < len(l); i++ {
		switch l[i] {
		case '"':
			quoted = !quoted
		case '=':
			if !quoted {
				return unquote(l[:i]), l[i+1:], true
			}
		}
	}
	return "", l, false
}

// fields cuts values at commas outside of quotes.
func fields(s string) []string {
	var out []string
	quoted, from := false, 0
	for i := 0; i <= len(s); i++ {
		if i == len(s) || s[i] == ',' && !quoted {
			out = append(out, unquote(s[from:i]))
			from = i + 1
		} else if s[i] == '"' {
			quoted = !quoted
		}
	}
	return out
}

// unquote takes outer quotes off; two in a row inside of them are one.
func unquote(s string) string {
	s = strings.TrimSpace(s)
	if len(s) >= 2 && s[0] == '"' && s[len(s)-1] == '"' {
		return strings.ReplaceAll(s[1:len(s)-1], `""`, `"`)
	}
	return strings.ReplaceAll(s, `"`, "")
}

// putStrings puts the values of [Strings] where %names% stand. Sections for other languages fill what the plain one
// lacks.
func (f *INF) putStrings() {
	var names []string
	for s := range f.sections {
		if s == "strings" || strings.HasPrefix(s, "strings.") {
			names = append(names, s)
		}
	}
	slices.Sort(names) // the plain one first
	for _, s := range names {
		for _, e := range f.sections[s] {
			if _, there := f.strings[strings.ToLower(e.key)]; !there && e.key != "" {
				f.strings[strings.ToLower(e.key)] = strings.ReplaceAll(strings.Join(e.values, ","), "%%", "%")
			}
		}
		delete(f.sections, s)
	}
	for _, list := range f.sections {
		for i := range list {
			list[i].key = f.expand(list[i].key)
			for j := range list[i].values {
				list[i].values[j] = f.expand(list[i].values[j])
			}
		}
	}
}

// expand puts strings in once: a string's own value is not looked into, so no cycle can be.
func (f *INF) expand(s string) string {
	if strings.IndexByte(s, '%') < 0 {
		return s
	}
	var b strings.Builder
	for {
		from := strings.IndexByte(s, '%')
		if from < 0 {
			b.WriteString(s)
			return b.String()
		}
		b.WriteString(s[:from])
		s = s[from+1:]
		to := strings.IndexByte(s, '%')
		switch {
		case to < 0:
			b.WriteByte('%')
			b.WriteString(s)
			return b.String()
		case to == 0:
			b.WriteByte('%') // two in a row are one
		default:
			v, ok := f.strings[strings.ToLower(s[:to])]
			if !ok {
				v = "%" + s[:to] + "%"
			}
			b.WriteString(v)
		}
		s = s[to+1:]
	}
}

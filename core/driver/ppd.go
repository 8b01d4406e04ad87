package driver

import (
	"strings"
)

// A PPD is a PostScript printer description (version 4.3), which Unix spoolers take as a driver.
type PPD struct {
	NickName string // the name that is shown and chosen
	Model    string
	Maker    string
	Version  string // of the file
	DeviceID string // IEEE 1284
	Features Feature
	Options  []Option
	Includes []string // files that it includes; they are not read
}

// An Option is one choice that a PPD offers.
type Option struct {
	Keyword string   `json:"keyword"`
	Title   string   `json:"title,omitempty"`
	Default string   `json:"default,omitempty"`
	Choices []string `json:"choices"`
}

// A Feature is what a model can do, as far as its set-up file says.
type Feature struct {
	Colour   bool     `json:"colour"`
	TwoSided bool     `json:"two_sided"`
	Media    []string `json:"media,omitempty"`
	Trays    []string `json:"trays,omitempty"`
}

const maxOptions = 4096

// ParsePPD reads one description. Errors are *FormatError, ErrTooLong or ErrEncoding.
//
//nolint:funlen // one keyword after another
func ParsePPD(b []byte) (*PPD, error) {
	s, err := text(b)
	if err != nil {
		return nil, err
	}
	if !strings.HasPrefix(s, "*PPD-Adobe:") {
		return nil, &FormatError{1, "it does not begin with *PPD-Adobe:"}
	}
	p := &PPD{}
	at := map[string]int{}
	choices := 0
	lines := strings.Split(strings.ReplaceAll(strings.ReplaceAll(s, "\r\n", "\n"), "\r", "\n"), "\n")
	if len(lines) > maxLines {
		return nil, &FormatError{maxLines, "more lines than any description has"}
	}
	for i := 0; i < len(lines); i++ {
		begun := i + 1
		l := lines[i]
		if !strings.HasPrefix(l, "*") || strings.HasPrefix(l, "*%") {
			continue
		}
		head, value, ok := strings.Cut(l[1:], ":")
		if !ok {
			continue // a keyword alone, such as *End
		}
		value = strings.TrimSpace(value)
		if strings.HasPrefix(value, `"`) {
			// A quoted value goes on until the next quote, on later lines where need be.
			var b strings.Builder
			rest := value[1:]
			for {
				if q := strings.IndexByte(rest, '"'); q >= 0 {
					b.WriteString(rest[:q])
					break
				}
				b.WriteString(rest)
				b.WriteByte('\n')
				if i++; i >= len(lines) {
					return nil, &FormatError{begun, "a quoted value without its end"}
				}
				rest = lines[i]
			}
			value = b.String()
		} else if slash := strings.IndexByte(value, '/'); slash >= 0 {
			value = value[:slash] // a translation of the value
		}
		keyword, option, _ := strings.Cut(strings.TrimSpace(head), " ")
		option, title, _ := strings.Cut(strings.TrimSpace(option), "/")
		switch keyword {
		case "NickName":
			p.NickName = unhex(value)
		case "ModelName":
			p.Model = unhex(value)
		case "Manufacturer":
			p.Maker = unhex(value)
		case "FileVersion":
			p.Version = value
		case "1284DeviceID":
			p.DeviceID = strings.TrimSpace(value)
		case "ColorDevice":
			p.Features.Colour = strings.EqualFold(strings.TrimSpace(value), "True")
		case "Include":
			if len(p.Includes) < 64 {
				p.Includes = append(p.Includes, value)
			}
		case "OpenUI", "JCLOpenUI":
			name := strings.TrimPrefix(option, "*")
			if _, there := at[name]; !there && name != "" {
				if len(p.Options) >= maxOptions {
					return nil, &FormatError{begun, "more options than any description has"}
				}
				at[name] = len(p.Options)
				p.Options = append(p.Options, Option{Keyword: name, Title: unhex(title), Choices: []string{}})
			}
		default:
			if name, is := strings.CutPrefix(keyword, "Default"); is {
				if j, ok := at[name]; ok {
					p.Options[j].Default = strings.TrimSpace(value)
				}
			} else if j, ok := at[keyword]; ok && option != "" {
				if choices++; choices > maxEntries {
					return nil, &FormatError{begun, "more choices than any description has"}
				}
				p.Options[j].Choices = append(p.Options[j].Choices, option)
			}
		}
	}
	if p.NickName == "" {
		p.NickName = p.Model
	}
	if p.NickName == "" {
		return nil, &FormatError{0, "it has neither *NickName nor *ModelName"}
	}
	p.features()
	return p, nil
}

func (p *PPD) features() {
	for _, o := range p.Options {
		switch o.Keyword {
		case "Duplex":
			for _, c := range o.Choices {
				p.Features.TwoSided = p.Features.TwoSided || strings.HasPrefix(c, "Duplex")
			}
		case "PageSize":
			p.Features.Media = o.Choices
		case "InputSlot":
			p.Features.Trays = o.Choices
		}
	}
}

// Models gives the name under which a description is chosen, on the systems that take it.
func (p *PPD) Models() []Model {
	var ids []string
	if p.DeviceID != "" {
		ids = []string{p.DeviceID}
	}
	var out []Model
	for _, system := range []string{"linux", "macos"} {
		out = append(out, Model{Exact: p.NickName, Maker: p.Maker, Platform: system, Version: p.Version,
			Language: "PostScript", HardwareIDs: ids, Features: &p.Features})
	}
	return out
}

// unhex puts letters for hex digits in angle brackets (PPD 4.3, section 3.5); what is no such pair stays.
func unhex(s string) string {
	if !strings.Contains(s, "<") {
		return s
	}
	var b strings.Builder
	for {
		from := strings.IndexByte(s, '<')
		to := strings.IndexByte(s, '>')
		if from < 0 || to < from {
			b.WriteString(s)
			return b.String()
		}
		hex := strings.ReplaceAll(s[from+1:to], " ", "")
		letters, ok := pairs(hex)
		b.WriteString(s[:from])
		if ok {
			b.WriteString(latin(letters))
		} else {
			b.WriteString(s[from : to+1])
		}
		s = s[to+1:]
	}
}

func pairs(hex string) ([]byte, bool) {
	if hex == "" || len(hex)%2 != 0 {
		return nil, false
	}
	digit := func(c byte) int { return strings.IndexByte("0123456789abcdef", c|0x20) }
	out := make([]byte, 0, len(hex)/2)
	for i := 0; i < len(hex); i += 2 {
		a, b := digit(hex[i]), digit(hex[i+1])
		if a < 0 || b < 0 {
			return nil, false
		}
		out = append(out, byte(a<<4|b))
	}
	return out, true
}

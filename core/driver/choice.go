package driver

import (
	"cmp"
	"slices"
	"strings"

	"cirque/core/estate"
)

// A Choice is a name that may be chosen for a driver, with where it is known.
type Choice struct {
	Exact       string   `json:"exact"`
	Platform    string   `json:"platform,omitempty" doc:"Empty where only a server has it."`
	Maker       string   `json:"maker,omitempty"`
	Language    string   `json:"language,omitempty"`
	Version     string   `json:"version,omitempty"`
	Date        string   `json:"date,omitempty"`
	Packages    []string `json:"packages" doc:"Digests."`
	SetUpFile   string   `json:"set_up_file,omitempty"`
	HardwareIDs []string `json:"hardware_ids,omitempty"`
	Servers     []string `json:"servers" doc:"Servers that have a queue with it."`
	Places      []string `json:"places,omitempty" doc:"Places whose spooler brings it along."`
	Driver      string   `json:"driver,omitempty" doc:"The estate's driver of that name and platform."`
	Fits        bool     `json:"fits" doc:"It is for the model asked about, by its name or hardware ids."`
	Marked      bool     `json:"marked" doc:"The one to take where nothing speaks against it; with uses, for those in for."`
	For         []Use    `json:"for,omitempty" doc:"Of the uses asked about, those for which it is the one to take."`
	Why         string   `json:"why,omitempty" doc:"Why it is marked."`
}

// ForModel lists the names that packages have for a device's model.
func ForModel(packages []Package, model string) []Model {
	var out []Model
	for _, p := range packages {
		for _, m := range p.Models {
			if FitsModel(m, model) {
				out = append(out, m)
			}
		}
	}
	return out
}

// FitsModel says whether a name is for a model: it begins with it, or a hardware id ends in it.
func FitsModel(m Model, model string) bool {
	want := strip(model)
	if want == "" {
		return false
	}
	exact := strip(m.Exact)
	if rest, ok := strings.CutPrefix(exact, want); ok {
		// "Mono 40" is no driver of the model "Mono 4".
		return rest == "" || !isDigit(rest[0]) || !isDigit(want[len(want)-1]) || strings.HasPrefix(strings.ToLower(m.Exact),
			strings.ToLower(model)+" ")
	}
	return slices.ContainsFunc(m.HardwareIDs, func(id string) bool {
		return strings.HasSuffix(strip(id), want) && len(want) > 5
	})
}

func isDigit(c byte) bool { return c >= '0' && c <= '9' }

// Wanted is for what names are looked for. All of it may be left out.
type Wanted struct {
	Model, Platform string
	Words           string // that all have to be in it
	Uses            []Use  // what is printed
	// Built are the names that spoolers bring along, with the places where they do.
	Built map[string][]string
}

// builtFor is what a spooler's own descriptions of printers are for.
const builtFor = "linux"

// Choices lists names, those for the model first and among them the marked one: the page language that sessions and
// drivers of the operating system agree on most, then the newest. on says which servers have a name.
func Choices(packages []Package, doc *estate.Document, on map[string][]string, wish Wanted) []Choice {
	model, platform := wish.Model, wish.Platform
	type key struct{ exact, platform string }
	at := map[key]int{}
	out := []Choice{}
	wanted := strings.Fields(strings.ToLower(wish.Words))
	narrow := func(texts ...string) bool {
		all := strings.ToLower(strings.Join(texts, " "))
		return !slices.ContainsFunc(wanted, func(w string) bool { return !strings.Contains(all, w) })
	}
	for _, p := range packages {
		for _, m := range p.Models {
			if platform != "" && !fits(m.Platform, platform) || !narrow(m.Exact, m.Maker, m.Platform, m.Language, m.SetUpFile,
				p.Name, strings.Join(m.HardwareIDs, " ")) {
				continue
			}
			k := key{m.Exact, m.Platform}
			i, there := at[k]
			if !there {
				i = len(out)
				at[k] = i
				out = append(out, Choice{Exact: m.Exact, Platform: m.Platform, Maker: m.Maker, Language: m.Language,
					Version: m.Version, Date: m.Date, SetUpFile: m.SetUpFile, HardwareIDs: m.HardwareIDs, Packages: []string{},
					Servers: on[m.Exact], Fits: FitsModel(m, model)})
			}
			if c := &out[i]; !slices.Contains(c.Packages, p.Digest) {
				c.Packages = append(c.Packages, p.Digest)
				if m.Date > c.Date {
					c.Version, c.Date, c.SetUpFile = m.Version, m.Date, m.SetUpFile
				}
			}
		}
	}
	packed := map[string]bool{}
	for _, c := range out {
		packed[c.Exact] = true
	}
	for exact, servers := range on {
		if platform == "" && !packed[exact] && narrow(append([]string{exact}, servers...)...) {
			out = append(out, Choice{Exact: exact, Packages: []string{}, Servers: servers,
				Fits: FitsModel(Model{Exact: exact}, model)})
		}
	}
	if platform == "" || fits(builtFor, platform) {
		for exact, places := range wish.Built {
			if !packed[exact] && (platform != "" || on[exact] == nil) && narrow(append([]string{exact}, places...)...) {
				out = append(out, Choice{Exact: exact, Platform: builtFor, Packages: []string{},
					Fits: FitsModel(Model{Exact: exact}, model)})
			}
		}
	}
	for i := range out {
		if out[i].Servers == nil {
			out[i].Servers = []string{}
		}
		out[i].Places = wish.Built[out[i].Exact]
		for _, d := range doc.Drivers {
			if d.Exact == out[i].Exact && (d.Platform == out[i].Platform || out[i].Platform == "") {
				out[i].Driver = d.Name
			}
		}
	}
	slices.SortFunc(out, func(a, b Choice) int {
		return cmp.Or(first(a.Fits, b.Fits), cmp.Compare(rank[a.Language], rank[b.Language]), cmp.Compare(b.Date, a.Date),
			cmp.Compare(a.Exact, b.Exact), cmp.Compare(a.Platform, b.Platform))
	})
	mark(out, wish)
	return out
}

// mark marks, for each platform, the first name in a package that fits the model; with uses, the best for each.
func mark(list []Choice, wish Wanted) {
	marked := map[string]bool{}
	for i := range list {
		c := &list[i]
		if wish.Model == "" || !c.Fits || len(c.Packages) == 0 || marked[c.Platform] {
			continue
		}
		marked[c.Platform] = true
		if len(wish.Uses) == 0 {
			c.Marked, c.Why = true, advice[c.Language]
			continue
		}
		for _, u := range wish.Uses {
			best := i
			for j := range list[i:] {
				o := &list[i+j]
				if o.Platform == c.Platform && o.Fits && len(o.Packages) > 0 && u.rank(o.Language) < u.rank(list[best].Language) {
					best = i + j
				}
			}
			b := &list[best]
			b.Marked, b.For, b.Why = true, append(b.For, u), advice[b.Language]
		}
	}
}

func first(a, b bool) int {
	switch {
	case a == b:
		return 0
	case a:
		return -1
	}
	return 1
}

// rank puts page languages in the order in which they are advised; what a name does not say comes last.
var rank = map[string]int{"PCL6": 1, "PostScript": 2, "XPS": 3, "PDF": 4, "PCL5": 5, "HPGL": 6, "ZPL": 7, "": 8}

var advice = map[string]string{
	"PCL6":       "PCL6 is the usual choice for office documents: small jobs, quickly printed",
	"PostScript": "PostScript is exact with layout and drawing applications; jobs are larger",
	"XPS":        "XPS follows the system's own printing closely; old applications may look otherwise",
	"PDF":        "PDF is printed as it is sent",
	"PCL5":       "PCL5 is for old applications; newer languages print better where they are to be had",
	"HPGL":       "HPGL is made for drawings on wide paper",
	"ZPL":        "ZPL is made for labels",
	"":           "it is the only kind that is made for this model",
}

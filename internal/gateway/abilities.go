package gateway

import (
	"fmt"
	"slices"
	"strings"

	"cirque/core/estate"
	"cirque/internal/ipp"
	"cirque/internal/service/printing"
)

// An ability is an option with what is said of it where the devices say nothing.
type ability struct {
	option   string
	values   []string // "" leaves it out
	standard any      // its default; nil has none of its own
}

// abilities are those that a driverless client asks for (RFC 8011, section 5.2; PWG 5100.7, 5100.13, 5100.14). What
// stands here where no device says anything is what a printer does that knows nothing of it.
var abilities = []ability{
	{"copies", []string{"1-1"}, 1}, {"finishings", []string{"3"}, 3}, {"sides", []string{"one-sided"}, "one-sided"},
	{"orientation-requested", []string{"3", "4", "5", "6"}, nil}, {"output-bin", []string{"face-down"}, "face-down"},
	{"print-quality", []string{"4"}, 4}, {"print-color-mode", []string{"monochrome"}, "monochrome"},
	{"printer-resolution", []string{"300x300dpi"}, "300x300dpi"}, {"print-content-optimize", []string{"auto"}, "auto"},
	{"print-rendering-intent", []string{"auto"}, "auto"}, {"print-scaling", []string{"auto"}, "auto"},
	{"media-source", []string{"auto"}, nil}, {"media-type", []string{"stationery"}, nil},
	{"number-up", []string{"1"}, 1}, {"page-ranges", []string{"true"}, nil},
	{"pwg-raster-document-resolution", []string{"300x300dpi"}, nil},
	{"pwg-raster-document-type", []string{"sgray_8"}, nil}, {"pwg-raster-document-sheet-back", []string{"normal"}, nil},
	{"urf", nil, nil},
}

// abilities says what jobs may ask for.
func (g *Gateway) abilities(r *asked, offer printing.Offer) []ipp.Attribute {
	var out []ipp.Attribute
	var made []string
	for _, a := range abilities {
		values := offer.Able[a.option]
		if len(values) == 0 {
			values = a.values
		}
		if len(values) == 0 {
			continue
		}
		made = append(made, a.option)
		switch a.option {
		case "pwg-raster-document-sheet-back":
			out = append(out, ipp.Strs(ipp.Keyword, a.option, values[0]))
			continue
		case "urf", "pwg-raster-document-resolution", "pwg-raster-document-type":
			made = made[:len(made)-1]
		case "page-ranges":
			values = values[:1]
		}
		out = append(out, ipp.Supported(a.option+"-supported", a.option, values))
		if d, ok := standard(offer, a, values); ok {
			out = append(out, d)
		}
	}
	if _, ok := offer.Own["orientation-requested"]; !ok { // the document says
		out = append(out, ipp.Attr("orientation-requested-default", ipp.Value{Tag: ipp.NoValue}))
	}
	out = append(out, ipp.Strs(ipp.Keyword, "overrides-supported", "document-number", "pages"),
		ipp.Strs(ipp.Keyword, "job-sheets-default", "none"), ipp.Strs(ipp.Keyword, "job-sheets-supported", "none"),
		ipp.Strs(ipp.Keyword, "job-hold-until-default", "no-hold"))
	out = append(out, ipp.Strs(ipp.Keyword, "job-hold-until-supported", "no-hold", "indefinite"))
	made = append(made, "media", "media-col", "job-name", "job-hold-until", "job-sheets", "ipp-attribute-fidelity")
	switch r.door.Queue.JobsOf().Charge {
	case estate.RequiredCharge:
		out = append(out, ipp.Strs(ipp.Keyword, "printer-mandatory-job-attributes", "job-account-id"))
		fallthrough
	case estate.OptionalCharge:
		out = append(out, ipp.Attr("job-account-id-supported", ipp.Bool(true)), ipp.Attr("job-account-id-default",
			ipp.Value{Tag: ipp.NoValue}))
		made = append(made, "job-account-id")
	}
	return append(out, ipp.Strs(ipp.Keyword, "job-creation-attributes-supported", made...))
}

// standard is what is done where a job asks for nothing: what the queue or its devices have, else what is usual.
func standard(offer printing.Offer, a ability, values []string) (ipp.Attribute, bool) {
	v, ok := offer.Own[a.option]
	if !ok {
		if v = a.standard; v == nil {
			return ipp.Attribute{}, false
		}
		if !slices.Contains(values, fmt.Sprint(v)) && a.option != "copies" {
			v = values[0]
			if a, err := ipp.OptionAttribute(a.option+"-default", a.option, number(values[0])); err == nil {
				return a, true
			}
		}
	}
	d, err := ipp.OptionAttribute(a.option+"-default", a.option, v)
	return d, err == nil
}

// number gives a word that is a number as one.
func number(word string) any {
	if strings.Trim(word, "0123456789") == "" {
		n := 0
		_, _ = fmt.Sscan(word, &n) // it is one
		return n
	}
	return word
}

// margin is that of media whose devices say nothing of it, in hundredths of millimetres.
const margin = 423

// media says which there are (PWG 5100.7, section 6.3).
func media(offer printing.Offer) []ipp.Attribute {
	names := offer.Able["media"]
	names = slices.DeleteFunc(slices.Clone(names), func(n string) bool { _, _, ok := ipp.Size(n); return !ok })
	if len(names) == 0 {
		names = []string{"iso_a4_210x297mm"}
	}
	ready := slices.DeleteFunc(slices.Clone(offer.Able["media-ready"]), func(n string) bool {
		return !slices.Contains(names, n)
	})
	if len(ready) == 0 {
		ready = names
	}
	first, _ := offer.Own["media"].(string)
	if !slices.Contains(names, first) {
		first = ready[0]
	}
	var margins, sideMembers []ipp.Attribute
	for _, side := range []string{"bottom", "left", "right", "top"} {
		option := "media-" + side + "-margin"
		values := offer.Able[option]
		if len(values) == 0 {
			values = []string{fmt.Sprint(margin)}
		}
		margins = append(margins, ipp.Supported(option+"-supported", option, values))
		widest := 0
		for _, v := range values {
			n := 0
			_, _ = fmt.Sscan(v, &n) // what is no number is no margin
			widest = max(widest, n)
		}
		sideMembers = append(sideMembers, ipp.Ints(ipp.Integer, option, widest))
	}
	kind := "stationery"
	if t := offer.Able["media-type"]; len(t) > 0 {
		kind = t[0]
	}
	col := func(name string) ipp.Value {
		return ipp.Col(append([]ipp.Attribute{ipp.Attr("media-size", sizeOf(name))}, append(sideMembers, ipp.Strs(ipp.Keyword,
			"media-type", kind))...)...)
	}
	sizes, database, here := ipp.Attribute{Name: "media-size-supported"}, ipp.Attribute{Name: "media-col-database"},
		ipp.Attribute{Name: "media-col-ready"}
	for _, n := range names {
		sizes.Values, database.Values = append(sizes.Values, sizeOf(n)), append(database.Values, col(n))
	}
	for _, n := range ready {
		here.Values = append(here.Values, col(n))
	}
	return append(margins, ipp.Strs(ipp.Keyword, "media-supported", names...), ipp.Strs(ipp.Keyword, "media-ready",
		ready...), ipp.Strs(ipp.Keyword, "media-default", first), sizes, database, here, ipp.Attr("media-col-default",
		col(first)), ipp.Strs(ipp.Keyword, "media-col-supported", "media-bottom-margin", "media-left-margin",
		"media-right-margin", "media-size", "media-top-margin", "media-type", "media-source"))
}

func sizeOf(name string) ipp.Value {
	x, y, _ := ipp.Size(name) // it has one
	return ipp.Col(ipp.Ints(ipp.Integer, "x-dimension", int(x)), ipp.Ints(ipp.Integer, "y-dimension", int(y)))
}

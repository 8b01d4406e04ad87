package windows

import (
	"fmt"
	"math"
	"regexp"
	"strconv"

	"cirque/internal/winspool"
)

// papers are the sizes that the system has numbers for (DMPAPER_*), by their self-describing names (PWG 5101.1).
var papers = map[string]int16{
	"na_letter_8.5x11in": 1, "na_ledger_11x17in": 3, "na_legal_8.5x14in": 5, "na_invoice_5.5x8.5in": 6,
	"na_executive_7.25x10.5in": 7, "iso_a3_297x420mm": 8, "iso_a4_210x297mm": 9, "iso_a5_148x210mm": 11,
	"jis_b4_257x364mm": 12, "jis_b5_182x257mm": 13, "na_foolscap_8.5x13in": 14, "na_number-10_4.125x9.5in": 20,
	"iso_dl_110x220mm": 27, "iso_c5_162x229mm": 28, "iso_c3_324x458mm": 29, "iso_c4_229x324mm": 30,
	"iso_c6_114x162mm": 31, "iso_b4_250x353mm": 42, "iso_b5_176x250mm": 34, "iso_b6_125x176mm": 35,
	"na_monarch_3.875x7.5in": 37, "iso_a2_420x594mm": 66, "iso_a6_105x148mm": 70, "na_c_17x22in": 24,
	"na_d_22x34in": 25, "na_e_34x44in": 26, "jpn_hagaki_100x148mm": 43,
}

const paperOfItsSize = 256 // DMPAPER_USER

// sources are the bins that every driver has (DMBIN_*), by their keywords (PWG 5100.7).
var sources = map[string]int16{"auto": 7, "top": 1, "bottom": 2, "middle": 3, "manual": 4, "envelope": 5,
	"large-capacity": 11, "main": 15}

// numbers are options whose values have a number each in a DEVMODE, with the member that holds it.
var numbers = map[string]struct {
	has    uint32
	member func(m *winspool.Mode) *int16
	values map[string]int16
}{
	"sides": {winspool.HasDuplex, func(m *winspool.Mode) *int16 { return &m.Duplex },
		map[string]int16{"one-sided": 1, "two-sided-long-edge": 2, "two-sided-short-edge": 3}},
	"print-color-mode": {winspool.HasColor, func(m *winspool.Mode) *int16 { return &m.Color },
		map[string]int16{"monochrome": 1, "color": 2}},
	"print-quality": {winspool.HasQuality, func(m *winspool.Mode) *int16 { return &m.Quality },
		map[string]int16{"3": -1, "4": -3, "5": -4}},
	"orientation-requested": {winspool.HasOrientation, func(m *winspool.Mode) *int16 { return &m.Orientation },
		map[string]int16{"3": 1, "4": 2}},
	"multiple-document-handling": {winspool.HasCollate, func(m *winspool.Mode) *int16 { return &m.Collate },
		map[string]int16{"separate-documents-uncollated-copies": 0, "separate-documents-collated-copies": 1}},
	"media-source": {winspool.HasSource, func(m *winspool.Mode) *int16 { return &m.Source }, sources},
	"media":        {winspool.HasPaper, func(m *winspool.Mode) *int16 { return &m.Paper }, papers},
}

var sizeRE = regexp.MustCompile(`_([0-9]+(?:\.[0-9]+)?)x([0-9]+(?:\.[0-9]+)?)(mm|in)$`)

// modeOf gives what a DEVMODE is to have for options (RFC 8011, section 5.2), as far as it has members for them.
func modeOf(options map[string]any) (m winspool.Mode) {
	for option, value := range options {
		text := fmt.Sprint(value)
		if n, ok := numbers[option]; ok {
			if v, ok := n.values[text]; ok {
				*n.member(&m) = v
				m.Has |= n.has
				continue
			}
		}
		switch option {
		case "copies":
			if n, err := strconv.Atoi(text); err == nil && n > 0 && n <= math.MaxInt16 {
				m.Copies, m.Has = int16(n), m.Has|winspool.HasCopies
			}
		case "media":
			if width, length, ok := tenths(text); ok {
				m.Paper, m.Width, m.Length = paperOfItsSize, width, length
				m.Has |= winspool.HasPaper | winspool.HasWidth | winspool.HasLength
			}
		}
	}
	return m
}

// tenths reads the measures of a paper out of its self-describing name, in tenths of a millimetre.
func tenths(media string) (width, length int16, ok bool) {
	f := sizeRE.FindStringSubmatch(media)
	if f == nil {
		return 0, 0, false
	}
	unit := 10.0
	if f[3] == "in" {
		unit = 254
	}
	measure := func(s string) int16 {
		v, err := strconv.ParseFloat(s, 64)
		if err != nil || v*unit > math.MaxInt16 {
			return 0
		}
		return int16(math.Round(v * unit))
	}
	width, length = measure(f[1]), measure(f[2])
	return width, length, width > 0 && length > 0
}

// valueIn reads an option out of a DEVMODE: ok is false where it has no member for it, or says nothing.
func valueIn(m winspool.Mode, option string) (value any, ok bool) {
	if option == "copies" {
		return int(m.Copies), m.Has&winspool.HasCopies != 0
	}
	n, ok := numbers[option]
	if !ok || m.Has&n.has == 0 {
		return nil, false
	}
	found := *n.member(&m)
	if option == "media" && found == paperOfItsSize {
		return fmt.Sprintf("custom_%gx%gmm", float64(m.Width)/10, float64(m.Length)/10), true
	}
	for text, v := range n.values {
		if v == found {
			if whole, err := strconv.Atoi(text); err == nil {
				return whole, true
			}
			return text, true
		}
	}
	return fmt.Sprint(found), true
}

// optionsIn reads what a DEVMODE says of the options that people set.
func optionsIn(b []byte) map[string]any {
	m := winspool.ReadMode(b)
	out := map[string]any{}
	for _, o := range []string{"sides", "print-color-mode", "media", "copies"} {
		if v, ok := valueIn(m, o); ok && fmt.Sprint(v) != "1" {
			out[o] = v
		}
	}
	return out
}

// after compares what was set with what came of it: the options of which a queue shows another value, or none.
func after(options map[string]any, mode []byte) map[string]any {
	m := winspool.ReadMode(mode)
	var shown map[string]any
	for o, want := range options {
		v, ok := valueIn(m, o)
		if ok && fmt.Sprint(v) == fmt.Sprint(want) {
			continue
		}
		if shown == nil {
			shown = map[string]any{}
		}
		if ok {
			shown[o] = v
		} else {
			shown[o] = nil
		}
	}
	return shown
}

// present gives the options of a queue of the agent's own as they are now.
func (m mark) present(mode []byte) map[string]any {
	var out map[string]any
	now := winspool.ReadMode(mode)
	for o, set := range m.Options {
		if out == nil {
			out = map[string]any{}
		}
		v, ok := valueIn(now, o)
		shown, other := m.Shown[o]
		switch {
		case other && shown == nil && !ok, other && ok && fmt.Sprint(shown) == fmt.Sprint(v):
			out[o] = set
		default:
			out[o] = v
		}
	}
	return out
}

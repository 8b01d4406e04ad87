package windows

import (
	"bytes"
	"encoding/xml"
	"fmt"
	"maps"
	"slices"
)

// Names of a print ticket (Print Schema Specification, "Print Schema Keywords").
const (
	ticketSchema   = "http://schemas.microsoft.com/windows/2003/08/printing/printschemaframework"
	ticketKeywords = "http://schemas.microsoft.com/windows/2003/08/printing/printschemakeywords"
)

// features are options that a print ticket has a feature for, with the options' values in its words.
var features = map[string]struct {
	feature string
	values  map[string]string
}{
	"sides": {"JobDuplexAllDocumentsContiguously", map[string]string{"one-sided": "OneSided",
		"two-sided-long-edge": "TwoSidedLongEdge", "two-sided-short-edge": "TwoSidedShortEdge"}},
	"print-color-mode": {"PageOutputColor", map[string]string{"monochrome": "Monochrome", "color": "Color"}},
	"media": {"PageMediaSize", map[string]string{"iso_a3_297x420mm": "ISOA3", "iso_a4_210x297mm": "ISOA4",
		"iso_a5_148x210mm": "ISOA5", "iso_a6_105x148mm": "ISOA6", "iso_b5_176x250mm": "ISOB5",
		"na_letter_8.5x11in": "NorthAmericaLetter", "na_legal_8.5x14in": "NorthAmericaLegal",
		"na_ledger_11x17in": "NorthAmericaTabloid", "iso_dl_110x220mm": "ISODLEnvelope"}},
	"print-quality": {"PageOutputQuality", map[string]string{"3": "Draft", "4": "Normal", "5": "High"}},
	"orientation-requested": {"PageOrientation", map[string]string{"3": "Portrait", "4": "Landscape",
		"5": "ReverseLandscape"}},
	"media-source": {"JobInputBin", map[string]string{"auto": "AutoSelect", "manual": "Manual"}},
	"media-type": {"PageMediaType", map[string]string{"auto": "AutoSelect", "stationery": "Plain",
		"stationery-letterhead": "Letterhead", "transparency": "Transparency", "labels": "Label", "envelope": "EnvelopePlain",
		"photographic": "Photographic", "cardstock": "CardStock"}},
	"finishings": {"JobStapleAllDocuments", map[string]string{"3": "None", "4": "StapleTopLeft", "20": "StapleTopLeft",
		"21": "StapleBottomLeft", "22": "StapleTopRight", "23": "StapleBottomRight", "28": "StapleDualLeft",
		"29": "StapleDualTop"}},
	"multiple-document-handling": {"DocumentCollate", map[string]string{
		"separate-documents-uncollated-copies": "Uncollated", "separate-documents-collated-copies": "Collated"}},
}

// ticketFor writes a print ticket that asks for options; nil where none of them has a place in it.
func ticketFor(options map[string]any) []byte {
	var b bytes.Buffer
	some := false
	b.WriteString(xml.Header)
	fmt.Fprintf(&b, `<psf:PrintTicket xmlns:psf="%s" xmlns:psk="%s" xmlns:xsi="%s" xmlns:xsd="%s" version="1">`,
		ticketSchema, ticketKeywords, "http://www.w3.org/2001/XMLSchema-instance", "http://www.w3.org/2001/XMLSchema")
	for _, o := range slices.Sorted(maps.Keys(options)) {
		if f, ok := features[o]; ok {
			if v, ok := f.values[firstOf(options[o])]; ok {
				fmt.Fprintf(&b, `<psf:Feature name="psk:%s"><psf:Option name="psk:%s"/></psf:Feature>`, f.feature, v)
				some = true
			}
		}
		if o == "copies" {
			fmt.Fprintf(&b, `<psf:ParameterInit name="psk:JobCopiesAllDocuments"><psf:Value xsi:type="xsd:integer">%s`+
				`</psf:Value></psf:ParameterInit>`, xmlText(fmt.Sprint(options[o])))
			some = true
		}
	}
	b.WriteString(`</psf:PrintTicket>`)
	if !some {
		return nil
	}
	return b.Bytes()
}

// firstOf gives an option's value in words; of a list the first.
func firstOf(v any) string {
	if list, ok := v.([]any); ok && len(list) > 0 {
		v = list[0]
	}
	return fmt.Sprint(v)
}

func xmlText(s string) string {
	var b bytes.Buffer
	_ = xml.EscapeText(&b, []byte(s)) // a buffer takes everything
	return b.String()
}

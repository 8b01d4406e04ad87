package agent

import (
	"bytes"
	"slices"
	"strings"

	"codeberg.org/go-pdf/fpdf"

	"cirque/internal/pwg"
)

// A Page is a test page: lines of text.
type Page struct {
	Lines []string
	Plain bool // as plain text, whatever the queue says that it takes
}

// in gives the page in the first format of its own that a queue takes: plain text, PDF, PWG raster. Where the queue
// does not say, or takes none of them, it is plain text, and the queue has the last word.
func (p Page) in(formats []string) (format string, body []byte, err error) {
	if p.Plain || len(formats) == 0 {
		formats = []string{"text/plain"}
	}
	switch {
	case slices.Contains(formats, "text/plain"):
	case slices.Contains(formats, "application/pdf"):
		pdf := fpdf.New("P", "mm", "A4", "")
		pdf.AddPage()
		pdf.SetFont("Courier", "", 11)
		pdf.MultiCell(0, 6, pdf.UnicodeTranslatorFromDescriptor("")(strings.Join(p.Lines, "\n")), "", "L", false)
		var b bytes.Buffer
		err := pdf.Output(&b)
		return "application/pdf", b.Bytes(), err
	case slices.Contains(formats, "image/pwg-raster"):
		b, err := pwg.TextPage(p.Lines, "iso_a4_210x297mm", 210, 297)
		return "image/pwg-raster", b, err
	}
	return "text/plain", []byte(strings.Join(p.Lines, "\n") + "\n\f"), nil
}

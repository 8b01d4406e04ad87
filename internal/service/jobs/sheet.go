package jobs

import (
	"bytes"
	"io"
	"strings"

	"codeberg.org/go-pdf/fpdf"
)

// A sheet is what a test page says of itself, so that the paper proves itself: names and values.
type sheet [][2]string

// pdf draws it.
func (t sheet) pdf() (io.Reader, error) {
	pdf := fpdf.New("P", "mm", "A4", "")
	pdf.SetCompression(false) // a page that can be read in the job as well as on the paper
	pdf.SetTitle("Cirque test page", true)
	pdf.AddPage()
	tr := pdf.UnicodeTranslatorFromDescriptor("")
	pdf.SetFont("Helvetica", "B", 24)
	pdf.CellFormat(0, 16, "Test page", "", 1, "", false, 0, "")
	for _, row := range t {
		pdf.SetFont("Helvetica", "B", 12)
		pdf.CellFormat(32, 9, row[0], "", 0, "", false, 0, "")
		pdf.SetFont("Courier", "", 12)
		pdf.CellFormat(0, 9, tr(row[1]), "", 1, "", false, 0, "")
	}
	var b bytes.Buffer
	err := pdf.Output(&b)
	return &b, err
}

// lines writes it as text.
func (t sheet) lines() []string {
	out := []string{"Test page", ""}
	for _, row := range t {
		out = append(out, row[0]+strings.Repeat(" ", max(1, 10-len(row[0])))+row[1])
	}
	return out
}

func (t sheet) text() io.Reader {
	return strings.NewReader(strings.Join(t.lines(), "\r\n") + "\r\n\f")
}

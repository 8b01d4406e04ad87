package convert

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"codeberg.org/go-pdf/fpdf"

	"cirque/core/fault"
	"cirque/core/job"
	"cirque/internal/pages"
)

func found(t *testing.T) *Converter {
	t.Helper()
	c := Find()
	if c == nil {
		t.Fatal("ghostscript is not installed: apt-get install --no-install-recommends ghostscript")
	}
	return c
}

func pdf(t *testing.T, n int, width, height float64) []byte {
	t.Helper()
	doc := fpdf.NewCustom(&fpdf.InitType{UnitStr: "pt", Size: fpdf.SizeType{Wd: width, Ht: height}})
	doc.SetFont("Helvetica", "", 40)
	for i := range n {
		doc.AddPage()
		doc.Text(72, 100, fmt.Sprintf("Page %d", i+1))
	}
	var b bytes.Buffer
	if err := doc.Output(&b); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// TestConvert: a PDF becomes as many pages in pixels as are asked for, of the size of the paper, in what the device takes.
func TestConvert(t *testing.T) {
	t.Parallel()
	c := found(t)
	able := map[string][]string{"pwg-raster-document-resolution": {"150x150dpi"}, "pwg-raster-document-type": {"sgray_8",
		"srgb_8"}}
	for what, k := range map[string]struct {
		to   string
		o    job.Options
		want int
		has  string
	}{
		"PWG":          {pages.PWG, job.Options{"media": "iso_a4_210x297mm"}, 3, "RaS2PwgRaster"},
		"some pages":   {pages.PWG, job.Options{"page-ranges": "2-3"}, 2, "RaS2"},
		"URF":          {pages.URF, job.Options{"print-color-mode": "monochrome"}, 3, "UNIRAST\x00"},
		"a small size": {pages.PWG, job.Options{"media-col": map[string]any{"media-size": map[string]any{"x-dimension": 8000.0, "y-dimension": 20000.0}}}, 3, "RaS2"},
	} {
		doc := pdf(t, 3, 595, 842)
		var out bytes.Buffer
		n, err := c.Convert(t.Context(), bytes.NewReader(doc), int64(len(doc)), k.to, k.o, able, &out)
		if err != nil || n != k.want || !bytes.HasPrefix(out.Bytes(), []byte(k.has)) {
			t.Errorf("%s: %d pages, %d bytes: %v", what, n, out.Len(), err)
		}
	}
	huge := pdf(t, 1, 200_000, 200_000)
	var out bytes.Buffer
	if n, err := c.Convert(t.Context(), bytes.NewReader(huge), int64(len(huge)), pages.PWG, nil, able, &out); n != 1 ||
		err != nil || out.Len() > 10<<20 {
		t.Errorf("a huge page: %d, %d bytes: %v", n, out.Len(), err)
	}
}

// TestNotConverted: what is no whole PDF is refused, and what calls itself one is run as nothing else.
func TestNotConverted(t *testing.T) {
	t.Parallel()
	c := found(t)
	doc := pdf(t, 3, 595, 842)
	for what, b := range map[string][]byte{"PostScript": []byte("%!PS\n(/etc/passwd) (r) file showpage\n"), "nothing": nil,
		"half": doc[:len(doc)*2/3], "PostScript in a coat": []byte("%PDF-1.7\n%!PS\nshowpage\n")} {
		var out bytes.Buffer
		n, err := c.Convert(t.Context(), bytes.NewReader(b), int64(len(b)), pages.PWG, nil, nil, &out)
		if !fault.Is(err, fault.Invalid) {
			t.Errorf("%s: %d pages: %v", what, n, err)
		}
	}
	if _, err := c.Convert(t.Context(), bytes.NewReader(doc), pages.MostPDF+1, pages.PWG, nil, nil, new(bytes.Buffer)); err == nil ||
		!strings.Contains(err.Error(), "too large") {
		t.Error(err)
	}
}

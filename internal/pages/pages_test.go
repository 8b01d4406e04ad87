package pages

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"image"
	"math/rand/v2"
	"strings"
	"testing"

	"codeberg.org/go-pdf/fpdf"

	"cirque/internal/pwg"
)

func pdf(t testing.TB, n int) []byte {
	t.Helper()
	doc := fpdf.New("P", "mm", "A4", "")
	doc.SetFont("Helvetica", "", 12)
	for i := range n {
		doc.AddPage()
		doc.Cell(0, 10, fmt.Sprintf("Page %d", i+1))
	}
	var b bytes.Buffer
	if err := doc.Output(&b); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func pwgOf(t testing.TB, n int) []byte {
	t.Helper()
	list := make([]pwg.Page, n)
	r := rand.New(rand.NewPCG(1, uint64(n)))
	for i := range list {
		img := image.NewGray(image.Rect(0, 0, 40+i, 30))
		for j := range img.Pix {
			img.Pix[j] = byte(r.IntN(3) * 100) // runs of both kinds
		}
		list[i] = pwg.Page{Image: img, DPI: 72, Media: "iso_a4_210x297mm"}
	}
	b, err := pwg.Encode(list...)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

// urfOf packs pages of one colour, each line white to its end.
func urfOf(n int) []byte {
	b := append([]byte("UNIRAST\x00"), 0, 0, 0, 99) // it lies about how many
	for range n {
		h := make([]byte, 32)
		h[0] = 24
		binary.BigEndian.PutUint32(h[12:], 300)
		binary.BigEndian.PutUint32(h[16:], 300)
		b = append(b, h...)
		b = append(b, 255, 127, 1, 2, 3, 128) // 256 lines: 128 pixels alike, the rest white
		b = append(b, 43, 254, 1, 2, 3, 4, 5, 6, 7, 8, 9, 128)
	}
	return b
}

// TestCount: pages are counted, in whatever pieces a document comes, and what cannot be counted is not guessed.
func TestCount(t *testing.T) {
	t.Parallel()
	none := -1
	for what, c := range map[string]struct {
		format string
		doc    []byte
		want   int
	}{
		"PWG":              {PWG, pwgOf(t, 7), 7},
		"PWG of one":       {PWG, pwgOf(t, 1), 1},
		"PWG, cut":         {PWG, pwgOf(t, 3)[:1796+100], 1},
		"PWG, no page":     {PWG, []byte("RaS2"), none},
		"PWG, nonsense":    {PWG, append([]byte("RaS2"), bytes.Repeat([]byte{255}, 4000)...), none},
		"URF":              {URF, urfOf(4), 4},
		"PostScript":       {PostScript, []byte("%!PS-Adobe-3.0\n%%Pages: 12\n%%EndComments\n"), 12},
		"at the end":       {PostScript, []byte("%!PS\r\n%%Pages: (atend)\r\nshowpage\r\n%%Trailer\r\n%%Pages: 3"), 3},
		"of one within":    {PostScript, []byte("%!PS\n%%BeginDocument: x\n%%Pages: 9\n%%EndDocument\n%%Pages: 2\n"), 2},
		"PostScript plain": {PostScript, []byte("%!\nshowpage showpage\n"), none},
		"a long line":      {PostScript, []byte("%!\n%" + strings.Repeat("x", 5000) + "\n%%Pages: 4\n"), 4},
	} {
		for _, piece := range []int{1, 7, 1000, 1 << 20} {
			n := Counting(c.format)
			for at := 0; at < len(c.doc); at += piece {
				if _, err := n.Write(c.doc[at:min(at+piece, len(c.doc))]); err != nil {
					t.Fatal(err)
				}
			}
			got := none
			if p := n.Pages(); p != nil {
				got = *p
			}
			if got != c.want {
				t.Errorf("%s in pieces of %d: %d pages, want %d", what, piece, got, c.want)
			}
		}
	}
	if Counting(JPEG) != nil || Counting(PDF) != nil {
		t.Error("what is not counted while it passes by")
	}
}

// TestPDF: by the page tree, whatever the tree says of itself.
func TestPDF(t *testing.T) {
	t.Parallel()
	doc := pdf(t, 23)
	if n, err := OfPDF(bytes.NewReader(doc), int64(len(doc))); n != 23 || err != nil {
		t.Error(n, err)
	}
	lies := bytes.Replace(doc, []byte("/Count 23"), []byte("/Count 03"), 1)
	if n, err := OfPDF(bytes.NewReader(lies), int64(len(lies))); err == nil && n != 23 {
		t.Error("it believed", n)
	}
	for what, b := range map[string][]byte{"half": doc[:len(doc)/2], "nothing": nil, "garbage": []byte("%PDF-1.7 …")} {
		if n, err := OfPDF(bytes.NewReader(b), int64(len(b))); err == nil {
			t.Errorf("%s: %d pages", what, n)
		}
	}
	if _, err := OfPDF(bytes.NewReader(doc), MostPDF+1); err == nil {
		t.Error("what is too large is counted")
	}
}

func TestFormat(t *testing.T) {
	t.Parallel()
	for _, f := range []string{PDF, PWG, URF, PostScript} {
		doc := map[string][]byte{PDF: pdf(t, 1), PWG: pwgOf(t, 1), URF: urfOf(1), PostScript: []byte("%!PS")}[f]
		if got := Format(doc[:min(len(doc), Sniffed)]); got != f {
			t.Errorf("%s: %q", f, got)
		}
	}
	if got := Format([]byte("hello")); got != "" {
		t.Error(got)
	}
}

func FuzzCount(f *testing.F) {
	f.Add(pwgOf(f, 2), 100)
	f.Add(urfOf(2), 5)
	f.Fuzz(func(t *testing.T, doc []byte, piece int) {
		for _, format := range []string{PWG, URF, PostScript} {
			whole, parts := Counting(format), Counting(format)
			_, _ = whole.Write(doc)
			for at, step := 0, max(1, piece%4096); at < len(doc); at += step {
				_, _ = parts.Write(doc[at:min(at+step, len(doc))])
			}
			a, b := whole.Pages(), parts.Pages()
			if (a == nil) != (b == nil) || a != nil && *a != *b {
				t.Fatalf("%s: %v and %v", format, a, b)
			}
		}
	})
}

// Package pwg writes PWG raster (PWG 5102.4), the pages in pixels that every IPP Everywhere printer takes.
package pwg

import (
	"encoding/binary"
	"errors"
	"image"
)

// A Page is one page in eight-bit grey (sGray).
type Page struct {
	Image *image.Gray
	DPI   int
	Media string // its self-describing name (PWG 5101.1), such as iso_a4_210x297mm
}

const (
	headerSize = 1796
	sGray      = 18
	maxSide    = 30_000 // pixels
)

// Encode writes a document of pages.
func Encode(pages ...Page) ([]byte, error) {
	out := []byte("RaS2") // section 4.1: the synchronization word
	for _, p := range pages {
		size := p.Image.Bounds().Size()
		if size.X < 1 || size.Y < 1 || size.X > maxSide || size.Y > maxSide || p.DPI < 1 {
			return nil, errors.New("pwg: a page has 1 to 30000 pixels each way")
		}
		out = append(out, header(p, size, len(pages))...)
		out = lines(out, p.Image)
	}
	return out, nil
}

// header is the page header of section 4.3; numbers are big-endian, texts end in zero bytes.
func header(p Page, size image.Point, pages int) []byte {
	h := make([]byte, headerSize)
	copy(h, "PwgRaster")
	put := func(at, n int) { binary.BigEndian.PutUint32(h[at:], uint32(n)) }
	put(276, p.DPI)
	put(280, p.DPI)
	put(340, 1)                 // NumCopies
	put(352, size.X*72/p.DPI)   // PageSize, in points
	put(356, size.Y*72/p.DPI)   //
	put(372, size.X)            // Width
	put(376, size.Y)            // Height
	put(384, 8)                 // BitsPerColor
	put(388, 8)                 // BitsPerPixel
	put(392, size.X)            // BytesPerLine
	put(400, sGray)             // ColorSpace
	put(420, 1)                 // NumColors
	put(452, pages)             // TotalPageCount
	put(456, 1)                 // CrossFeedTransform
	put(460, 1)                 // FeedTransform
	put(472, size.X)            // ImageBoxRight
	put(476, size.Y)            // ImageBoxBottom
	copy(h[1732:1795], p.Media) // PageSizeName
	return h
}

// lines packs the pixels (section 4.4): equal lines are counted, then runs of equal and of different pixels.
func lines(out []byte, img *image.Gray) []byte {
	b := img.Bounds()
	row := func(y int) []byte {
		at := img.PixOffset(b.Min.X, y)
		return img.Pix[at : at+b.Dx()]
	}
	for y := b.Min.Y; y < b.Max.Y; {
		line, n := row(y), 1
		for n < 256 && y+n < b.Max.Y && string(row(y+n)) == string(line) {
			n++
		}
		out = append(out, byte(n-1))
		out = pack(out, line)
		y += n
	}
	return out
}

func pack(out, line []byte) []byte {
	for i := 0; i < len(line); {
		n := 1
		for n < 128 && i+n < len(line) && line[i+n] == line[i] {
			n++
		}
		if n > 1 || i+1 == len(line) {
			out = append(out, byte(n-1), line[i])
			i += n
			continue
		}
		from := i
		for i-from < 128 && i < len(line) && (i+1 == len(line) || line[i] != line[i+1]) {
			i++
		}
		if i-from == 1 {
			out = append(out, 0, line[from])
			continue
		}
		out = append(out, byte(257-(i-from)))
		out = append(out, line[from:i]...)
	}
	return out
}

// Package pages counts the pages of documents: of PWG raster and URF by their page headers and of PostScript by its
// comments, while they pass by; of PDF by its page tree, once it is whole. It believes no number that a document says
// of itself where it can count.
package pages

import (
	"bytes"
	"encoding/binary"
)

// The formats that are counted, by their MIME types.
const (
	PDF        = "application/pdf"
	PWG        = "image/pwg-raster"
	URF        = "image/urf"
	PostScript = "application/postscript"
	JPEG       = "image/jpeg"
	Text       = "text/plain"
	Unsaid     = "application/octet-stream"
)

// Sniffed is how many bytes Format looks at.
const Sniffed = 16

// Format tells a document's format by how it begins; "" where that says nothing.
func Format(begins []byte) string {
	for magic, format := range map[string]string{"%PDF-": PDF, "RaS2": PWG, "UNIRAST\x00": URF, "%!": PostScript,
		"\x04%!": PostScript, "\xff\xd8\xff": JPEG} {
		if bytes.HasPrefix(begins, []byte(magic)) {
			return format
		}
	}
	return ""
}

// A Counter counts what is written to it; Pages gives nil where that says nothing.
type Counter interface {
	Write(b []byte) (int, error)
	Pages() *int
}

// Counting gives a counter for what is counted while it passes by; nil for other formats.
func Counting(format string) Counter {
	switch format {
	case PWG:
		return &raster{wants: 4, next: (*raster).pwgHeader, head: 1796, describe: pwgPage}
	case URF:
		return &raster{wants: 12, next: (*raster).pwgHeader, head: 32, describe: urfPage}
	case PostScript:
		return &postScript{}
	}
	return nil
}

// raster counts page headers, between which lie packed lines (PWG 5102.4, section 4; URF packs alike).
type raster struct {
	held  []byte // of what is wanted, what has come
	wants int
	next  func(*raster, []byte)
	skip  int64

	head     int
	describe func([]byte) (width, height, pixel int)

	pages, width, lines, pixel int
	repeat, left               int // lines that the packed one stands for, and pixels to come in it
	broken                     bool
}

func (r *raster) Write(b []byte) (int, error) {
	did := len(b)
	for len(b) > 0 && !r.broken {
		if r.skip > 0 {
			n := min(r.skip, int64(len(b)))
			b, r.skip = b[n:], r.skip-n
			continue
		}
		if len(r.held) == 0 && len(b) >= r.wants {
			now := b[:r.wants]
			b = b[r.wants:]
			r.next(r, now)
			continue
		}
		n := min(r.wants-len(r.held), len(b))
		r.held, b = append(r.held, b[:n]...), b[n:]
		if len(r.held) == r.wants {
			now := r.held
			r.held = r.held[:0]
			r.next(r, now)
		}
	}
	return did, nil
}

func (r *raster) want(n int, next func(*raster, []byte)) { r.wants, r.next = n, next }

// pwgHeader has come: the synchronisation word, or the file's header; pages follow.
func (r *raster) pwgHeader([]byte) { r.want(r.head, (*raster).page) }

func (r *raster) page(b []byte) {
	r.pages++
	r.width, r.lines, r.pixel = r.describe(b)
	if r.width <= 0 || r.lines <= 0 || r.pixel <= 0 || r.width > 1<<20 || r.lines > 1<<24 || r.pixel > 64 {
		r.broken = true
		return
	}
	r.want(1, (*raster).line)
}

func pwgPage(b []byte) (width, height, pixel int) {
	n := func(at int) int { return int(binary.BigEndian.Uint32(b[at:])) }
	bits := n(388)
	if bits < 8 { // pixels are packed by whole bytes
		return n(392), n(376), 1
	}
	return n(372), n(376), (bits + 7) / 8
}

func urfPage(b []byte) (width, height, pixel int) {
	return int(binary.BigEndian.Uint32(b[12:])), int(binary.BigEndian.Uint32(b[16:])), (int(b[0]) + 7) / 8
}

func (r *raster) line(b []byte) {
	r.repeat, r.left = int(b[0])+1, r.width
	r.want(1, (*raster).run)
}

func (r *raster) run(b []byte) {
	switch n := int(b[0]); {
	case n == 128: // the rest is white
		r.left = 0
	case n < 128:
		r.left, r.skip = r.left-n-1, int64(r.pixel)
	default:
		r.left, r.skip = r.left-(257-n), int64(257-n)*int64(r.pixel)
	}
	switch {
	case r.left < 0:
		r.broken = true
	case r.left > 0:
		r.want(1, (*raster).run)
	default:
		if r.lines -= r.repeat; r.lines > 0 {
			r.want(1, (*raster).line)
		} else {
			r.want(r.head, (*raster).page)
		}
	}
}

func (r *raster) Pages() *int {
	if r.broken || r.pages == 0 {
		return nil
	}
	return &r.pages
}

// postScript reads the comment %%Pages, that at the end where the one at the beginning says so (Adobe's document
// structuring conventions 3.0).
type postScript struct {
	line  []byte
	depth int // of documents within
	pages *int
	set   bool
}

const mostLine = 255

func (p *postScript) Write(b []byte) (int, error) {
	did := len(b)
	for len(b) > 0 {
		end := bytes.IndexAny(b, "\r\n")
		part := b
		if end >= 0 {
			part = b[:end]
		}
		if room := mostLine - len(p.line); room > 0 {
			p.line = append(p.line, part[:min(room, len(part))]...)
		}
		if end < 0 {
			break
		}
		p.comment()
		p.line, b = p.line[:0], b[end+1:]
	}
	return did, nil
}

func (p *postScript) comment() {
	switch {
	case bytes.HasPrefix(p.line, []byte("%%BeginDocument")):
		p.depth++
	case bytes.HasPrefix(p.line, []byte("%%EndDocument")):
		p.depth--
	case p.depth == 0 && !p.set && bytes.HasPrefix(p.line, []byte("%%Pages:")):
		n, digits := 0, 0
		for _, c := range bytes.TrimSpace(p.line[len("%%Pages:"):]) {
			if c < '0' || c > '9' || digits > 8 {
				break
			}
			n, digits = n*10+int(c-'0'), digits+1
		}
		if digits > 0 {
			p.pages, p.set = &n, true
		}
	}
}

func (p *postScript) Pages() *int {
	p.comment()
	return p.pages
}

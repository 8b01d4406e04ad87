package pwg

import (
	"bytes"
	"encoding/binary"
	"image"
	"image/color"
	"testing"
)

// unpack reads the lines of one page back, as a printer would.
func unpack(t *testing.T, b []byte, width, height int) []byte {
	t.Helper()
	var out []byte
	for len(out) < width*height {
		repeat := int(b[0]) + 1
		b = b[1:]
		var line []byte
		for len(line) < width {
			n := int(b[0])
			if n < 128 {
				line = append(line, bytes.Repeat(b[1:2], n+1)...)
				b = b[2:]
			} else {
				line = append(line, b[1:1+257-n]...)
				b = b[1+257-n:]
			}
		}
		if len(line) != width {
			t.Fatalf("a line of %d pixels, want %d", len(line), width)
		}
		out = append(out, bytes.Repeat(line, repeat)...)
	}
	if len(b) != 0 {
		t.Fatalf("%d bytes are left over", len(b))
	}
	return out
}

func FuzzEncode(f *testing.F) {
	f.Add([]byte("aab"), 3)
	f.Add(bytes.Repeat([]byte{1, 2}, 300), 600)
	f.Add(bytes.Repeat([]byte{7}, 1000), 10)
	f.Fuzz(func(t *testing.T, pixels []byte, width int) {
		if width < 1 || width > 700 || len(pixels) < width || len(pixels) > 1<<16 {
			return
		}
		height := len(pixels) / width
		img := image.NewGray(image.Rect(0, 0, width, height))
		copy(img.Pix, pixels)
		b, err := Encode(Page{img, 300, "iso_a4_210x297mm"})
		if err != nil {
			t.Fatal(err)
		}
		if got := unpack(t, b[4+headerSize:], width, height); !bytes.Equal(got, img.Pix) {
			t.Fatalf("%v became %v", img.Pix, got)
		}
	})
}

func TestHeader(t *testing.T) {
	t.Parallel()
	img := image.NewGray(image.Rect(0, 0, 2480, 3508))
	img.Set(5, 5, color.White)
	b, err := Encode(Page{img, 300, "iso_a4_210x297mm"})
	if err != nil || string(b[:4]) != "RaS2" || string(b[4:13]) != "PwgRaster" {
		t.Fatalf("%v % x", err, b[:16])
	}
	at := func(n int) uint32 { return binary.BigEndian.Uint32(b[4+n:]) }
	for offset, want := range map[int]uint32{276: 300, 340: 1, 352: 595, 356: 841, 372: 2480, 376: 3508, 384: 8, 388: 8,
		392: 2480, 400: 18, 420: 1, 452: 1} {
		if got := at(offset); got != want {
			t.Errorf("byte %d holds %d, want %d", offset, got, want)
		}
	}
	if string(b[4+1732:4+1748]) != "iso_a4_210x297mm" {
		t.Errorf("the page's size is called %q", b[4+1732:4+1748])
	}
	if _, err := Encode(Page{image.NewGray(image.Rect(0, 0, 0, 3)), 300, ""}); err == nil {
		t.Error("an empty page was written")
	}
}

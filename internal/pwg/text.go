package pwg

import (
	"image"
	"image/color"
	"image/draw"
	"math"

	"golang.org/x/image/font"
	"golang.org/x/image/font/basicfont"
	"golang.org/x/image/math/fixed"
)

// TextPage draws a page of text lines as PWG raster at 150 dots an inch, on a page of so many millimetres.
func TextPage(lines []string, media string, width, height float64) ([]byte, error) {
	const dpi = 150
	px := func(mm float64) int { return int(math.Round(mm / 25.4 * dpi)) }
	page := image.NewGray(image.Rect(0, 0, px(width), px(height)))
	draw.Draw(page, page.Bounds(), image.White, image.Point{}, draw.Src)
	const scale = 3 // the letters of the plain font are 7 by 13
	margin := px(min(12, width/12))
	y := margin
	for _, l := range lines {
		small := image.NewGray(image.Rect(0, 0, 7*len([]rune(l))+1, 16))
		draw.Draw(small, small.Bounds(), image.White, image.Point{}, draw.Src)
		d := font.Drawer{Dst: small, Src: image.NewUniform(color.Black), Face: basicfont.Face7x13, Dot: fixed.P(0, 12)}
		d.DrawString(l)
		for sy := range small.Bounds().Dy() * scale {
			for sx := range small.Bounds().Dx() * scale {
				if x := margin + sx; x < page.Bounds().Dx()-margin && y+sy < page.Bounds().Dy() {
					page.SetGray(x, y+sy, small.GrayAt(sx/scale, sy/scale))
				}
			}
		}
		y += 20 * scale
	}
	return Encode(Page{Image: page, DPI: dpi, Media: media})
}

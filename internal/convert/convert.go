// Package convert makes of PDF the pages in pixels that a device takes: PWG raster (PWG 5102.4) or URF, with
// ghostscript where the system has it. It runs confined: without rights or network as far as the system lets it, with
// little memory and time, on pages of one size; what it makes is counted, and not believed.
package convert

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"io"
	"os"
	"os/exec"
	"slices"
	"strconv"
	"strings"
	"time"

	"cirque/core/fault"
	"cirque/core/job"
	"cirque/internal/ipp"
	"cirque/internal/pages"
)

// Limits on one conversion.
const (
	within   = 5 * time.Minute
	cpu      = 2 * time.Minute
	memory   = 1536 << 20 // bytes of address space
	mostSide = 2400       // of a page, in points
	atOnce   = 2
)

// A Converter runs ghostscript. It is safe for any number of goroutines, of which few convert at once.
type Converter struct {
	gs, prlimit string
	turns       chan struct{}
}

// Find looks for what converts; nil where it is not there.
func Find() *Converter {
	gs, err := exec.LookPath("gs")
	if err != nil {
		return nil
	}
	limiter, err := exec.LookPath("prlimit")
	if err != nil {
		return nil
	}
	return &Converter{gs, limiter, make(chan struct{}, atOnce)}
}

// devices are ghostscript's, by what they make, in the order in which they are tried.
var devices = []struct{ format, name string }{{pages.PWG, "pwgraster"}, {pages.URF, "appleraster"}}

// Formats are what it makes of a PDF.
func (c *Converter) Formats() []string {
	var out []string
	for _, d := range devices {
		out = append(out, d.format)
	}
	return out
}

// Convert writes a PDF of so many bytes as pages in pixels, with the options as far as they concern these, for a device
// that can so much; and gives how many pages came of it. A PDF that makes none, or fewer than it has, is an Invalid
// fault.
func (c *Converter) Convert(ctx context.Context, in io.ReadSeeker, size int64, to string, o job.Options,
	able map[string][]string, out io.Writer) (int, error) {
	magic := make([]byte, 5)
	if _, err := io.ReadFull(in, magic); err != nil ||
		pages.Format(magic) != pages.PDF { // anything else is run as PostScript
		return 0, bad("it is no PDF")
	}
	if size > pages.MostPDF {
		return 0, bad("it is too large to be converted")
	}
	select {
	case c.turns <- struct{}{}:
		defer func() { <-c.turns }()
	case <-ctx.Done():
		return 0, ctx.Err()
	}
	if _, err := in.Seek(0, io.SeekStart); err != nil {
		return 0, err
	}
	want, err := pages.OfPDF(in, size)
	if err != nil {
		return 0, bad("its pages cannot be counted").Because(err)
	}
	if _, err := in.Seek(0, io.SeekStart); err != nil {
		return 0, err
	}
	ctx, cancel := context.WithTimeout(ctx, within)
	defer cancel()
	counter := pages.Counting(to)
	if err := c.run(ctx, in, to, o, able, io.MultiWriter(out, counter)); err != nil {
		return 0, err
	}
	got := 0
	if n := counter.Pages(); n != nil {
		got = *n
	}
	if expect := *job.Estimate(&want, o.Ranges("page-ranges"), 1, 1); got == 0 || got != expect {
		return 0, bad(fmt.Sprintf("of its %d pages %d could be converted", expect, got))
	}
	return got, nil
}

func bad(why string) *fault.Error {
	return fault.New(fault.Invalid, "not-converted", "print it from a program that makes what the device takes", "%s", why)
}

// run runs ghostscript on a document that lies in memory alone.
func (c *Converter) run(ctx context.Context, in io.Reader, to string, o job.Options, able map[string][]string,
	out io.Writer) error {
	file, err := inMemory(in)
	if err != nil {
		return err
	}
	defer func() { _ = file.Close() }() // it was read
	dir, err := os.MkdirTemp(scratch(), "cirque-convert-")
	if err != nil {
		return err
	}
	defer func() { _ = os.RemoveAll(dir) }()
	if err := os.Chmod(dir, 0o777); err != nil { //nolint:gosec // an account without rights writes there
		return err
	}
	args := append([]string{"--as=" + strconv.Itoa(memory), "--cpu=" + strconv.Itoa(int(cpu/time.Second)), "--core=0",
		"--nproc=64", c.gs}, arguments(to, o, able)...)
	cmd := exec.CommandContext(ctx, c.prlimit, args...)
	var says bytes.Buffer
	cmd.ExtraFiles, cmd.Stdout, cmd.Stderr = []*os.File{file}, out, &limited{&says, 4 << 10}
	cmd.Dir, cmd.Env = "/", []string{"TMPDIR=" + dir, "PATH=/usr/bin:/bin"}
	cmd.WaitDelay = 5 * time.Second
	confine(cmd)
	if err := cmd.Run(); err != nil {
		if ctx.Err() != nil {
			return bad("it takes too long to convert").Because(ctx.Err())
		}
		return bad("it cannot be converted").Because(fmt.Errorf("%w: %s", err, says.String()))
	}
	return nil
}

// limited keeps the first of what is written.
type limited struct {
	*bytes.Buffer
	left int
}

func (l *limited) Write(b []byte) (int, error) {
	n := min(len(b), l.left)
	l.left -= n
	_, _ = l.Buffer.Write(b[:n]) // it takes all
	return len(b), nil
}

// arguments say what is to be made: pages of one size, in one resolution and colour space.
func arguments(to string, o job.Options, able map[string][]string) []string {
	i := slices.IndexFunc(devices, func(d struct{ format, name string }) bool { return d.format == to })
	width, height := size(o)
	args := []string{"-q", "-dSAFER", "-dBATCH", "-dNOPAUSE", "-dNOINTERPOLATE", "-sDEVICE=" + devices[max(i, 0)].name,
		"-r" + strconv.Itoa(resolution(to, able)), "-dcupsBitsPerColor=8", "-dcupsColorSpace=" + colours(to, o, able),
		"-dFIXEDMEDIA", "-dPDFFitPage", fmt.Sprintf("-dDEVICEWIDTHPOINTS=%d", width),
		fmt.Sprintf("-dDEVICEHEIGHTPOINTS=%d", height)}
	if sides, _ := o["sides"].(string); strings.HasPrefix(sides, "two-sided") {
		args = append(args, "-dDuplex=true", fmt.Sprintf("-dTumble=%v", sides == "two-sided-short-edge"))
	}
	var list []string
	for _, r := range o.Ranges("page-ranges") {
		list = append(list, fmt.Sprintf("%d-%d", r.First, r.Last))
	}
	if len(list) > 0 {
		args = append(args, "-sPageList="+strings.Join(list, ","))
	}
	return append(args, "-sOutputFile=-", "/dev/fd/3")
}

// size is that of the pages, in points: of the media, A4 where nothing is said.
func size(o job.Options) (width, height int) {
	name, _ := o["media"].(string)
	x, y, ok := ipp.Size(name)
	if col, is := o["media-col"].(map[string]any); is {
		if s, is := col["media-size"].(map[string]any); is {
			a, b := job.Options(s).Number("x-dimension", 0), job.Options(s).Number("y-dimension", 0)
			if a > 0 && b > 0 {
				x, y, ok = int32(a), int32(b), true
			}
		}
	}
	if !ok {
		x, y = 21000, 29700
	}
	points := func(n int32) int { return min(max(int(n)*72/2540, 36), mostSide) }
	return points(x), points(y)
}

// resolution is the one of the device's that is nearest to 300 dots an inch.
func resolution(to string, able map[string][]string) int {
	best := 0
	for _, r := range able["pwg-raster-document-resolution"] {
		n := 0
		if _, err := fmt.Sscanf(r, "%d", &n); err == nil && n >= 72 && n <= 600 && to == pages.PWG && (best == 0 ||
			abs(n-300) < abs(best-300)) {
			best = n
		}
	}
	return cmp.Or(best, 300)
}

func abs(n int) int { return max(n, -n) }

// colours is the space of colours: grey, unless colour is asked for and there.
func colours(to string, o job.Options, able map[string][]string) string {
	const grey, colour = "18", "19"
	types, has := able["pwg-raster-document-type"], "srgb_8"
	if to == pages.URF {
		types, has = able["urf"], "SRGB24"
	}
	if mode, _ := o["print-color-mode"].(string); mode == "monochrome" || !slices.Contains(types, has) {
		return grey
	}
	return colour
}

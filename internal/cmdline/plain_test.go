package cmdline

import (
	"strings"
	"testing"
	"testing/iotest"

	"io"
)

// TestPlainWriter: what somebody made up does nothing to a terminal, in whatever pieces it is written; all else comes out
// as it is.
func TestPlainWriter(t *testing.T) {
	t.Parallel()
	const in = "Åse\tLunde\r\na\x1b]0;X\x07\x1b[31mroot\rFAKE \u009b31m \u202eb €\n"
	const want = "Åse\tLunde\r\na\\u001b]0;X\\u0007\\u001b[31mroot\\rFAKE \\u009b31m \\u202eb €\n"
	for what, r := range map[string]io.Reader{"whole": strings.NewReader(in),
		"byte by byte": iotest.OneByteReader(strings.NewReader(strings.ReplaceAll(in, "\r\n", "\n")))} {
		var b strings.Builder
		w := &plainWriter{to: &b}
		buffer := make([]byte, 512)
		for {
			n, err := r.Read(buffer)
			if n > 0 {
				if m, err := w.Write(buffer[:n]); m != n || err != nil {
					t.Fatal(m, err)
				}
			}
			if err != nil {
				break
			}
		}
		if got := strings.ReplaceAll(b.String(), "\r\n", "\n"); got != strings.ReplaceAll(want, "\r\n", "\n") {
			t.Errorf("%s:\n got %q\nwant %q", what, got, want)
		}
	}
}

package cmdline

import (
	"io"
	"os"

	"golang.org/x/term"
)

// Streams are where a command reads and writes.
type Streams struct {
	In       io.Reader
	Out, Err io.Writer
}

// TerminalWidth is 0 where out is no terminal: then nothing is cut.
func TerminalWidth(out io.Writer) int {
	f, ok := out.(*os.File)
	if !ok || !term.IsTerminal(int(f.Fd())) {
		return 0
	}
	w, _, err := term.GetSize(int(f.Fd()))
	if err != nil {
		return 0
	}
	return w
}

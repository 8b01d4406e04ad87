package agent

import (
	"context"
	"os"
	"path/filepath"

	win "golang.org/x/sys/windows"

	"cirque/internal/windows"
)

// systemSpooler is the operating system's own.
const systemSpooler = "windows"

// unixSocket is where a common Unix spooler would listen.
const unixSocket = ""

// DefaultState is where an agent keeps what it knows: the machine's folder for programs' data.
func DefaultState() string {
	dir, err := win.KnownFolderPath(win.FOLDERID_ProgramData, 0)
	if err != nil {
		dir = os.Getenv("ProgramData")
	}
	return filepath.Join(dir, "Cirque", "Agent")
}

func openWindows() (Opened, error) {
	s := ofWindows{windows.New(windows.OfSystem(), windows.Platform())}
	return Opened{Spooler: s, Machine: System{}, State: DefaultState()}, nil
}

// ofWindows is the spooler of Windows as an agent has it.
type ofWindows struct{ *windows.Spooler }

// TestPage prints a page through a queue's driver.
func (s ofWindows) TestPage(ctx context.Context, queue, user string, page Page) (says string, done bool, err error) {
	return s.Spooler.TestPage(ctx, queue, user, page.Lines, page.Plain)
}

// configDir is where what is set by hand lies.
func configDir() string { return DefaultState() }

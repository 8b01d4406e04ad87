package agent

import (
	"context"
	"os"
	"path/filepath"

	win "golang.org/x/sys/windows"

	"cirque/internal/whole"
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

// bringSetUp takes over what the installer was given, into a file that others may not read. What was given itself stays
// where it is: whoever distributes it sees to that.
func bringSetUp(file string) error {
	if _, err := os.Stat(file); err == nil {
		return nil
	}
	given := windows.GivenSetUp()
	if given == "" {
		return nil
	}
	b, err := os.ReadFile(given)
	if err != nil {
		return err
	}
	if err := ownDirectory(filepath.Dir(file)); err != nil {
		return err
	}
	return whole.Write(file, b, 0o600)
}

// configDir is where what is set by hand lies.
func configDir() string { return DefaultState() }

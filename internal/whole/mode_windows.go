package whole

import (
	"io/fs"
	"os"

	win "golang.org/x/sys/windows"
)

// Closed lets nobody but the system, who administers the machine, and the owner at a file or directory, and at what is
// made in it.
func Closed(path string) error {
	sd, err := win.SecurityDescriptorFromString("D:P(A;OICI;FA;;;SY)(A;OICI;FA;;;BA)(A;OICI;FA;;;OW)")
	if err != nil {
		return err
	}
	dacl, _, err := sd.DACL()
	if err != nil {
		return err
	}
	return win.SetNamedSecurityInfo(path, win.SE_FILE_OBJECT,
		win.DACL_SECURITY_INFORMATION|win.PROTECTED_DACL_SECURITY_INFORMATION, nil, nil, dacl, nil)
}

// give gives a file its mode: rights are not modes here, and one that others may not read is closed to them.
func give(f *os.File, mode fs.FileMode) error {
	if mode&0o077 == 0 {
		return Closed(f.Name())
	}
	return f.Chmod(mode)
}

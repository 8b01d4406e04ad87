package driver

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io"
	"io/fs"
	"path"
	"strings"

	"cirque/core/fault"
)

// Limits of a package. Sizes are in bytes, and are counted while unpacking: what an archive says of itself is not
// believed.
const (
	MaxArchive  = 192 << 20
	MaxUnpacked = 512 << 20
	MaxFiles    = 10_000
	maxRatio    = 250 // of a file over a MiB to its packed size
	maxPath     = 400
)

// A File is one file of a package, by its path with slashes.
type File struct {
	Path string
	Data []byte
}

// Unpack takes a zip archive apart, in the order of the archive. It refuses what would lie outside of the package,
// links, two files of one name, encrypted files, and archives that unpack to more than the limits. Errors are Invalid
// or TooLarge faults.
func Unpack(b []byte) ([]File, error) {
	refuse := func(kind fault.Kind, fix, format string, args ...any) error {
		return fault.New(kind, "package-refused", fix, "the archive is refused: %s", fmt.Sprintf(format, args...))
	}
	if len(b) > MaxArchive {
		return nil, refuse(fault.TooLarge, "leave out what the drivers do not need", "it has over %d MiB", MaxArchive>>20)
	}
	z, err := zip.NewReader(bytes.NewReader(b), int64(len(b)))
	if err != nil {
		return nil, refuse(fault.Invalid, "give a zip archive, or a folder through the client",
			"it is no zip archive that can be read").(*fault.Error).Because(err)
	}
	if len(z.File) > MaxFiles {
		return nil, refuse(fault.TooLarge, "leave out what the drivers do not need", "it holds over %d files", MaxFiles)
	}
	var out []File
	seen := map[string]bool{}
	total := int64(0)
	for _, f := range z.File {
		name := strings.ReplaceAll(f.Name, `\`, "/")
		if strings.HasSuffix(name, "/") {
			continue
		}
		if bad := badPath(name); bad != "" {
			return nil, refuse(fault.Invalid, "pack it again with plain paths inside of one folder", "%.80q %s", f.Name, bad)
		}
		switch {
		case f.Mode()&fs.ModeType != 0:
			return nil, refuse(fault.Invalid, "pack the files themselves", "%.80q is a link or a special file", name)
		case f.Flags&1 != 0:
			return nil, refuse(fault.Invalid, "pack it again without a password", "%.80q is encrypted", name)
		case seen[strings.ToLower(name)]:
			return nil, refuse(fault.Invalid, "keep one of the two", "it holds %.80q twice", name)
		}
		seen[strings.ToLower(name)] = true
		r, err := f.Open()
		if err != nil {
			return nil, refuse(fault.Invalid, "pack it again", "%.80q cannot be unpacked", name).(*fault.Error).Because(err)
		}
		data, err := io.ReadAll(io.LimitReader(r, MaxUnpacked-total+1))
		_ = r.Close() // it was only read
		total += int64(len(data))
		switch {
		case total > MaxUnpacked:
			return nil, refuse(fault.TooLarge, "leave out what the drivers do not need", "it unpacks to over %d MiB",
				MaxUnpacked>>20)
		case err != nil:
			return nil, refuse(fault.Invalid, "fetch it again: it is damaged", "%.80q cannot be unpacked",
				name).(*fault.Error).Because(err)
		case len(data) > 1<<20 && int64(len(data)) > maxRatio*int64(max(1, f.CompressedSize64)):
			return nil, refuse(fault.TooLarge, "look at what made it", "%.80q unpacks to over %d times its size, as no "+
				"driver's file does", name, maxRatio)
		}
		out = append(out, File{name, data})
	}
	if len(out) == 0 {
		return nil, refuse(fault.Invalid, "give an archive with set-up files in it", "it is empty")
	}
	return out, nil
}

// badPath says what is wrong with a path, "" where nothing is.
func badPath(p string) string {
	switch {
	case p == "" || len(p) > maxPath:
		return "is no path"
	case strings.HasPrefix(p, "/") || len(p) > 1 && p[1] == ':':
		return "is an absolute path"
	case strings.ContainsFunc(p, func(r rune) bool { return r < ' ' || r == 0x7f }):
		return "has control characters in its name"
	case path.Clean(p) != p || p == ".." || strings.HasPrefix(p, "../"):
		return "leads out of the package"
	}
	return ""
}

package agent

import (
	"encoding/base64"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"unsafe"

	win "golang.org/x/sys/windows"

	"cirque/core/fault"
	"cirque/internal/whole"
)

// everyones are groups that hold more than those who administer the machine, as SDDL names them: everyone, the users of
// the machine, those who signed in, those who sit at it.
var everyones = []string{"WD", "BU", "AU", "IU"}

// private gives an Invalid fault where others on this machine may read a file.
func private(file string) error {
	sd, err := win.GetNamedSecurityInfo(file, win.SE_FILE_OBJECT, win.DACL_SECURITY_INFORMATION)
	if err != nil {
		return err
	}
	_, list, _ := strings.Cut(sd.String(), "D:")
	for _, entry := range strings.Split(list, "(")[min(1, strings.Count(list, "(")):] {
		f := strings.Split(strings.TrimRight(entry, ")"), ";") // KIND;FLAGS;RIGHTS;OBJECT;INHERITED;WHO
		if len(f) >= 6 && f[0] == "A" && f[2] != "" && f[2] != "0x0" && slices.Contains(everyones, f[5]) {
			return fault.New(fault.Invalid, "secret-open", `icacls "`+file+`" /inheritance:r /grant:r *S-1-5-18:F `+
				`/grant:r *S-1-5-32-544:F`, "%s may be read by others (%s), and holds what lets this machine in", file, f[5])
		}
	}
	return nil
}

// heldPrivate is private for a file that an installer or an administrator put into a place which is closed to others.
func heldPrivate(file string) error {
	if filepath.Dir(file) == configDir() {
		return ownFile(file)
	}
	return private(file)
}

// ownFile sees to it that a file which the agent itself wrote is closed to others, whoever opened it meanwhile; whether
// who asks may see to it is the system's business.
func ownFile(file string) error {
	if _, err := os.Stat(file); err != nil {
		return err
	}
	_ = whole.Closed(file)
	return nil
}

// ownDirectory makes a directory that the system, who administers the machine and its owner alone may enter.
func ownDirectory(dir string) error {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return err
	}
	return whole.Closed(dir)
}

// sealedAs stands before what only this machine can read again (CryptProtectData).
const sealedAs = "dpapi:"

// seal gives a secret as it is kept on the disk: encrypted with a key of this machine's.
func seal(secret string) (string, error) {
	const thisMachine = 0x4 // CRYPTPROTECT_LOCAL_MACHINE
	b := []byte(secret)
	if len(b) == 0 {
		return "", nil
	}
	in := win.DataBlob{Size: uint32(len(b)), Data: &b[0]}
	var out win.DataBlob
	err := win.CryptProtectData(&in, nil, nil, 0, nil, thisMachine|win.CRYPTPROTECT_UI_FORBIDDEN, &out)
	if err != nil {
		return "", err
	}
	return sealedAs + base64.StdEncoding.EncodeToString(taken(out)), nil
}

// unseal gives the secret again; one that was kept before it was encrypted is as it is.
func unseal(kept string) (string, error) {
	text, sealed := strings.CutPrefix(kept, sealedAs)
	if !sealed {
		return kept, nil
	}
	b, err := base64.StdEncoding.DecodeString(text)
	if err != nil || len(b) == 0 {
		return "", err
	}
	in := win.DataBlob{Size: uint32(len(b)), Data: &b[0]}
	var out win.DataBlob
	if err := win.CryptUnprotectData(&in, nil, nil, 0, nil, win.CRYPTPROTECT_UI_FORBIDDEN, &out); err != nil {
		return "", err
	}
	return string(taken(out)), nil
}

// taken copies what the system gave, and gives its memory back.
func taken(b win.DataBlob) []byte {
	out := append([]byte{}, unsafe.Slice(b.Data, b.Size)...)
	_, _ = win.LocalFree(win.Handle(unsafe.Pointer(b.Data)))
	return out
}

package app

import (
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"strings"
	_ "time/tzdata" // zones wherever it runs

	"cirque/core/fault"
)

// secretKey reads the key that seals what is secret, and makes it the first time.
func secretKey(file string) ([]byte, error) {
	b, err := os.ReadFile(file)
	if err == nil {
		if key, e := hex.DecodeString(strings.TrimSpace(string(b))); e == nil && len(key) == 32 {
			return key, nil
		}
		return nil, fault.New(fault.Invalid, "secret-key", "put back the file that was made with the data; without it "+
			"stored keys must be entered anew", "%s is no secret key", file)
	}
	if !errors.Is(err, fs.ErrNotExist) {
		return nil, fault.New(fault.Invalid, "secret-key", "let the service's account read it", "%s cannot be read",
			file).Because(err)
	}
	key := make([]byte, 32)
	_, _ = rand.Read(key) // it never fails
	f, err := os.OpenFile(file, os.O_CREATE|os.O_WRONLY|os.O_EXCL, 0o600)
	if err != nil {
		return nil, err
	}
	_, err = fmt.Fprintln(f, hex.EncodeToString(key))
	return key, errors.Join(err, f.Sync(), f.Close())
}

// setupCode is the file with the one-time code of the first run.
type setupCode struct{ file string }

func (s setupCode) read() (string, bool) {
	b, err := os.ReadFile(s.file)
	code := strings.TrimSpace(string(b))
	return code, err == nil && code != ""
}

func (s setupCode) make() error {
	if _, ok := s.read(); ok {
		return nil
	}
	f, err := os.OpenFile(s.file, os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	if err != nil {
		return err
	}
	_, err = fmt.Fprintln(f, rand.Text())
	return errors.Join(err, f.Close())
}

func (s setupCode) remove() { _ = os.Remove(s.file) }

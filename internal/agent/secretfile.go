package agent

import (
	"io"
	"os"
	"strings"

	"cirque/core/fault"
)

// ReadSecret reads a secret from a file, or from in where the file is "-": what stands among a command's arguments is
// seen by everybody on the machine. A file that others may read is refused.
func ReadSecret(file string, in io.Reader) (string, error) {
	const most = 4096
	var b []byte
	var err error
	if file == "-" {
		b, err = io.ReadAll(io.LimitReader(in, most+1))
	} else if err = private(file); err == nil {
		b, err = os.ReadFile(file)
	}
	if f := fault.As(err); f != nil && f.Kind != fault.Internal {
		return "", f
	}
	if err != nil || len(b) > most {
		return "", fault.New(fault.Invalid, "secret-unreadable", "name a readable file, or - for standard input",
			"the secret cannot be read from %s", file).Because(err)
	}
	return strings.TrimSpace(string(b)), nil
}

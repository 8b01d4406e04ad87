package backup

import (
	"bufio"
	"bytes"
	"fmt"
	"strings"
	"time"

	"filippo.io/age"

	"cirque/core/fault"
)

// A Seal says who can open a backup.
type Seal []age.Recipient

// Keys open backups.
type Keys []age.Identity

// shortestPassphrase is how many characters a passphrase has at least: whoever has the file can try at leisure.
const shortestPassphrase = 12

// To seals for a passphrase, or for whoever has one of some keys: public halves (age1…), of which a service needs no
// more than these.
func To(passphrase string, public []string) (out Seal, err error) {
	switch {
	case passphrase != "" && len(public) > 0:
		return nil, fault.New(fault.Invalid, "backup-key", "choose one", "a backup is sealed with a passphrase or for keys")
	case passphrase == "" && len(public) == 0:
		return nil, fault.New(fault.Invalid, "backup-key", "give a passphrase, or a key that cirque backup-key made", "a "+
			"backup holds every key and password hash of the service, and is never written in the clear")
	case passphrase != "":
		if len([]rune(passphrase)) < shortestPassphrase {
			return nil, fault.New(fault.Invalid, "passphrase-short", fmt.Sprintf("choose one of %d characters or more, such as "+
				"five words", shortestPassphrase), "the passphrase is too short: whoever has the file can try at leisure")
		}
		r, err := age.NewScryptRecipient(passphrase)
		return Seal{r}, err
	}
	for _, p := range public {
		r, err := age.ParseX25519Recipient(strings.TrimSpace(p))
		if err != nil {
			return nil, fault.New(fault.Invalid, "backup-key", "give what cirque backup-key printed, which begins with age1",
				"%q is no public key", p).Because(err)
		}
		out = append(out, r)
	}
	return out, nil
}

// With opens with a passphrase or the keys in a file.
func With(passphrase string, file []byte) (out Keys, err error) {
	if passphrase != "" {
		i, err := age.NewScryptIdentity(passphrase)
		return Keys{i}, err
	}
	for lines := bufio.NewScanner(bytes.NewReader(file)); lines.Scan(); {
		line := strings.TrimSpace(lines.Text())
		if line == "" || strings.HasPrefix(line, "#") {
			continue
		}
		i, err := age.ParseX25519Identity(line)
		if err != nil {
			return nil, fault.New(fault.Invalid, "backup-key", "name the file that cirque backup-key wrote", "this is no key "+
				"for backups")
		}
		out = append(out, i)
	}
	if len(out) == 0 {
		return nil, fault.New(fault.Invalid, "backup-key", "give the passphrase, or name the file with the key", "there is "+
			"nothing to open the backup with")
	}
	return out, nil
}

// NewKey makes a key: a file that opens, and the public half for which backups are made.
func NewKey(now time.Time) (file []byte, public string, err error) {
	i, err := age.GenerateX25519Identity()
	if err != nil {
		return nil, "", err
	}
	public = i.Recipient().String()
	return fmt.Appendf(nil, "# Opens backups of Cirque, made %s. Keep it elsewhere than the service.\n"+
		"# public key: %s\n%s\n", now.UTC().Format(time.RFC3339), public, i), public, nil
}

package agent

import (
	"bytes"
	"context"
	"errors"
	"io"
	"io/fs"
	"log/slog"
	"math/rand/v2"
	"net/http"
	"os"
	"path/filepath"
	"time"

	"go.yaml.in/yaml/v3"

	"cirque/core/fault"
	"cirque/core/update"
	"cirque/internal/whole"
)

// A SetUp is what somebody who installs the agent hands it, in one file: by which service it is to be enrolled, and
// with what.
type SetUp struct {
	Service string `yaml:"service"`
	Token   string `yaml:"token,omitempty"`   // gone from the file once the machine is enrolled
	Machine string `yaml:"machine,omitempty"` // where the machine calls itself otherwise than the directory
	CA      string `yaml:"ca,omitempty"`      // the authority of the service's certificate, PEM
	Serve   bool   `yaml:"serve,omitempty"`   // it keeps a print server
	Spooler string `yaml:"spooler,omitempty"` // where it is not the system's own
	Updates string `yaml:"updates,omitempty"` // left: device management brings the agent to other versions
	Consent string `yaml:"consent,omitempty"` // asked: nothing is changed before somebody agrees on the machine
}

// SetUpFile is where packages look for it.
func SetUpFile() string { return filepath.Join(configDir(), "agent.yaml") }

// ReadSetUp reads such a file; one that is not there says nothing.
func ReadSetUp(file string) (SetUp, error) {
	var s SetUp
	if file == SetUpFile() {
		if err := bringSetUp(file); err != nil {
			return s, err
		}
	}
	b, err := os.ReadFile(file)
	if errors.Is(err, fs.ErrNotExist) {
		return s, nil
	}
	if err != nil {
		return s, err
	}
	d := yaml.NewDecoder(bytes.NewReader(b))
	d.KnownFields(true)
	if err := d.Decode(&s); err != nil && !errors.Is(err, io.EOF) { // comments alone say nothing
		return s, fault.New(fault.Invalid, "set-up-broken", "it has the keys service, token, machine, ca, serve, spooler, "+
			"updates and consent",
			"%s cannot be read: %v", file, err)
	}
	if s.Updates != "" && s.Updates != update.Left {
		return s, fault.New(fault.Invalid, "set-up-broken", "write updates: left, or leave it out, so that the service "+
			"brings the agent to other versions", "%s has updates: %q", file, s.Updates)
	}
	if s.Consent != "" && (s.Consent != Asked || s.Serve) {
		return s, fault.New(fault.Invalid, "set-up-broken", "write consent: asked, or leave it out; a print server is "+
			"brought to what the estate says of it alone (cirque-agent plan --serve)", "%s has consent: %q", file, s.Consent)
	}
	if s.Token != "" {
		if err := heldPrivate(file); err != nil {
			return s, err
		}
	}
	return s, nil
}

// NoService is the Invalid fault of an agent that knows no service: it says so loudly, wherever it is started.
func NoService(file string) error {
	return fault.New(fault.Invalid, "not-enrolled", "write service and token into "+file+" (an administrator makes both: "+
		"cirque enrol package), or enrol it: cirque-agent enrol --service URL --pair",
		"this machine knows no service: it is not enrolled, and %s names none", file)
}

// Between two tries to enrol with a service that does not answer.
const (
	firstEnrol = 2 * time.Second
	lastEnrol  = 5 * time.Minute
)

// EnrolBy enrols a machine that is not, as a file says; a service that does not answer is asked again until it does.
// One that is enrolled stays so. The token is taken out of the file then.
func EnrolBy(ctx context.Context, file, state string, m Machine, log *slog.Logger) error {
	if _, err := whole.Read(identityFile(state)); err == nil {
		return forgetToken(file)
	}
	s, err := ReadSetUp(file)
	if err != nil {
		return err
	}
	if s.Service == "" {
		return NoService(file)
	}
	if s.Token == "" {
		return fault.New(fault.Invalid, "not-enrolled", "have a token made (cirque enrol token NAME) and write it into "+file+
			" as token", "this machine is not enrolled at %s, and %s has no token", s.Service, file)
	}
	for gap := firstEnrol; ; gap = min(2*gap, lastEnrol) {
		facts, err := m.Facts(ctx)
		if err != nil {
			return err
		}
		if s.Machine != "" {
			facts.Machine = s.Machine
		}
		var ca []byte
		if s.CA != "" {
			ca = []byte(s.CA)
		}
		id, err := Enrol(ctx, s.Service, s.Token, state, ca, facts)
		if err == nil {
			log.Info("this machine is enrolled", "machine", id.Machine, "service", id.Service)
			return forgetToken(file)
		}
		if final(err) || ctx.Err() != nil {
			return err
		}
		log.Warn("the service does not answer; it is asked again", "service", s.Service, "in", gap, "error", err)
		if !sleep(ctx, gap/2+rand.N(gap/2)) {
			return ctx.Err()
		}
	}
}

// final says whether asking once more leads to the same.
func final(err error) bool {
	if no, ok := errors.AsType[*refusal](err); ok {
		return no.status < 500 && no.status != http.StatusTooManyRequests
	}
	f, ok := errors.AsType[*fault.Error](err)
	return ok && (f.Kind != fault.Unavailable || f.Code == "service-certificate")
}

// forgetToken takes the token out of a set-up file: it has been used.
func forgetToken(file string) error {
	s, err := ReadSetUp(file)
	if err != nil || s.Token == "" {
		return nil // nothing to forget, or nothing that may be read
	}
	s.Token = ""
	b, err := yaml.Marshal(s)
	if err != nil {
		return err
	}
	return whole.Write(file, b, 0o600)
}

package sim

import (
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"cirque/internal/whole"

	"github.com/emersion/go-sasl"
	"github.com/emersion/go-smtp"
)

// A Relay is a stand-in for a mail relay: it takes every message and sends none on. Where it has a folder each stands
// there as a file.
type Relay struct {
	Word string // NAME:PASSWORD that it wants; empty for none
	Dir  string

	mu     sync.Mutex
	mail   []Letter // guarded by mu
	refuse string   // what it says to receivers; guarded by mu
	only   string   // the one receiver whom it refuses; all when empty; guarded by mu
	server *smtp.Server
	ln     net.Listener
}

// A Letter is one message that a Relay took.
type Letter struct{ From, To, Text string }

// Listen starts it on loopback.
func (r *Relay) Listen(addr string) error {
	ln, err := net.Listen("tcp", addr)
	if err != nil {
		return err
	}
	r.Serve(ln)
	return nil
}

// Serve starts it where somebody listens for it.
func (r *Relay) Serve(ln net.Listener) {
	r.ln = ln
	r.server = smtp.NewServer(smtp.BackendFunc(func(*smtp.Conn) (smtp.Session, error) { return &session{r: r}, nil }))
	r.server.Domain, r.server.AllowInsecureAuth, r.server.MaxMessageBytes = "relay.example", true, 1<<20
	r.server.ReadTimeout, r.server.WriteTimeout = time.Minute, time.Minute
	go func() { _ = r.server.Serve(ln) }() // ends with Close
}

// Addr is where it listens.
func (r *Relay) Addr() string { return r.ln.Addr().String() }

// Close stops it.
func (r *Relay) Close() error {
	err := r.server.Close()
	if errors.Is(err, smtp.ErrServerClosed) {
		err = nil
	}
	return ended(err, r.ln)
}

// Mail gives what it took.
func (r *Relay) Mail() []Letter {
	r.mu.Lock()
	defer r.mu.Unlock()
	return slices.Clone(r.mail)
}

// Refuse has it refuse receivers from now on, in these words: one, or all where none is named. No words have it take
// them again.
func (r *Relay) Refuse(says string, only ...string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.refuse, r.only = says, strings.Join(only, "")
}

type session struct {
	r      *Relay
	letter Letter
	known  bool
}

func (s *session) AuthMechanisms() []string {
	if s.r.Word == "" {
		return nil
	}
	return []string{sasl.Plain}
}

func (s *session) Auth(string) (sasl.Server, error) {
	return sasl.NewPlainServer(func(_, name, word string) error {
		if name+":"+word != s.r.Word {
			return smtp.ErrAuthFailed
		}
		s.known = true
		return nil
	}), nil
}

func (s *session) Mail(from string, _ *smtp.MailOptions) error {
	if s.r.Word != "" && !s.known {
		return smtp.ErrAuthRequired
	}
	s.letter = Letter{From: from}
	return nil
}

func (s *session) Rcpt(to string, _ *smtp.RcptOptions) error {
	s.r.mu.Lock()
	defer s.r.mu.Unlock()
	if s.r.refuse != "" && (s.r.only == "" || s.r.only == to) {
		return &smtp.SMTPError{Code: 550, EnhancedCode: smtp.EnhancedCode{5, 1, 1}, Message: s.r.refuse}
	}
	s.letter.To = to
	return nil
}

func (s *session) Data(body io.Reader) error {
	b, err := io.ReadAll(body)
	if err != nil {
		return err
	}
	s.letter.Text = string(b)
	s.r.mu.Lock()
	defer s.r.mu.Unlock()
	s.r.mail = append(s.r.mail, s.letter)
	if s.r.Dir == "" {
		return nil
	}
	if err := os.MkdirAll(s.r.Dir, 0o700); err != nil {
		return err
	}
	return whole.Write(filepath.Join(s.r.Dir, fmt.Sprintf("%s-%03d.eml", time.Now().UTC().Format("20060102-150405"),
		len(s.r.mail))), b, 0o600)
}

func (s *session) Reset()        { s.letter = Letter{} }
func (s *session) Logout() error { return nil }

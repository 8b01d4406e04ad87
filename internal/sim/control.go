package sim

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"os"
	"slices"
	"strings"
	"time"

	"cirque/internal/whole"
)

// What can be done to stand-ins while they run.
const (
	Cut      = "cut"      // nothing answers there any more, as where a line is cut
	Join     = "join"     // it answers again
	Exchange = "exchange" // another device of the same model stands there; once more, the first
)

// Do cuts, joins or exchanges stand-ins by their names. One that is cut already stays so.
func (s *Set) Do(what string, names ...string) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, n := range names {
		i := slices.IndexFunc(s.Printers, func(p *Printer) bool { return p.Name == n })
		if i < 0 {
			return fmt.Errorf("there is no stand-in %q", n)
		}
		p := s.Printers[i]
		if what != Join {
			if err := p.Close(); err != nil {
				return err
			}
		}
		if what == Cut {
			if err := p.hold(); err != nil {
				return err
			}
		}
		if what == Cut || what == Join && !p.closed {
			continue
		}
		if err := p.release(); err != nil {
			return err
		}
		spec := p.Spec
		if what == Exchange {
			spec = another(spec)
		}
		next := &Printer{Spec: spec, pages: p.Pages(), jobs: p.all()}
		next.Remembers = 0 // what it remembers, it has
		if err := next.Listen(p.Addr()); err != nil {
			return err
		}
		next.Remembers = spec.Remembers
		s.Printers[i] = next
	}
	return nil
}

// another is a device of the same model: by serial number, hardware address and UUID it is not the same.
func another(s Spec) Spec {
	const mark = "-2"
	if was, ok := strings.CutSuffix(s.Serial, mark); ok {
		s.Serial = was
	} else {
		s.Serial += mark
	}
	flip := func(text string, back int) string { // one digit, there and back
		if len(text) < back {
			return text
		}
		const digits = "0123456789abcdef"
		at := len(text) - back
		i := strings.IndexByte(digits, text[at])
		return text[:at] + digits[15-i:16-i] + text[at+1:]
	}
	s.MAC, s.UUID = flip(s.MAC, 5), flip(s.UUID, 1)
	return s
}

// Control takes what is to be done to the stand-ins on loopback, from whoever can read a file.
func (s *Set) Control(file string) (stop func() error, err error) {
	ln, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	secret := rand.Text()
	if err := whole.Write(file, []byte("http://"+ln.Addr().String()+" "+secret+"\n"), 0o600); err != nil {
		return nil, errors.Join(err, ln.Close())
	}
	h := &http.Server{ReadHeaderTimeout: 10 * time.Second, Handler: http.HandlerFunc(func(w http.ResponseWriter,
		r *http.Request) {
		what := strings.TrimPrefix(r.URL.Path, "/")
		switch {
		case subtle.ConstantTimeCompare([]byte(r.Header.Get("Authorization")), []byte("Bearer "+secret)) != 1:
			http.Error(w, "who are you?", http.StatusUnauthorized)
		case r.Method != http.MethodPost || !slices.Contains([]string{Cut, Join, Exchange}, what):
			http.Error(w, "POST /cut, /join or /exchange", http.StatusBadRequest)
		default:
			if err := s.Do(what, r.URL.Query()["name"]...); err != nil {
				http.Error(w, err.Error(), http.StatusConflict)
			}
		}
	})}
	go func() { _ = h.Serve(ln) }() // ends with stop
	return func() error { return errors.Join(h.Close(), os.Remove(file)) }, nil
}

// Ask has something done to stand-ins of another process, which keeps the file.
func Ask(ctx context.Context, file, what string, names ...string) error {
	text, err := os.ReadFile(file)
	if err != nil {
		return fmt.Errorf("no demo runs there: %w", err)
	}
	at, secret, _ := strings.Cut(strings.TrimSpace(string(text)), " ")
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, at+"/"+what+"?"+url.Values{"name": names}.Encode(), nil)
	if err != nil {
		return err
	}
	req.Header.Set("Authorization", "Bearer "+secret)
	resp, err := (&http.Client{Timeout: 30 * time.Second}).Do(req)
	if err != nil {
		return fmt.Errorf("the demo's stand-ins cannot be reached: %w", err)
	}
	defer func() { _ = resp.Body.Close() }()
	if resp.StatusCode != http.StatusOK {
		says, _ := io.ReadAll(io.LimitReader(resp.Body, 1<<10)) // for the message alone
		return errors.New(strings.TrimSpace(string(says)))
	}
	return nil
}

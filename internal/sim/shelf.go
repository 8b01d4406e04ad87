package sim

import (
	"crypto/sha256"
	"crypto/tls"
	"fmt"
	"io"
	"log"
	"maps"
	"net"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"
)

// A Shelf is a stand-in for a web server with a folder of files, over TLS. The list of their checksums lies among them,
// as sha256sum(1) writes it.
type Shelf struct {
	mu     sync.Mutex
	files  map[string][]byte        // guarded by mu
	held   map[string]chan struct{} // guarded by mu
	server *http.Server
	ln     net.Listener
}

// Put lays a file into the folder, in place of one of that name.
func (s *Shelf) Put(name string, b []byte) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.files == nil {
		s.files = map[string][]byte{}
	}
	s.files[name] = b
}

// Hold has it fall silent in the middle of a file, until it is released.
func (s *Shelf) Hold(name string) (release func()) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.held == nil {
		s.held = map[string]chan struct{}{}
	}
	c := make(chan struct{})
	s.held[name] = c
	return sync.OnceFunc(func() {
		s.mu.Lock()
		defer s.mu.Unlock()
		delete(s.held, name)
		close(c)
	})
}

// Serve starts it where somebody listens for it, with a certificate and its key as PEM.
func (s *Shelf) Serve(ln net.Listener, cert, key string) error {
	pair, err := tls.X509KeyPair([]byte(cert), []byte(key))
	if err != nil {
		return err
	}
	s.ln = ln
	s.server = &http.Server{Handler: s, ReadHeaderTimeout: 10 * time.Second, ErrorLog: log.New(io.Discard, "", 0),
		TLSConfig: &tls.Config{Certificates: []tls.Certificate{pair}, MinVersion: tls.VersionTLS12}}
	go func() { _ = s.server.ServeTLS(s.ln, "", "") }() // ends with Close
	return nil
}

// Addr is where it listens.
func (s *Shelf) Addr() string { return s.ln.Addr().String() }

// Close stops it.
func (s *Shelf) Close() error { return ended(s.server.Close(), s.ln) }

func (s *Shelf) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	name := strings.TrimPrefix(r.URL.Path, "/")
	s.mu.Lock()
	b, ok := s.files[name]
	if name == "SHA256SUMS" && !ok {
		b, ok = s.sums(), true
	}
	held := s.held[name]
	s.mu.Unlock()
	if !ok {
		http.NotFound(w, r)
		return
	}
	w.Header().Set("Content-Length", fmt.Sprint(len(b)))
	if held != nil {
		_, _ = w.Write(b[:len(b)/2])
		_ = http.NewResponseController(w).Flush() // whoever asked may have gone
		b = b[len(b)/2:]
		select {
		case <-held:
		case <-r.Context().Done():
			return
		}
	}
	_, _ = w.Write(b)
}

func (s *Shelf) sums() []byte {
	var out []byte
	for _, name := range slices.Sorted(maps.Keys(s.files)) {
		out = fmt.Appendf(out, "%x  %s\n", sha256.Sum256(s.files[name]), name)
	}
	return out
}

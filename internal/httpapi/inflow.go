package httpapi

import (
	"context"
	"errors"
	"io"
	"net"
	"net/http"
	"sync"
	"time"
)

// Limits on what arrives, whoever sends it.
const (
	// unsignedBody is how much is read of the body of somebody who has not signed in, in bytes.
	unsignedBody = 8 << 10
	// unsignedAddress is how many bytes of such bodies one address may have in flight.
	unsignedAddress = 256 << 10
	// inFlight is how many bytes of bodies the process holds at once.
	inFlight = 512 << 20
	// A body may keep us waiting for patience in all, and for one second more with every pace bytes that it brings; one
	// that is a job to print for jobPatience, since a page may take its time to be made.
	patience    = 20 * time.Second
	jobPatience = time.Minute
	pace        = 4 << 10
)

// Errors of bodies.
var (
	errTooLarge = errors.New("the body is too large")
	errBusy     = errors.New("too many bytes of bodies are in flight")
)

// errSlow is a body that trickles.
type errSlow struct{}

func (errSlow) Error() string   { return "the body did not arrive in time" }
func (errSlow) Timeout() bool   { return true }
func (errSlow) Temporary() bool { return false }

var _ net.Error = errSlow{}

// A bodies counts the bytes of bodies that are in flight: of the process, and of each address that has not signed in.
type bodies struct {
	mu      sync.Mutex
	all     int64            // guarded by mu
	unknown map[string]int64 // by address; guarded by mu
}

// take counts n bytes more; address is "" for whoever has signed in. False where there is no room.
func (b *bodies) take(address string, n int64) bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.all+n > inFlight || address != "" && b.unknown[address]+n > unsignedAddress {
		return false
	}
	b.all += n
	if address != "" {
		b.unknown[address] += n
	}
	return true
}

func (b *bodies) give(address string, n int64) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.all -= n
	if address == "" {
		return
	}
	if b.unknown[address] -= n; b.unknown[address] <= 0 {
		delete(b.unknown, address)
	}
}

// An inflow is a body as it arrives: never more of it than may, and never slower. Only one goroutine reads it.
type inflow struct {
	ctx     context.Context // of the request
	w       http.ResponseWriter
	rc      *http.ResponseController
	from    io.ReadCloser
	count   *bodies
	address string // until whoever sends it is known

	most     int64 // bytes that may be read
	patience time.Duration
	keeps    bool // what is read stays in memory until the request ends
	got      int64
	held     int64
	waited   time.Duration
	ended    bool
}

// receive puts an inflow in place of a request's body, and gives it; nil where there is none. Even a body that nobody
// reads ends: the server reads on after the answer to keep the connection.
func receive(w http.ResponseWriter, r *http.Request, address string, count *bodies) *inflow {
	if r.Body == nil || r.Body == http.NoBody || r.ContentLength == 0 {
		return nil
	}
	in := &inflow{ctx: r.Context(), w: w, rc: http.NewResponseController(w), from: r.Body, count: count, address: address,
		most: unsignedBody, patience: patience, keeps: true}
	_ = in.rc.SetReadDeadline(time.Now().Add(patience)) // a writer of tests has no deadlines
	r.Body = in
	return in
}

// signed lets most bytes in, or any number where it is 0, since it is known who sends them.
func (in *inflow) signed(most int64) {
	in.count.give(in.address, in.held)
	in.address, in.most = "", most
	if in.held > 0 && !in.count.take("", in.held) {
		in.held = 0
	}
}

// Admit lets a document of any length through, in the time that making it takes: it is known whose it is, and nobody
// keeps it.
func (in *inflow) Admit() {
	in.signed(0)
	knownOn(in.ctx)
	in.patience, in.keeps = jobPatience, false
	in.w.Header().Del("Connection")
}

func (in *inflow) Read(p []byte) (int, error) {
	if in.ended {
		return 0, io.EOF
	}
	if in.most > 0 && in.got >= in.most {
		p = p[:min(len(p), 1)] // whether more follows
	} else if in.most > 0 {
		p = p[:min(int64(len(p)), in.most-in.got)]
	}
	left := in.patience + time.Duration(in.got/pace)*time.Second - in.waited
	if left <= 0 {
		return 0, in.over(errSlow{})
	}
	begin := time.Now()
	_ = in.rc.SetReadDeadline(begin.Add(left))
	n, err := in.from.Read(p)
	in.waited += time.Since(begin)
	in.got += int64(n)
	if in.most > 0 && in.got > in.most {
		return 0, in.over(errTooLarge)
	}
	if in.keeps && n > 0 {
		if !in.count.take(in.address, int64(n)) {
			return 0, in.over(errBusy)
		}
		in.held += int64(n)
	}
	var late net.Error
	switch {
	case err == io.EOF: //nolint:errorlint // Readers give it as it is
		in.ended = true
		_ = in.rc.SetReadDeadline(time.Time{}) // what the server goes on reading tells whether the client is still there
	case errors.As(err, &late) && late.Timeout():
		return n, in.over(errSlow{})
	}
	return n, err
}

// over ends the connection with the answer: the rest of the body is not waited for.
func (in *inflow) over(err error) error {
	in.w.Header().Set("Connection", "close")
	return err
}

// refused says that nobody is going to read the body. What is small is read past, so that the connection can stay.
func (in *inflow) refused(length int64) {
	if length < 0 || length > unsignedBody {
		in.w.Header().Set("Connection", "close")
	}
}

// done gives back what the body held.
func (in *inflow) done() {
	in.count.give(in.address, in.held)
	in.held = 0
}

func (in *inflow) Close() error { return in.from.Close() }

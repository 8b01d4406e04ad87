package fetch

import (
	"bytes"
	"context"
	"encoding/pem"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"cirque/core/driver"
	"cirque/core/fault"
)

// place starts a web server and gives it as a place that trusts it.
func place(t *testing.T, h http.HandlerFunc) driver.Place {
	t.Helper()
	s := httptest.NewUnstartedServer(h)
	s.Config.ErrorLog = nil
	s.StartTLS()
	t.Cleanup(s.Close)
	ca := pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: s.Certificate().Raw})
	return driver.Place{Name: "p", URL: s.URL + "/makers/", CA: string(ca)}
}

// TestFetch: files come whole, from below the folder, and it is told how far they are.
func TestFetch(t *testing.T) {
	t.Parallel()
	data := bytes.Repeat([]byte("driver "), 100_000)
	v := place(t, func(w http.ResponseWriter, r *http.Request) {
		switch r.URL.Path {
		case "/makers/SHA256SUMS":
			fmt.Fprintf(w, "%064d  a.zip\n", 1)
		case "/makers/new/a (2).zip":
			w.Header().Set("Content-Length", fmt.Sprint(len(data)))
			_, _ = w.Write(data)
		case "/makers/length-untold.zip":
			w.(http.Flusher).Flush()
			_, _ = w.Write(data)
		default:
			t.Errorf("asked for %s", r.URL.Path)
		}
	})
	if l, err := New(nil).Look(t.Context(), v); err != nil || len(l.Offers) != 1 || l.Offers[0].File != "a.zip" {
		t.Errorf("%+v %v", l, err)
	}
	for file, want := range map[string]int64{"new/a (2).zip": int64(len(data)), "length-untold.zip": 0} {
		last, first := int64(0), int64(-1)
		b, err := New(nil).Archive(t.Context(), v, file, func(got, total int64) {
			if first < 0 {
				first = got
			}
			if got < last || total != want {
				t.Errorf("%s: %d of %d after %d", file, got, total, last)
			}
			last = got
		})
		if err != nil || !bytes.Equal(b, data) || last != int64(len(data)) || first != 0 {
			t.Errorf("%s: %d bytes, told %d to %d: %v", file, len(b), first, last, err)
		}
	}
}

// TestRefused: whatever else a place answers is said in plain words, with what to do, and nothing of its text.
func TestRefused(t *testing.T) {
	t.Parallel()
	for file, want := range map[string]string{
		"301": "place-elsewhere", "401": "place-refuses", "403": "place-refuses", "404": "place-lacks",
		"500": "place-fails",
		"204": "place-fails", "huge": "place-large", "huger": "place-large", "half": "broke-off",
	} {
		v := place(t, func(w http.ResponseWriter, r *http.Request) {
			switch file {
			case "huge":
				w.Header().Set("Content-Length", fmt.Sprint(driver.MaxSums+1))
				_, _ = w.Write(make([]byte, driver.MaxSums+1))
			case "huger":
				w.(http.Flusher).Flush()
				_, _ = w.Write(make([]byte, driver.MaxSums+1))
			case "half":
				w.Header().Set("Content-Length", "100")
				_, _ = w.Write(make([]byte, 10))
			default:
				n := 0
				_, _ = fmt.Sscan(file, &n)
				w.Header().Set("Location", "https://secret.example/")
				w.WriteHeader(n)
				if n != 204 {
					fmt.Fprint(w, "secret")
				}
			}
		})
		_, err := New(nil).Look(t.Context(), v)
		if f := fault.As(err); f == nil || f.Code != want || f.Fix == "" || strings.Contains(f.What+f.Fix, "secret") {
			t.Errorf("%s: %v", file, err)
		}
	}
}

// TestUntrusted: a certificate that nobody vouches for is told from a port at which nobody speaks TLS.
func TestUntrusted(t *testing.T) {
	t.Parallel()
	v := place(t, func(http.ResponseWriter, *http.Request) {})
	v.CA = ""
	_, err := New(nil).Look(t.Context(), v)
	if f := fault.As(err); f == nil || f.Code != "certificate" || !strings.Contains(f.Fix, "authority") {
		t.Error(err)
	}
	s := httptest.NewServer(http.NotFoundHandler())
	defer s.Close()
	_, err = New(nil).Look(t.Context(), driver.Place{URL: strings.Replace(s.URL, "http:", "https:", 1)})
	if f := fault.As(err); f == nil || f.Code != "not-tls" || strings.Contains(f.Fix, "ipp") {
		t.Error(err)
	}
	ln, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = ln.Close() }()
	go func() {
		for {
			c, err := ln.Accept()
			if err != nil {
				return
			}
			fmt.Fprint(c, "220 ready\r\n")
			_ = c.Close()
		}
	}()
	_, err = New(nil).Look(t.Context(), driver.Place{URL: "http://" + ln.Addr().String() + "/"})
	if f := fault.As(err); f == nil || f.Code != "not-web" && f.Code != "broke-off" || strings.Contains(f.What+f.Fix,
		"IPP") {
		t.Error(err)
	}
}

// TestStill: a place that falls silent is given up, one that is slow is not, and whoever leaves is let go.
func TestStill(t *testing.T) {
	t.Parallel()
	begun := make(chan bool, 3)
	v := place(t, func(w http.ResponseWriter, r *http.Request) {
		w.(http.Flusher).Flush()
		begun <- true
		if !strings.HasSuffix(r.URL.Path, "slow.zip") {
			<-r.Context().Done()
			return
		}
		for range 8 {
			fmt.Fprint(w, "12345678")
			w.(http.Flusher).Flush()
			time.Sleep(50 * time.Millisecond) // it is slow
		}
	})
	f := &Fetcher{nil, 200 * time.Millisecond}
	if _, err := f.Archive(t.Context(), v, "still.zip", func(int64, int64) {}); fault.As(err) == nil ||
		fault.As(err).Code != "silent" {
		t.Error(err)
	}
	<-begun
	f.still = time.Minute
	if b, err := f.Archive(t.Context(), v, "slow.zip", func(int64, int64) {}); err != nil || len(b) != 64 {
		t.Errorf("%q %v", b, err)
	}
	<-begun
	ctx, leave := context.WithCancel(t.Context())
	go func() { <-begun; leave() }()
	if _, err := f.Archive(ctx, v, "still.zip", func(int64, int64) {}); err == nil || !errors.Is(ctx.Err(),
		context.Canceled) {
		t.Error(err)
	}
}

package httpapi

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/gin-gonic/gin"

	"cirque/core/access"
	"cirque/core/document"
	"cirque/core/lineup"
	"cirque/internal/app/stores"
	organisation "cirque/internal/large"
	"cirque/internal/service"
	"cirque/internal/service/present"
	"cirque/internal/service/sources"
	"cirque/internal/testkit"
)

func TestMain(m *testing.M) {
	if os.Getenv("CIRQUE_LOAD") != "" {
		generate()
		return
	}
	testkit.Main(m)
}

// load is what the generator is told on its standard input, and what it answers.
type load struct {
	Address string
	Request []byte
	For     time.Duration
}

const connections = 16

// generate is the load generator, a process of its own: it keeps connections busy with one request and counts answers.
func generate() {
	in := json.NewDecoder(os.Stdin)
	for {
		var l load
		if err := in.Decode(&l); err != nil {
			return
		}
		var done atomic.Int64
		var wg sync.WaitGroup
		until := time.Now().Add(l.For)
		for range connections {
			wg.Go(func() { done.Add(busy(l, until)) })
		}
		wg.Wait()
		fmt.Println(float64(done.Load()) / l.For.Seconds())
	}
}

func busy(l load, until time.Time) (n int64) {
	c, err := net.Dial("tcp", l.Address)
	if err != nil {
		panic(err)
	}
	defer func() { _ = c.Close() }()
	r := bufio.NewReaderSize(c, 64<<10)
	for time.Now().Before(until) {
		if _, err := c.Write(l.Request); err != nil {
			panic(err)
		}
		length := -1
		for {
			line, err := r.ReadSlice('\n')
			if err != nil {
				panic(err)
			}
			if n == 0 && bytes.HasPrefix(line, []byte("HTTP/1.1 ")) && !bytes.HasPrefix(line, []byte("HTTP/1.1 200")) {
				panic(string(line))
			}
			if v, ok := bytes.CutPrefix(line, []byte("Content-Length: ")); ok {
				length, _ = strconv.Atoi(string(bytes.TrimSpace(v)))
			}
			if len(line) == 2 {
				break
			}
		}
		if length < 0 {
			panic("an answer without a length")
		}
		if _, err := r.Discard(length); err != nil {
			panic(err)
		}
		n++
	}
	return n
}

// BenchmarkLineupsOverHTTP asks lineups of a large organisation over loopback, side by side with a handler that answers
// as many constant bytes through the same middleware, sign-in check and body reading. What counts is the ratio.
func BenchmarkLineupsOverHTTP(b *testing.B) {
	o := organisation.New(1, organisation.ForBench())
	svc, err := service.New(b.Context(), stores.Of(testkit.Store(b)),
		service.Config{Zone: func(name string) *time.Location {
			z, _ := time.LoadLocation(name)
			return z
		}})
	if err != nil {
		b.Fatal(err)
	}
	owner := &access.Principal{Name: "bench", Role: access.Administrator}
	estate, err := json.Marshal(o.Estate)
	if err != nil {
		b.Fatal(err)
	}
	if _, _, err := svc.Drafts.Publish(b.Context(), owner, []document.File{{Name: "large.json", Text: string(estate)}},
		"bench"); err != nil {
		b.Fatal(err)
	}
	directory, err := json.Marshal(map[string]any{"directory": 1, "users": o.Directory.Users, "groups": o.Directory.Groups,
		"machines": o.Directory.Machines})
	if err != nil {
		b.Fatal(err)
	}
	if _, err := svc.Sources.Import(b.Context(), owner, sources.Intake{Source: "file",
		Files: []document.File{{Name: "large.json",
			Text: string(directory)}}}); err != nil {
		b.Fatal(err)
	}
	_, token, err := svc.Identity.MakeToken(b.Context(), owner, access.Token{Name: "bench", Role: access.Administrator})
	if err != nil {
		b.Fatal(err)
	}
	body, err := json.Marshal(o.Contexts[4711%len(o.Contexts)].Query())
	if err != nil {
		b.Fatal(err)
	}
	s := &server{svc: svc, log: slog.New(slog.DiscardHandler), metrics: newMetrics(svc, Config{Version: "bench"}),
		cfg: Config{Stopping: context.Background()}}
	switches()
	r := gin.New()
	r.Use(s.identify, s.record, gin.CustomRecoveryWithWriter(nil, s.panicked), s.principal, s.open)
	s.door.of(s.register(r).OpenAPI())
	a, err := svc.Lineups.Lineups(b.Context(), owner, []lineup.Query{o.Contexts[4711%len(o.Contexts)].Query()}, present.When{}, nil)
	if err != nil {
		b.Fatal(err)
	}
	constant := bytes.Repeat([]byte("x"), len(a.JSON)-2)
	r.POST("/constant", func(c *gin.Context) {
		if err := access.Check(principalOf(c.Request.Context()), access.AskAny); err != nil {
			c.Status(http.StatusForbidden)
			return
		}
		var q lineup.Query
		b, err := io.ReadAll(http.MaxBytesReader(c.Writer, c.Request.Body, small.most))
		if err == nil {
			err = json.Unmarshal(b, &q)
		}
		if err != nil {
			c.Status(http.StatusBadRequest)
			return
		}
		c.Data(http.StatusOK, "application/json", constant)
	})
	srv := httptest.NewServer(s.arrive(http.NewCrossOriginProtection().Handler(r)))
	defer srv.Close()
	address := strings.TrimPrefix(srv.URL, "http://")
	request := func(path string) []byte {
		return fmt.Appendf(nil, "POST %s HTTP/1.1\r\nHost: %s\r\nAuthorization: Bearer %s\r\nContent-Type: "+
			"application/json\r\nContent-Length: %d\r\n\r\n%s", path, address, token, len(body), body)
	}
	cmd := exec.CommandContext(b.Context(), os.Args[0])
	cmd.Env = append(os.Environ(), "CIRQUE_LOAD=1", "GOMAXPROCS=1")
	cmd.Stderr = os.Stderr
	in, err := cmd.StdinPipe()
	if err != nil {
		b.Fatal(err)
	}
	out, err := cmd.StdoutPipe()
	if err != nil {
		b.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		b.Fatal(err)
	}
	defer func() { _ = in.Close(); _ = cmd.Wait() }()
	rates := bufio.NewScanner(out)
	run := func(path string, d time.Duration) float64 {
		if err := json.NewEncoder(in).Encode(load{address, request(path), d}); err != nil {
			b.Fatal(err)
		}
		if !rates.Scan() {
			b.Fatal("the load generator has gone")
		}
		n, err := strconv.ParseFloat(rates.Text(), 64)
		if err != nil {
			b.Fatal(rates.Text())
		}
		return n
	}
	run("/constant", 300*time.Millisecond)
	run("/api/v1/lineups", 300*time.Millisecond)
	var asked, same float64
	rounds := 0
	for b.Loop() {
		// By turns, so that whatever else the machine does meets both.
		same += run("/constant", 700*time.Millisecond)
		asked += run("/api/v1/lineups", 700*time.Millisecond)
		rounds++
	}
	b.ReportMetric(asked/float64(rounds), "lineups/s")
	b.ReportMetric(same/float64(rounds), "constant/s")
	b.ReportMetric(asked/same, "ratio")
	b.ReportMetric(float64(len(a.JSON)), "bytes")
}

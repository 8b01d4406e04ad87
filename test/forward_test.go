package test

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"

	"cirque/core/access"
	"cirque/core/event"
	"cirque/internal/app"
	"cirque/internal/testkit"
)

// forwards is an estate that sends the audit somewhere.
func forwards(to, more string) string {
	return strings.Replace(oneQueue, "estate: 1", "estate: 1\nsettings:\n  audit:\n    forward: "+to+"\n"+more, 1)
}

// TestAuditToLogServer: Debian's log server takes the audit over TLS as RFC 5424 says, entry by entry; it is not sent
// to somebody whose authority is not the one that was named, and the fault tells so.
func TestAuditToLogServer(t *testing.T) {
	t.Parallel()
	log := testkit.NewRsyslogd(t)
	s := startService(t, func(o *app.Options) { o.PublicURL = "http://cirque.skerry.example" })
	s.publish(forwards(log.Target, ""))
	within(t, "an unknown authority is refused", func() bool {
		return strings.Contains(s.must("audit", "forwarding"), "cannot be sent to "+log.Target)
	})
	within(t, "notices tell of it", func() bool {
		faults, err := s.Service.Alerts.Faults(t.Context(), owner)
		return err == nil && len(faults) == 1 && strings.Contains(faults[0].Says, "the audit cannot be sent")
	})
	s.publish(forwards(log.Target, "    ca: |\n      "+strings.ReplaceAll(strings.TrimSpace(log.CA), "\n",
		"\n      ")+"\n"))
	s.addAccount("olav", access.Auditor)
	if _, status, _ := s.signIn("olav", "wrong horse battery"); status != 401 {
		t.Fatal(status)
	}
	kept := func(want string) func() bool {
		return func() bool { return strings.Contains(strings.Join(log.Lines(), "\n"), want) }
	}
	within(t, "the sign-in that failed has arrived", kept(event.SignInBad))
	for _, line := range log.Lines() {
		head, text, _ := strings.Cut(line, "|")
		var e event.Event
		// Debian's log server knows the facility 13 as audit.
		if err := json.Unmarshal([]byte(strings.TrimPrefix(strings.TrimSpace(text), "\ufeff")), &e); err != nil ||
			!strings.HasPrefix(head, "audit ") || !strings.Contains(head, " cirque.skerry.example cirque "+e.Kind+
			" [origin software=\"Cirque\"") {
			t.Errorf("%v: %s", err, line)
		}
		if e.Kind == event.SignInBad && !strings.HasPrefix(head, "audit warning ") {
			t.Error("a sign-in that failed is no warning:", head)
		}
	}
	contains(t, "how it goes", s.must("audit", "forwarding"), "The audit is sent to "+log.Target)
}

// taker takes a log over TCP, and breaks off after so many entries where it is told to.
type taker struct {
	net.Listener
	mu    sync.Mutex
	got   []string // the subjects of tokens, in the order in which they came; guarded by mu
	after int      // guarded by mu
	lost  []string // what came while it forgets all that it takes; guarded by mu
	loses bool     // guarded by mu
	open  []net.Conn
}

func (k *taker) serve() {
	for {
		c, err := k.Accept()
		if err != nil {
			return
		}
		k.mu.Lock()
		k.open = append(k.open, c)
		k.mu.Unlock()
		go k.take(c)
	}
}

func (k *taker) take(c net.Conn) {
	defer func() { _ = c.Close() }()
	r := bufio.NewReader(c)
	for n := 0; ; n++ {
		size, err := r.ReadString(' ')
		if err != nil {
			return
		}
		length, err := strconv.Atoi(strings.TrimSpace(size))
		if err != nil {
			return
		}
		b := make([]byte, length)
		if _, err := io.ReadFull(r, b); err != nil {
			return
		}
		k.mu.Lock()
		_, text, _ := strings.Cut(string(b), "\ufeff")
		var e event.Event
		if json.Unmarshal([]byte(text), &e) == nil && e.Kind == event.TokenMade {
			if k.loses {
				k.lost = append(k.lost, e.Subject)
			} else {
				k.got = append(k.got, e.Subject)
			}
		}
		broken := k.after > 0 && n >= k.after
		k.mu.Unlock()
		if broken {
			return
		}
	}
}

func (k *taker) has(n int) bool {
	k.mu.Lock()
	defer k.mu.Unlock()
	seen := map[string]bool{}
	for _, g := range k.got {
		seen[g] = true
	}
	return len(seen) >= n
}

// TestAuditForwardedWhole: whoever takes the log breaks off every few entries, is away for a while, and another process
// goes on: every entry arrives, and what comes twice is the same entry.
func TestAuditForwardedWhole(t *testing.T) {
	t.Parallel()
	ln, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	k := &taker{Listener: ln, after: 7}
	go k.serve()
	t.Cleanup(func() { _ = ln.Close() })
	s := startService(t)
	s.publish(forwards("tcp://"+ln.Addr().String(), "    clear: true\n"))
	// Where it is sent nowhere yet nothing is owed; from the first look on everything is.
	within(t, "it is sent", func() bool { return strings.Contains(s.must("audit", "forwarding"), "The audit is sent") })
	const all = 40
	var wg sync.WaitGroup
	for i := range all {
		wg.Go(func() { s.tokenFor(fmt.Sprintf("token-%d", i), access.Auditor, "") })
	}
	wg.Wait()
	within(t, "some has arrived", func() bool { return k.has(5) })
	k.mu.Lock()
	k.after = 0
	k.mu.Unlock()
	within(t, "all of it has arrived", func() bool { return k.has(all) })
	contains(t, "how it goes", s.must("audit", "forwarding", "-o", "json"), `"target"`)
	// What it had taken, and lost when it died, comes again: nobody acknowledges an entry.
	k.mu.Lock()
	k.loses = true
	k.mu.Unlock()
	for _, name := range []string{"lost", "after it"} { // once the second has come, what is noted of the first is noted
		s.tokenFor(name, access.Auditor, "")
		within(t, name+" has come", func() bool {
			k.mu.Lock()
			defer k.mu.Unlock()
			return slices.Contains(k.lost, name)
		})
	}
	k.mu.Lock()
	k.loses = false
	for _, c := range k.open {
		_ = c.Close()
	}
	k.mu.Unlock()
	within(t, "it has come again", func() bool {
		k.mu.Lock()
		defer k.mu.Unlock()
		return slices.Contains(k.got, "lost") && slices.Contains(k.got, "after it")
	})
}

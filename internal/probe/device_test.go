package probe_test

import (
	"context"
	"fmt"
	"io"
	"log"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"

	"cirque/core/fault"
	"cirque/core/job"
	"cirque/core/stock"
	"cirque/internal/probe"
	"cirque/internal/probe/dial"
	"cirque/internal/sim"
	"cirque/internal/testkit"
)

// standIns starts some, and gives a client that reaches nothing else.
func standIns(t testing.TB, specs ...sim.Spec) (*sim.Set, *probe.Prober) {
	t.Helper()
	for i := range specs {
		if specs[i].Listen == "" {
			specs[i].Listen = "127.0.0.1:0"
		}
	}
	set, err := sim.Start(specs)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = set.Close() })
	return set, probe.New(dial.New(set.Table, nil))
}

func code(err error) string {
	if f := fault.As(err); err != nil && f != nil {
		return f.Code
	}
	return ""
}

func someQueues(n int) []sim.Queue {
	var out []sim.Queue
	for i := range n {
		out = append(out, sim.Queue{Name: fmt.Sprintf("Queue %04d", i+1), Title: fmt.Sprintf("The queue %d", i+1),
			Location: "Hall", Model: "Skerrymark Mono 40 PCL6", Device: fmt.Sprintf("ipp://10.1.%d.%d/ipp/print", i/250,
				i%250+1), Can: []string{"two-sided"}, Defaults: map[string]string{"sides": "two-sided-long-edge"}})
	}
	return out
}

// TestReadServer: both ways of listing tell the same, page by page; a second reading sees what has changed.
func TestReadServer(t *testing.T) {
	t.Parallel()
	for _, listing := range []string{"system", "spooler"} {
		queues := someQueues(620)
		queues[3].Stopped, queues[3].Waiting, queues[4].Unshared = "media-jam", 7, true
		set, c := standIns(t, sim.Spec{For: "ps.example:631", Name: "ps", Server: true, Listing: listing, Queues: queues})
		s, err := c.ReadServer(t.Context(), "ipp://ps.example/", nil, nil)
		if err != nil || s.Listing != listing || len(s.Queues) != 620 {
			t.Fatalf("%s: %v %+v", listing, err, s)
		}
		q := s.Find("Queue 0004")
		if q.State != "stopped" || !slices.Equal(q.Reasons, []string{"media-jam"}) || q.Jobs != 7 || q.Accepting ||
			q.Model != "Skerrymark Mono 40 PCL6" || q.Device != "ipp://10.1.0.4/ipp/print" ||
			q.Defaults["sides"] != "two-sided-long-edge" || *s.Find("Queue 0005").Shared {
			t.Errorf("%s: %+v", listing, q)
		}
		if !slices.Contains(q.Supported["sides"], "two-sided-short-edge") || s.Started == nil {
			t.Errorf("%s: %v since %v", listing, q.Supported, s.Started)
		}
		same, err := c.ReadServer(t.Context(), "ipp://ps.example/", nil, s)
		if err != nil || !stock.SameServer(s, same) {
			t.Errorf("%s: read again it is another: %v", listing, err)
		}
		for _, many := range []int{2, 300} { // asked for one by one, and all again
			set.Printers[0].Change(func(list []sim.Queue) []sim.Queue {
				for i := range many {
					list[i].Model = fmt.Sprint("Another driver ", many)
				}
				return append(list[:610:610], sim.Queue{Name: fmt.Sprint("New one ", many)})
			})
			next, err := c.ReadServer(t.Context(), "ipp://ps.example/", nil, same)
			if err != nil || len(next.Queues) != 611 || next.Find("Queue 0001").Model != fmt.Sprint("Another driver ", many) ||
				next.Find("Queue 0305").Model != "Skerrymark Mono 40 PCL6" || next.Find(fmt.Sprint("New one ", many)) == nil {
				t.Fatalf("%s after %d changes: %v, %d queues", listing, many, err, len(next.Queues))
			}
			if next.Find("Queue 0009").Defaults["sides"] != "two-sided-long-edge" {
				t.Errorf("%s: what has not changed was lost", listing)
			}
			same = next
		}
	}
}

// TestSingleQueue: an address with one queue and no list is a server of one queue.
func TestSingleQueue(t *testing.T) {
	t.Parallel()
	_, c := standIns(t, sim.Spec{For: "one.example:631", Name: "one", Model: "Mono 40"})
	s, err := c.ReadServer(t.Context(), "ipp://one.example/ipp/print", nil, nil)
	if err != nil || s.Listing != "single" || len(s.Queues) != 1 || s.Queues[0].Name != "one" {
		t.Errorf("%+v %v", s, err)
	}
}

// TestPlainAnswers: each way in which a connection fails has a code, a sentence and a fix.
func TestPlainAnswers(t *testing.T) {
	t.Parallel()
	secured := httptest.NewUnstartedServer(http.NotFoundHandler())
	secured.Config.ErrorLog = log.New(io.Discard, "", 0)
	secured.StartTLS()
	t.Cleanup(secured.Close)
	web := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		_,
			_ = w.Write([]byte("<html>"))
	}))
	t.Cleanup(web.Close)
	forbids := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter,
		_ *http.Request) {
		w.WriteHeader(http.StatusForbidden)
	}))
	t.Cleanup(forbids.Close)
	upgrades := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter,
		_ *http.Request) {
		w.WriteHeader(http.StatusUpgradeRequired)
	}))
	t.Cleanup(upgrades.Close)
	banner := testkit.Listener(t, func(c net.Conn) {
		_, _ = c.Write([]byte("220 mail.example ready\r\n"))
		_, _ = c.Read(make([]byte, 1<<16))
	})
	cuts := testkit.Listener(t, func(net.Conn) {})
	silent := testkit.Listener(t, func(c net.Conn) { _, _ = c.Read(make([]byte, 1)); <-t.Context().Done() })
	_, c := standIns(t,
		sim.Spec{For: "wants.example:631", Name: "wants", Server: true, Queues: someQueues(1), SignIn: "svc:right"},
		sim.Spec{For: "garbage.example:631", Name: "garbage", Habit: "garbage"},
	)
	plain := probe.New(nil)
	for _, x := range []struct {
		what string
		c    *probe.Prober
		uri  string
		key  *stock.Key
		code string
	}{
		{"a name that is not there", plain, "ipp://no-such-host.invalid/", nil, "name-not-found"},
		{"a closed port", plain, "ipp://127.0.0.1:1/", nil, "refused"},
		{"no stand-in", c, "ipp://10.9.9.9/", nil, "no-way"},
		{"a page of the web", plain, strings.Replace(web.URL, "http", "ipp", 1) + "/", nil, "not-ipp"},
		{"a greeting of another protocol", plain, "ipp://" + banner + "/", nil, "not-ipp"},
		{"a line that is cut", plain, "ipp://" + cuts + "/", nil, "broke-off"},
		{"garbage", c, "ipp://garbage.example/", nil, "not-ipp"},
		{"an unknown authority", plain, strings.Replace(secured.URL, "https", "ipps", 1) + "/", nil, "certificate"},
		{"TLS where there is none", plain, strings.Replace(web.URL, "http", "ipps", 1) + "/", nil, "not-tls"},
		{"a sign-in is wanted", c, "ipp://wants.example/", nil, "sign-in"},
		{"a wrong sign-in", c, "ipp://wants.example/", &stock.Key{Name: "k", Kind: stock.SignIn, User: "svc",
			Secret: "wrong", Clear: true}, "sign-in-refused"},
		{"not let in", plain, strings.Replace(forbids.URL, "http", "ipp", 1) + "/", nil, "forbidden"},
		{"TLS is wanted", plain, strings.Replace(upgrades.URL, "http", "ipp", 1) + "/", nil, "wants-tls"},
		{"no address", plain, "ipp:///x", nil, "uri-invalid"},
		{"silence", plain, "ipp://" + silent + "/", nil, "silent"},
	} {
		ctx, cancel := context.WithTimeout(t.Context(), time.Second)
		s, err := x.c.ReadServer(ctx, x.uri, x.key, nil)
		cancel()
		if code(err) != x.code || s != nil {
			t.Errorf("%s: %q %v, want %s", x.what, code(err), err, x.code)
		}
		if f := fault.As(err); err != nil && (f.What == "" || f.Fix == "") {
			t.Errorf("%s: %+v says nothing of what to do", x.what, f)
		}
		if x.key != nil && x.key.Outcome != "refused" {
			t.Error("the key's refusal is not noted")
		}
	}
	right := &stock.Key{Name: "k", Kind: stock.SignIn, User: "svc", Secret: "right"}
	if _, err := c.ReadServer(t.Context(), "ipp://wants.example/", right, nil); code(err) != "sign-in-clear" ||
		right.Outcome != "" {
		t.Error("in the clear:", err, right.Outcome)
	}
	right.Clear = true
	if s, err := c.ReadServer(t.Context(), "ipp://wants.example/", right, nil); err != nil || len(s.Queues) != 1 ||
		right.Outcome != "works" {
		t.Error(s, err, right.Outcome)
	}
}

func TestReadDevice(t *testing.T) {
	t.Parallel()
	full := sim.Spec{For: "10.1.0.1:631", Name: "hall-40", Maker: "Skerrymark", Model: "Mono 40", Serial: "SK-1",
		UUID: "7d4c0e50-0001-4b1e-9c3a-000000000001", MAC: "02:00:5e:10:00:01", Location: "Hall", Firmware: "4.02",
		Can: []string{"two-sided", "a3"}, SNMP: "public", Supplies: []sim.Supply{{Name: "Black", Level: 23}, {Name: "Drum",
			Level: -2}}}
	mute := full
	mute.For, mute.SNMP = "10.1.0.2:631", ""
	slow := full
	slow.For, slow.Habit = "10.1.0.3:631", "slow"
	secret := full
	secret.For, secret.SNMP = "10.1.0.4:631", "hush"
	garbage := sim.Spec{For: "10.1.0.5:631", Name: "gate", Habit: "garbage", SNMP: "public"}
	jams := full
	jams.For, jams.Habit = "10.1.0.6:631", "jams"
	set, c := standIns(t, full, mute, slow, secret, garbage, jams)
	raw := testkit.Listener(t, func(net.Conn) {})
	set.Table["10.1.0.7:9100"] = raw
	set.Table["10.1.0.7:631"], set.Table["10.1.0.7:161"] = "127.0.0.1:1", "127.0.0.1:1"
	answers := func(d *stock.Device) string {
		var out []string
		for _, a := range d.Answers {
			out = append(out, a.Protocol+" "+a.Result)
		}
		return strings.Join(out, ", ")
	}
	read := func(uri string, keys ...stock.Key) (*stock.Device, error) {
		return c.ReadDevice(t.Context(), uri, keys)
	}
	d, err := read("ipp://10.1.0.1/ipp/print")
	if err != nil || !slices.Equal(d.Trays, []string{"tray-1", "tray-2", "by-pass-tray"}) ||
		!slices.Equal(d.Dots, []string{"300x300dpi", "600x600dpi"}) ||
		answers(d) != "ipp yes, snmp yes" || d.Serial != "SK-1" || d.MAC != "02:00:5e:10:00:01" ||
		d.UUID != "7d4c0e50-0001-4b1e-9c3a-000000000001" || d.Firmware != "4.02" || d.State != "idle" ||
		d.Maker != "Skerrymark" || !*d.TwoSided || *d.Colour {
		t.Fatalf("%+v %v", d, err)
	}
	if len(d.Supplies) != 2 || *d.Supplies[0].Level != 23 || d.Supplies[1].Level != nil || !slices.Equal(d.Languages,
		[]string{"PCL6", "PDF"}) {
		t.Errorf("%+v", d)
	}
	for uri, want := range map[string]string{"ipp://10.1.0.1": "ipp yes, snmp yes",
		"socket://10.1.0.1:9100": "ipp yes, snmp yes", "ipp://10.1.0.3/ipp/print": "ipp no, snmp yes",
		"ipp://10.1.0.4/": "ipp yes, snmp unproven", "socket://10.1.0.7": "ipp no, snmp no, raw unproven"} {
		begin := time.Now()
		if d, err := read(uri); err != nil || answers(d) != want {
			t.Errorf("%s: %v %v, want %s", uri, d, err, want)
		}
		if took := time.Since(begin); took > probe.DeviceWithin+2*time.Second {
			t.Errorf("%s took %v", uri, took)
		}
	}
	if d, err := read("ipp://10.1.0.2/"); err != nil || !strings.HasPrefix(answers(d), "ipp yes, snmp ") || d.MAC != "" ||
		d.Serial != "SK-1" {
		t.Errorf("without SNMP: %+v %v", d, err)
	}
	keys := []stock.Key{{Name: "wrong", Kind: stock.SNMP, Secret: "x"}, {Name: "right", Kind: stock.SNMP, Secret: "hush"}}
	if d, err := c.ReadDevice(t.Context(), "ipp://10.1.0.4/", keys); err != nil || answers(d) != "ipp yes, snmp yes" ||
		keys[1].Outcome != "works" || keys[0].Outcome != "" {
		t.Errorf("with keys: %+v %v %+v", d, err, []string{keys[0].Outcome, keys[1].Outcome})
	}
	if d, err := read("ipp://10.1.0.5/"); code(err) != "not-ipp" {
		t.Errorf("garbage: %+v %v", d, err)
	}
	if d, err := read("ipp://10.1.0.8/"); code(err) != "no-way" {
		t.Errorf("nothing there: %+v %v", d, err)
	}
	// It takes the job, stops in the middle of it, and says why.
	at := "ipp://10.1.0.6/ipp/print"
	out, err := c.Send(t.Context(), at, nil, job.Document{Name: "n", Owner: "o", Format: "text/plain"},
		strings.NewReader("x"))
	if err != nil {
		t.Fatal(err)
	}
	if j, err := c.ReadJob(t.Context(), at, nil, out.JobID); err != nil || j.State != "processing-stopped" ||
		!slices.Contains(j.Reasons, "the printer is stopped: media-jam") {
		t.Errorf("%+v %v", j, err)
	}
	if d, err := read(at); err != nil || d.State != "stopped" || !slices.Equal(d.Reasons,
		[]string{"media-jam"}) || d.Ready() {
		t.Errorf("after the jam: %+v %v", d, err)
	}
}

// TestSilentDevice: an address that never answers costs no more than its time limit.
func TestSilentDevice(t *testing.T) {
	t.Parallel()
	silent := testkit.Listener(t, func(c net.Conn) { _, _ = c.Read(make([]byte, 1)); <-t.Context().Done() })
	udp, err := net.ListenPacket("udp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = udp.Close() })
	c := probe.New(dial.New(dial.AddressTable{"10.1.0.9:631": silent, "10.1.0.9:9100": silent,
		"10.1.0.9:161": udp.LocalAddr().String()}, nil))
	begin := time.Now()
	d, err := c.ReadDevice(t.Context(), "ipp://10.1.0.9/ipp/print", nil)
	took := time.Since(begin)
	if took > probe.DeviceWithin+3*time.Second {
		t.Errorf("%v, and its limit is %v", took, probe.DeviceWithin)
	}
	// The raw port takes connections here, which proves that something is there and no more.
	if err == nil && (len(d.Answers) != 3 || d.Answers[2].Result != "unproven") {
		t.Errorf("%+v %v", d, err)
	}
}

// TestSNMPUSM: Debian's SNMP agent takes a user with authentication and privacy, and refuses a wrong key as such.
func TestSNMPUSM(t *testing.T) {
	t.Parallel()
	bin := "/usr/sbin/snmpd"
	if _, err := os.Stat(bin); err != nil {
		t.Fatal("Debian's SNMP agent is not installed: apt-get install --no-install-recommends snmpd")
	}
	dir := t.TempDir()
	free, err := net.ListenPacket("udp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	at := free.LocalAddr().String()
	if err := free.Close(); err != nil {
		t.Fatal(err)
	}
	conf := "agentaddress udp:" + at + "\nrocommunity public 127.0.0.1\ncreateUser reader SHA-256 \"authpass123\" AES " +
		"\"privpass123\"\nrouser reader authPriv\noverride .1.3.6.1.2.1.43.10.2.1.4.1.1 counter 104523\noverride " +
		".1.3.6.1.2.1.43.5.1.1.17.1 octet_str \"SK-9\"\nsysName printer-9\n"
	if err := os.WriteFile(filepath.Join(dir, "snmpd.conf"), []byte(conf), 0o600); err != nil {
		t.Fatal(err)
	}
	out, err := os.Create(filepath.Join(dir, "out"))
	if err != nil {
		t.Fatal(err)
	}
	cmd := exec.Command(bin, "-f", "-Lf", filepath.Join(dir, "log"), "-C", "-c", filepath.Join(dir, "snmpd.conf"), "-p",
		filepath.Join(dir, "pid"))
	cmd.Env, cmd.Stdout, cmd.Stderr = append(os.Environ(), "SNMP_PERSISTENT_DIR="+dir, "MIBS="), out, out
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = cmd.Process.Kill(); _ = cmd.Wait(); _ = out.Close() })
	c := probe.New(dial.New(dial.AddressTable{"10.1.0.9:161": at, "10.1.0.9:631": "127.0.0.1:1",
		"10.1.0.9:9100": "127.0.0.1:1"}, nil))
	usm := func(secret string) []stock.Key {
		return []stock.Key{{Name: "reader", Kind: stock.SNMP3, User: "reader", Secret: secret, Privacy: "privpass123"}}
	}
	var d *stock.Device
	for deadline := time.Now().Add(20 * time.Second); ; {
		keys := usm("authpass123")
		if d, err = c.ReadDevice(t.Context(), "ipp://10.1.0.9/", keys); err == nil && keys[0].Outcome == "works" ||
			time.Now().After(deadline) {
			break
		}
	}
	if err != nil || d.Serial != "SK-9" || d.Pages != 104523 || d.Name != "printer-9" {
		t.Fatalf("%+v %v", d, err)
	}
	wrong := usm("another pass")
	if _, err := c.ReadDevice(t.Context(), "ipp://10.1.0.9/", wrong); err == nil || wrong[0].Outcome != "refused" {
		t.Errorf("a wrong key: %v, %q", err, wrong[0].Outcome)
	}
}

// BenchmarkServer reads a server of 2,000 queues, and reads it again without a change.
func BenchmarkServer(b *testing.B) {
	for _, listing := range []string{"system", "spooler"} {
		_, c := standIns(b, sim.Spec{For: "ps.example:631", Name: "ps", Server: true, Listing: listing,
			Queues: someQueues(2000)})
		var s *stock.Server
		b.Run(listing+"/first", func(b *testing.B) {
			for b.Loop() {
				var err error
				if s, err = c.ReadServer(b.Context(), "ipp://ps.example/", nil, nil); err != nil || len(s.Queues) != 2000 {
					b.Fatal(err)
				}
			}
		})
		b.Run(listing+"/again", func(b *testing.B) {
			for b.Loop() {
				if _, err := c.ReadServer(b.Context(), "ipp://ps.example/", nil, s); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}

// BenchmarkDevices questions 500 devices over IPP and SNMP, 48 at a time, as the service does.
func BenchmarkDevices(b *testing.B) {
	var specs []sim.Spec
	for i := range 500 {
		specs = append(specs, sim.Spec{For: fmt.Sprintf("10.1.%d.%d:631", i/250, i%250+1), Name: fmt.Sprint("d", i),
			Model: "Mono 40", Serial: fmt.Sprint("S", i), MAC: fmt.Sprintf("02:00:5e:10:%02x:%02x", i/256, i%256),
			SNMP: "public", Supplies: []sim.Supply{{Name: "Black", Level: 50}}})
	}
	_, c := standIns(b, specs...)
	for b.Loop() {
		next := make(chan string)
		failed := make(chan error, 500)
		done := make(chan struct{})
		for range 48 {
			go func() {
				for host := range next {
					d, err := c.ReadDevice(b.Context(), "ipp://"+host+"/ipp/print", nil)
					if err == nil && (d.MAC == "" || d.Serial == "") {
						err = fmt.Errorf("%s told little", host)
					}
					if err != nil {
						failed <- err
					}
				}
				done <- struct{}{}
			}()
		}
		for i := range 500 {
			next <- fmt.Sprintf("10.1.%d.%d", i/250, i%250+1)
		}
		close(next)
		for range 48 {
			<-done
		}
		if len(failed) > 0 {
			b.Fatal(<-failed)
		}
	}
	b.ReportMetric(500*float64(b.N)/b.Elapsed().Seconds(), "devices/s")
}

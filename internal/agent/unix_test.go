package agent_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"cirque/core/endpoint"
	"cirque/internal/agent"
	ippclient "cirque/internal/probe/ipp"
	"cirque/internal/testkit"
	"cirque/internal/testkit/conform"
)

// ppd is a printer description that needs no filter.
const ppd = `*PPD-Adobe: "4.3"
*FormatVersion: "4.3"
*FileVersion: "1.0"
*LanguageVersion: English
*LanguageEncoding: ISOLatin1
*PCFileName: "MONO40.PPD"
*Manufacturer: "Skerrymark"
*Product: "(Mono 40)"
*ModelName: "%[1]s"
*ShortNickName: "Mono 40"
*NickName: "%[1]s"
*PSVersion: "(3010.000) 0"
*ColorDevice: False
*DefaultColorSpace: Gray
*cupsFilter2: "application/pdf application/pdf 0 -"
*OpenUI *PageSize/Media Size: PickOne
*DefaultPageSize: A4
*PageSize A4/A4: ""
*CloseUI: *PageSize
*OpenUI *PageRegion/Page Region: PickOne
*DefaultPageRegion: A4
*PageRegion A4/A4: ""
*CloseUI: *PageRegion
*DefaultImageableArea: A4
*ImageableArea A4/A4: "12 12 583 830"
*DefaultPaperDimension: A4
*PaperDimension A4/A4: "595 842"
`

// unix is Debian's spooler as an agent has it, each with homes of its own.
func unix(t *testing.T, s *testkit.UnixSpooler) (*agent.Unix, func(login string) string) {
	t.Helper()
	homes := t.TempDir()
	home := func(login string) string { return filepath.Join(homes, fmt.Sprintf("%x", login)) }
	u, err := agent.NewUnix(s.Socket, func(login string) (string, int, int, error) {
		return home(login), os.Getuid(), os.Getgid(), os.MkdirAll(home(login), 0o755)
	})
	if err != nil {
		t.Fatal(err)
	}
	u.DriversFrom(func(_ context.Context, exact string) ([]byte, error) {
		if exact != conform.ExactDriver {
			return nil, fmt.Errorf("the driver %q is not here", exact)
		}
		return fmt.Appendf(nil, ppd, exact), nil
	})
	return u, home
}

func TestUnixConforms(t *testing.T) {
	server := testkit.NewUnixSpooler(t, false)
	by, err := ippclient.NewSpooler(server.Socket)
	if err != nil {
		t.Fatal(err)
	}
	conform.TestSpooler(t, func(t *testing.T) conform.Spooler {
		queues, err := by.Queues(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		for _, q := range queues { // of the check before: they run one after another
			if err := by.Delete(t.Context(), q.Name); err != nil {
				t.Fatal(err)
			}
		}
		u, _ := unix(t, server)
		set := func(t *testing.T, q ippclient.SpoolerQueue) {
			t.Helper()
			if err := by.Set(t.Context(), q, nil); err != nil {
				t.Fatal(err)
			}
		}
		return conform.Spooler{Spooler: u, Foreign: func(t *testing.T, queue string) {
			set(t, ippclient.SpoolerQueue{Name: queue, Device: "ipp://192.0.2.1/ipp/print"})
		},
			Spoils: func(t *testing.T, queue string) {
				t.Helper()
				queues, err := by.Queues(t.Context())
				if err != nil {
					t.Fatal(err)
				}
				for _, q := range queues {
					if q.Name == queue {
						q.Options, q.Device = map[string]any{"sides": "one-sided"}, "ipp://192.0.2.9/"
						set(t, q)
					}
				}
			}}
	})
}

// TestUnixPeople: a person's queue is for that person alone, under the sign-in name of this machine, and their default
// stands in their own file, beside what else they keep there.
func TestUnixPeople(t *testing.T) {
	t.Parallel()
	server := testkit.NewUnixSpooler(t, false)
	u, home := unix(t, server)
	u.SignedIn([]endpoint.Login{{System: "msolvang", User: "Mira.Solvang", How: "asked"}})
	hers := endpoint.Want{Queue: "mail-room", User: "mira.solvang", URI: "ipp://10.40.8.32/ipp/print",
		Driver: "driverless"}
	file := filepath.Join(home("msolvang"), ".cups", "lpoptions")
	if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(file, []byte("Dest attic sides=one-sided\nDefault attic2 copies=2\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	if err := u.Add(t.Context(), hers); err != nil {
		t.Fatal(err)
	}
	if _, defaults, err := u.List(t.Context(), nil); err != nil || defaults["mira.solvang"] != "attic2" {
		t.Fatal("her own default is not seen:", defaults, err)
	}
	if err := u.SetDefault(t.Context(), "mail-room", "mira.solvang"); err != nil {
		t.Fatal(err)
	}
	b, err := os.ReadFile(file)
	if want := "Default mail-room+mira.solvang\nDest attic sides=one-sided\nDest attic2 copies=2\n"; err != nil ||
		string(b) != want {
		t.Errorf("her file is %q, %v", b, err)
	}
	by, err := ippclient.NewSpooler(server.Socket)
	if err != nil {
		t.Fatal(err)
	}
	queues, err := by.Queues(t.Context())
	if err != nil || len(queues) != 1 || len(queues[0].Allowed) != 1 || queues[0].Allowed[0] != "msolvang" ||
		queues[0].Shared {
		t.Fatalf("%+v %v", queues, err)
	}
	got, defaults, err := u.List(t.Context(), nil)
	if err != nil || len(got) != 1 || !got[0].Default || defaults["mira.solvang"] != "mail-room" {
		t.Fatalf("%+v %v %v", got, defaults, err)
	}
	if err := u.Remove(t.Context(), "mail-room", "mira.solvang"); err != nil {
		t.Fatal(err)
	}
	if b, err := os.ReadFile(file); err != nil || strings.Contains(string(b), "mail-room") || !strings.Contains(string(b),
		"attic2 copies=2") {
		t.Errorf("after removal her file is %q, %v", b, err)
	}
	// A link out of her home is not followed.
	secret := filepath.Join(t.TempDir(), "secret")
	if err := os.WriteFile(secret, []byte("Default x\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	if err := os.Remove(file); err != nil {
		t.Fatal(err)
	}
	if err := os.Symlink(secret, file); err != nil {
		t.Fatal(err)
	}
	if err := u.Add(t.Context(), hers); err != nil {
		t.Fatal(err)
	}
	if err := u.SetDefault(t.Context(), "mail-room", "mira.solvang"); err == nil {
		t.Error("a link out of the home was followed")
	}
	if b, _ := os.ReadFile(secret); string(b) != "Default x\n" {
		t.Errorf("what lies outside was written: %q", b)
	}
}

// TestUnixDriver: a driver's description is installed with its queue, and one that is not to be had is said so.
func TestUnixDriver(t *testing.T) {
	t.Parallel()
	server := testkit.NewUnixSpooler(t, false)
	u, _ := unix(t, server)
	w := endpoint.Want{Queue: "hall", URI: "ipp://10.40.8.31/ipp/print", Driver: "hall-mono-x64",
		Exact: conform.ExactDriver}
	if err := u.Add(t.Context(), w); err != nil {
		t.Fatal(err)
	}
	by, err := ippclient.NewSpooler(server.Socket)
	if err != nil {
		t.Fatal(err)
	}
	if q, err := by.Queues(t.Context()); err != nil || len(q) != 1 || q[0].Model != conform.ExactDriver {
		t.Fatalf("%+v %v", q, err)
	}
	w.Exact = "Skerrymark Mono 41"
	if err := u.Change(t.Context(), w); err == nil || !strings.Contains(err.Error(),
		`the driver "Skerrymark Mono 41" is not here`) {
		t.Error(err)
	}
	w.Exact, w.Driver = "", "driverless"
	if err := u.Change(t.Context(), w); err != nil {
		t.Fatal(err)
	}
	if q, err := by.Queues(t.Context()); err != nil || len(q) != 1 || q[0].Model == conform.ExactDriver {
		t.Fatalf("the description stays: %+v %v", q, err)
	}
	// Nobody but the machine's own account may set up queues.
	outside, err := agent.NewUnix(server.URI, nil)
	if err != nil {
		t.Fatal(err)
	}
	if err := outside.Add(t.Context(), endpoint.Want{Queue: "no", URI: "ipp://192.0.2.1/"}); err == nil ||
		!strings.Contains(err.Error(), "sign-in") {
		t.Error(err)
	}
}

// TestClear: what the agent installed goes, and what somebody else did stays.
func TestClear(t *testing.T) {
	t.Parallel()
	server := testkit.NewUnixSpooler(t, false)
	u, _ := unix(t, server)
	if err := server.SetUpByHand(t.Context(), "by-hand", "ipp://192.0.2.1/"); err != nil {
		t.Fatal(err)
	}
	for _, user := range []string{"", "mira"} {
		if err := u.Add(t.Context(), endpoint.Want{Queue: "hall", User: user, URI: "ipp://192.0.2.2/",
			Driver: "driverless"}); err != nil {
			t.Fatal(err)
		}
	}
	said, err := agent.Clear(t.Context(), agent.Opened{Spooler: u})
	if err != nil || strings.Join(said, "; ") != "removed hall for everybody; removed hall for mira; Removed: 2; left, "+
		"since others set them up: 1." {
		t.Error(said, err)
	}
	if left, _, err := u.List(t.Context(), nil); err != nil || len(left) != 1 || left[0].Queue != "by-hand" {
		t.Error(left, err)
	}
}

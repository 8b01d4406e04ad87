package test

import (
	"archive/zip"
	"bytes"
	"crypto/sha256"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"cirque/core/driver"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
	"cirque/internal/sim"
	"cirque/internal/testkit"
)

// slipArchive packs set-up information into a zip archive.
func slipArchive(t *testing.T, inf string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	dir := folder(t, map[string]string{"slip.inf": inf, "slip.gpd": "slip"})
	if err := errors.Join(z.AddFS(os.DirFS(dir)), z.Close()); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// fails runs a command that has to end with a code, and gives what it says.
func (s *aService) fails(want int, args ...string) string {
	s.t.Helper()
	code, out, errs := s.run(args...)
	if code != want {
		s.t.Fatalf("cirque %s: %d, not %d: %s%s", strings.Join(args, " "), code, want, out, errs)
	}
	return errs
}

// shelfOf starts a web server with files on loopback; it gives its folder's address, and a file with its certificate.
func shelfOf(t *testing.T, files map[string][]byte) (shelf *sim.Shelf, url, ca string) {
	t.Helper()
	cert, key, err := sim.SelfSigned("127.0.0.1")
	if err != nil {
		t.Fatal(err)
	}
	shelf = &sim.Shelf{}
	for name, b := range files {
		shelf.Put(name, b)
	}
	ln, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	if err := shelf.Serve(ln, cert, key); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = shelf.Close() })
	ca = filepath.Join(t.TempDir(), "ca.pem")
	if err := os.WriteFile(ca, []byte(cert), 0o600); err != nil {
		t.Fatal(err)
	}
	return shelf, "https://" + shelf.Addr() + "/", ca
}

// TestPlaces: drivers are picked from a place that offers them: its list is made by sha256sum itself, an archive is
// looked into and kept, another under its name is told, and nothing is kept that is not what its checksum says.
func TestPlaces(t *testing.T) {
	t.Parallel()
	old, fresh := slipArchive(t, slipINF), slipArchive(t, strings.Replace(slipINF, "1.4.2.0", "1.5.0.0", 1))
	dir := t.TempDir()
	for name, b := range map[string][]byte{"slip.zip": old, "label driver.zip": fresh, "notes.txt": []byte("none")} {
		if err := os.WriteFile(filepath.Join(dir, name), b, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	sums := func(flags ...string) []byte {
		cmd := exec.Command("sha256sum", append(flags, "slip.zip", "label driver.zip", "notes.txt")...)
		cmd.Dir = dir
		out, err := cmd.Output()
		if err != nil {
			t.Fatal(err)
		}
		return out
	}
	shelf, url, ca := shelfOf(t, map[string][]byte{"slip.zip": old, "label driver.zip": fresh, "SHA256SUMS": sums()})
	s := startService(t)
	contains(t, "none yet", s.must("driver", "place", "list"), "fetched from no place")
	contains(t, "untrusted", s.fails(cmdline.ExitUnavailable, "driver", "place", "add", "yard", "--folder", url),
		"certificate", "give its authority")
	contains(t, "tried", s.must("driver", "place", "add", "yard", "--folder", url, "--folder-ca", ca, "--dry-run"),
		"2 archives: 2 new", "nothing is kept")
	contains(t, "still none", s.must("driver", "place", "list"), "fetched from no place")
	contains(t, "added", s.must("driver", "place", "add", "yard", "--folder", url, "--folder-ca", ca, "--note",
		"the makers' own"), "label driver.zip", "slip.zip", "1 other file", "the makers' own")
	contains(t, "looked into", s.must("driver", "place", "fetch", "yard", "slip.zip", "--dry-run"), "Slip 3  v1.4",
		"1.4.2.0", "Nothing was kept")
	contains(t, "not kept", s.must("driver", "list"), "0 packages")
	contains(t, "kept", s.must("driver", "place", "fetch", "yard", "slip.zip", "--name", "slips"), "Slip 3  v1.4")
	contains(t, "its name is there to pick", s.must("driver", "names"), "Slip 3  v1.4")
	contains(t, "again", s.must("driver", "place", "fetch", "yard", "slip.zip"), "kept already, as slips")
	contains(t, "shown", s.must("driver", "place", "show", "yard"), "1 new, 0 changed, 1 kept", "looked into",
		"kept already")
	contains(t, "misspelt", s.fails(cmdline.ExitUnknown, "driver", "place", "fetch", "yard", "slips.zip"),
		"write slip.zip")

	// The list in the other form that sha256sum has, of an archive that another has taken the place of.
	if err := os.WriteFile(filepath.Join(dir, "slip.zip"), fresh, 0o600); err != nil {
		t.Fatal(err)
	}
	shelf.Put("SHA256SUMS", sums("--tag"))
	contains(t, "changed", s.must("driver", "place", "look", "yard"), "changed", "slips")
	contains(t, "still the old one there", s.fails(cmdline.ExitUnavailable, "driver", "place", "fetch", "yard",
		"slip.zip"),
		"not what its checksum says")
	shelf.Put("slip.zip", fresh)
	contains(t, "the new one", s.must("driver", "place", "fetch", "yard", "slip.zip", "--name", "slips 1.5"), "1.5.0.0")
	contains(t, "history", s.events(), "The place yard offers 1 archive that it did not before: slip.zip")

	release := shelf.Hold("label driver.zip")
	defer release()
	contains(t, "begun", s.must("driver", "place", "fetch", "yard", "label driver.zip", "--no-wait"), "is being fetched")
	contains(t, "twice", s.fails(cmdline.ExitConflict, "driver", "place", "fetch", "yard", "label driver.zip"),
		"is being fetched from yard")
	contains(t, "stopped", s.must("driver", "place", "stop", "yard", "label driver.zip"), "is being stopped")
	within(t, "its end", func() bool {
		v, err := apiclient.Get[api.PlaceOffers](t.Context(), s.c, "/api/v1/drivers/places/yard", nil)
		return err == nil && v.Place.Fetches[0].State == driver.FetchStopped
	})

	shelf.Put("SHA256SUMS", []byte("<html>sign in</html>"))
	contains(t, "no list", s.fails(cmdline.ExitInvalid, "driver", "place", "look", "yard"),
		"nothing in SHA256SUMS is a checksum")
	_ = shelf.Close()
	s.fails(cmdline.ExitUnavailable, "driver", "place", "look", "yard")
	contains(t, "away", s.must("driver", "place", "list"), "fails since", "refuses the connection")
	s.must("driver", "place", "remove", "yard")
	contains(t, "packages stay", s.must("driver", "list"), "slips 1.5", "2 packages")
}

// TestPlaceArchive: what was uploaded is known again where a place offers the same archive.
func TestPlaceArchive(t *testing.T) {
	t.Parallel()
	b := slipArchive(t, slipINF)
	file := filepath.Join(t.TempDir(), "mine.zip")
	if err := os.WriteFile(file, b, 0o600); err != nil {
		t.Fatal(err)
	}
	_, url, ca := shelfOf(t, map[string][]byte{"slip-1.4.zip": b})
	s := startService(t)
	s.must("driver", "add", file)
	contains(t, "offered", s.must("driver", "place", "add", "yard", "--folder", url, "--folder-ca", ca),
		"0 new, 0 changed, "+
			"1 kept", "mine", fmt.Sprintf("%x", sha256.Sum256(b))[:12])
}

const plainPPD = `*PPD-Adobe: "4.3"
*FormatVersion: "4.3"
*FileVersion: "1.1"
*LanguageVersion: English
*LanguageEncoding: ISOLatin1
*PCFileName: "MODEL.PPD"
*Manufacturer: "Skerrymark"
*Product: "(MODEL)"
*ModelName: "MODEL"
*ShortNickName: "MODEL plain"
*NickName: "MODEL plain"
*PSVersion: "(3010.000) 550"
*DefaultPageSize: A4
*PageSize A4: ""
`

// TestPlaceOfSpooler: what Debian's spooler brings along is listed by its exact names, picked from like any other, and
// fetched as a package.
func TestPlaceOfSpooler(t *testing.T) {
	t.Parallel()
	spooler := testkit.NewUnixSpooler(t, true)
	spooler.BringAlong(map[string]string{"mono.ppd": strings.ReplaceAll(plainPPD, "MODEL", "Skerrymark Mono 40"),
		"colour.ppd": strings.ReplaceAll(plainPPD, "MODEL", "Skerrymark Colour 20")})
	s := startService(t)
	contains(t, "added", s.must("driver", "place", "add", "quay", "--folder", spooler.URI), "2 drivers: 2 new",
		"Skerrymark Mono 40 plain", "mono.ppd")
	contains(t, "found", s.must("driver", "place", "show", "quay", "--find", "colour plain"),
		"Skerrymark Colour 20 plain")
	names := s.must("driver", "names", "--model", "Skerrymark Mono 40", "--platform", "linux/x64")
	contains(t, "picked from", names, "fits", "Skerrymark Mono 40 plain", "the spooler at quay")
	contains(t, "looked into", s.must("driver", "place", "fetch", "quay", "Skerrymark Mono 40 plain", "--dry-run"),
		"Skerrymark Mono 40 plain", "Nothing was kept")
	contains(t, "kept", s.must("driver", "place", "fetch", "quay", "Skerrymark Mono 40 plain"),
		"Skerrymark Mono 40 plain")
	contains(t, "shown", s.must("driver", "place", "show", "quay"), "1 new, 0 changed, 1 kept")
	contains(t, "from a package now", s.must("driver", "names", "--model", "Skerrymark Mono 40"),
		"1 package; the spooler at quay")
	contains(t, "misspelt", s.fails(cmdline.ExitUnknown, "driver", "place", "fetch", "quay", "Skerrymark Mono 40  plain"),
		"write Skerrymark Mono 40 plain")

	bare := testkit.NewUnixSpooler(t, true)
	contains(t, "one that cannot list", s.fails(cmdline.ExitUnavailable, "driver", "place", "add", "yard", "--folder",
		bare.URI), "cannot list its drivers")
}

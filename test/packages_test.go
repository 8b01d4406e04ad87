package test

import (
	"archive/zip"
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"cirque/core/driver"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

// folder writes files below a new folder.
func folder(t *testing.T, files map[string]string) string {
	t.Helper()
	dir := t.TempDir()
	for name, text := range files {
		p := filepath.Join(dir, name)
		if err := os.MkdirAll(filepath.Dir(p), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(p, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	return dir
}

const slipINF = "[Version]\nClass=Printer\nProvider=\"Tarnhelm\"\nDriverVer=06/30/2025,1.4.2.0\n[Manufacturer]\n\"Tarnhelm\"=T,NTamd64\n[T.NTamd64]\n\"Slip 3  v1.4\"=S,USBPRINT\\S3\n[S]\nCopyFiles=@slip.gpd\n"

// TestPackages: a package goes up as a folder or an archive, the same twice is one, its names are chosen, compared and
// reported on, and its files come back down.
func TestPackages(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory("directory: 1\nusers: [{name: mira}]\nmachines: [{name: desk-1, platform: windows/x64}, {name: " +
		"mac-1, platform: macos/arm64}]\n")
	s.publish("estate: 1\ndevices: [{name: p, uri: \"ipp://192.0.2.1/ipp/print\"}]\ndrivers: [{name: slip, exact: " +
		"\"Slip 3 v1.4\", platform: windows/x64}]\nqueues: [{name: q, devices: [p], paths: [{device: p}], drivers: " +
		"{windows/x64: slip}}]\ngrants: [{name: g, effect: place, queues: [q], on: [\"machine:desk-1\", " +
		"\"machine:mac-1\"]}]\n")
	dir := folder(t, map[string]string{"x64/slip.inf": slipINF, "x64/slip.gpd": strings.Repeat("slip ", 1000),
		"tools/extra.exe": "ballast"})
	contains(t, "add", s.must("driver", "add", dir, "--name", "slips", "--note", "for the kiosks"), "slips", "1 name")
	contains(t, "again", s.must("driver", "add", dir, "--name", "other"), "kept already")
	contains(t, "list", s.must("driver", "list"), "slips", "1 package.")
	contains(t, "show", s.must("driver", "show", "slips"), "Slip 3  v1.4", "windows/x64", "1.4.2.0")
	contains(t, "compare", s.must("driver", "compare", "Slip 3 v1.4"), "Slip 3  v1.4", "They differ at letter 8: a "+
		"space more in the second.")
	contains(t, "names", s.must("driver", "names", "--model", "Slip 3"), "*", "Slip 3  v1.4")
	report := s.must("driver", "report")
	contains(t, "report", report, "one accepts “Slip 3  v1.4”", "slip (in no package): 1 gets it", "NONE: 1 gets it",
		"Packages that nobody uses")
	out := t.TempDir()
	s.must("driver", "get", "slips", out)
	for _, f := range []string{"x64/slip.inf", "x64/slip.gpd", "tools/extra.exe"} {
		a, errA := os.ReadFile(filepath.Join(dir, f))
		b, errB := os.ReadFile(filepath.Join(out, f))
		if errA != nil || errB != nil || !bytes.Equal(a, b) {
			t.Errorf("%s came back otherwise: %v %v", f, errA, errB)
		}
	}
	bare := t.TempDir()
	s.must("driver", "get", "slips", bare, "--exact", "Slip 3  v1.4")
	if _, err := os.Stat(filepath.Join(bare, "tools/extra.exe")); err == nil {
		t.Error("the maker's ballast came along")
	}
	if _, err := os.Stat(filepath.Join(bare, "x64/slip.gpd")); err != nil {
		t.Error("the driver's own file is missing")
	}
	// Many at once with the same files keep one.
	var wg sync.WaitGroup
	more := folder(t, map[string]string{"a.inf": strings.Replace(slipINF, "v1.4\"", "v1.5\"", 1)})
	for range 4 {
		wg.Go(func() {
			if code, _, errs := s.run("driver", "add", more, "--name", "fresh"); code != cmdline.ExitOK {
				t.Error(errs)
			}
		})
	}
	wg.Wait()
	list, err := apiclient.List[driver.Package](t.Context(), s.c, "/api/v1/drivers/packages", nil)
	if err != nil || len(list) != 2 {
		t.Fatalf("%d packages %v", len(list), err)
	}
	s.publish("estate: 1\ndrivers: [{name: slip, exact: \"Slip 3  v1.4\", platform: windows/x64}]\nqueues: [{name: q, " +
		"paths: [{gateway: true}], drivers: {windows/x64: slip}}]\n")
	if code, _, errs := s.run("driver", "remove", "slips"); code != cmdline.ExitConflict || !strings.Contains(errs, "slip") {
		t.Error("a package that is used was forgotten:", code, errs)
	}
	s.must("driver", "remove", "fresh")
	contains(t, "list", s.must("driver", "list"), "1 package.")
}

// TestPackagesRefused: archives with tricks, bombs, nonsense and set-up files of other things change nothing.
func TestPackagesRefused(t *testing.T) {
	t.Parallel()
	s := startService(t)
	archive := func(name, text string) string {
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		w, err := z.Create(name)
		if err == nil {
			_, err = w.Write([]byte(text))
		}
		if err != nil || z.Close() != nil {
			t.Fatal(err)
		}
		file := filepath.Join(t.TempDir(), "p.zip")
		if err := os.WriteFile(file, b.Bytes(), 0o644); err != nil {
			t.Fatal(err)
		}
		return file
	}
	text := func(s string) string {
		file := filepath.Join(t.TempDir(), "p.zip")
		if err := os.WriteFile(file, []byte(s), 0o644); err != nil {
			t.Fatal(err)
		}
		return file
	}
	for file, says := range map[string]string{
		archive("../../x.inf", slipINF):              "leads out of the package",
		archive("a.inf", strings.Repeat("x", 4<<20)): "as no driver's file does",
		archive("readme.txt", "hello"):               "no set-up file in it names a printer",
		archive("net.inf", "[Version]\nClass=Net\n"): "no set-up file in it names a printer",
		archive("a.inf", slipINF+"Needs=S\n"):        "needs itself",
		text("not an archive at all"):                "it is no zip archive",
		text(""):                                     "it is no zip archive",
		filepath.Join(t.TempDir(), "missing.zip"):    "cannot be read",
		folder(t, nil):                               "",
	} {
		code, out, errs := s.run("driver", "add", file, "--name", "x")
		if code == cmdline.ExitOK || !strings.Contains(out+errs, says) {
			t.Errorf("%s: %d %s%s, want %q", says, code, out, errs, says)
		}
	}
	list, err := apiclient.List[driver.Package](t.Context(), s.c, "/api/v1/drivers/packages", nil)
	if err != nil || len(list) != 0 {
		t.Error("something was kept:", list, err)
	}
	var c api.Choices
	if c, err = apiclient.Get[api.Choices](t.Context(), s.c, "/api/v1/drivers/names", nil); err != nil || c.Total != 0 {
		t.Error(c, err)
	}
}

package driver_test

import (
	"archive/zip"
	"bytes"
	"compress/flate"
	"hash/crc32"
	"io"
	"io/fs"
	"math/rand/v2"
	"strings"
	"testing"

	"cirque/core/driver"
	"cirque/core/fault"
)

// packed makes an archive of names and contents.
func packed(t testing.TB, files map[string]string, change ...func(*zip.FileHeader)) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, text := range files {
		h := &zip.FileHeader{Name: name, Method: zip.Deflate}
		for _, f := range change {
			f(h)
		}
		w, err := z.CreateHeader(h)
		if err == nil {
			_, err = io.WriteString(w, text)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func TestUnpack(t *testing.T) {
	files, err := driver.Unpack(packed(t, map[string]string{"a/b.inf": "one", `a\c.ppd`: "two", "a/empty/": ""}))
	if err != nil || len(files) != 2 {
		t.Fatal(files, err)
	}
	got := map[string]string{}
	for _, f := range files {
		got[f.Path] = string(f.Data)
	}
	if got["a/b.inf"] != "one" || got["a/c.ppd"] != "two" {
		t.Error(got)
	}
}

// TestUnpackRefused: tricks and bombs are refused with a plain sentence.
func TestUnpackRefused(t *testing.T) {
	one := func(name string) []byte { return packed(t, map[string]string{name: "x"}) }
	lying := packed(t, map[string]string{"a.inf": strings.Repeat("x", 2<<20)})
	for name, c := range map[string]struct {
		b    []byte
		says string
	}{
		"no archive":         {[]byte("hello"), "it is no zip archive that can be read"},
		"nothing":            {nil, "it is no zip archive that can be read"},
		"truncated":          {one("a.inf")[:40], "it is no zip archive that can be read"},
		"empty":              {packed(t, nil), "it is empty"},
		"a way out":          {one("../../etc/passwd"), "leads out of the package"},
		"a way out, slanted": {one(`..\..\x`), "leads out of the package"},
		"a way round":        {one("a/../b"), "leads out of the package"},
		"absolute":           {one("/etc/passwd"), "is an absolute path"},
		"a drive":            {one("C:/x.inf"), "is an absolute path"},
		"a stream":           {one("a\x00b"), "has control characters in its name"},
		"long":               {one(strings.Repeat("a/", 300) + "x"), "is no path"},
		"a link": {packed(t, map[string]string{"l": "/etc/passwd"},
			func(h *zip.FileHeader) { h.SetMode(fs.ModeSymlink | 0o777) }), "is a link or a special file"},
		"a device": {packed(t, map[string]string{"d": ""}, func(h *zip.FileHeader) { h.SetMode(fs.ModeDevice) }),
			"is a link or a special file"},
		"twice":      {packed(t, map[string]string{"A.inf": "1", "a.INF": "2"}), "twice"},
		"a bomb":     {lying, "as no driver's file does"},
		"many files": {packed(t, many(driver.MaxFiles+1)), "it holds over 10000 files"},
		"damaged":    {damaged(t), "cannot be unpacked"},
	} {
		files, err := driver.Unpack(c.b)
		if err == nil || !strings.Contains(err.Error(), c.says) || files != nil {
			t.Errorf("%s: %v, want %q", name, err, c.says)
		}
		if f := fault.As(err); err != nil && f.Kind != fault.Invalid && f.Kind != fault.TooLarge {
			t.Errorf("%s: an error of another kind: %v", name, err)
		}
	}
}

func many(n int) map[string]string {
	out := map[string]string{}
	for i := range n {
		out[strings.Repeat("x", 1+i%3)+"/"+string(rune('a'+i%26))+strings.Repeat("y", i/700)+string(rune('0'+i%10))+
			string(rune('A'+i/26%26))+string(rune('a'+i/676%26))] = ""
	}
	for i := 0; len(out) < n; i++ {
		out["z"+strings.Repeat("z", i%100)+string(rune('a'+i%26))+string(rune('0'+i/26%10))] = ""
	}
	return out
}

// damaged is an archive whose only file does not fit its checksum.
func damaged(t *testing.T) []byte {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	var packed bytes.Buffer
	w, _ := flate.NewWriter(&packed, flate.BestSpeed)
	_, _ = w.Write([]byte("abc"))
	_ = w.Close()
	raw, err := z.CreateRaw(&zip.FileHeader{Name: "a.inf", Method: zip.Deflate, CRC32: crc32.ChecksumIEEE([]byte("abd")),
		CompressedSize64: uint64(packed.Len()), UncompressedSize64: 3})
	if err == nil {
		_, err = raw.Write(packed.Bytes())
	}
	if err != nil || z.Close() != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// TestSameFilesSamePackage: the digest depends on paths and contents alone, not on the archive or its order.
func TestSameFilesSamePackage(t *testing.T) {
	files := []driver.File{{Path: "b.inf", Data: []byte("2")}, {Path: "a.inf", Data: []byte("1")},
		{Path: "c.dll", Data: nil}}
	want := driver.Index(files).Digest
	r := rand.New(rand.NewPCG(3, 4))
	for range 10 {
		r.Shuffle(len(files), func(i, j int) { files[i], files[j] = files[j], files[i] })
		if got := driver.Index(files).Digest; got != want {
			t.Fatal("another digest for the same files")
		}
	}
	files[0].Data = append(files[0].Data, ' ')
	if driver.Index(files).Digest == want {
		t.Error("the same digest for other files")
	}
}

func FuzzUnpack(f *testing.F) {
	f.Add(packed(f, map[string]string{"a/b.inf": small, "c.ppd": description}))
	f.Fuzz(func(t *testing.T, b []byte) {
		files, err := driver.Unpack(b)
		if err != nil {
			return
		}
		for _, x := range files {
			if strings.HasPrefix(x.Path, "/") || strings.Contains("/"+x.Path+"/", "/../") {
				t.Error("a path leads out:", x.Path)
			}
		}
		driver.Index(files)
	})
}

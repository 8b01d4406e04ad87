package wine

import (
	"bytes"
	"debug/pe"
	"testing"
)

// TestForwarder: what is written is a library with one function, which stands in its export section.
func TestForwarder(t *testing.T) {
	t.Parallel()
	b := forwarder("bcryptprimitives.dll", "ProcessPrng", "advapi32.SystemFunction036")
	f, err := pe.NewFile(bytes.NewReader(b))
	if err != nil {
		t.Fatal(err)
	}
	h, ok := f.OptionalHeader.(*pe.OptionalHeader64)
	if !ok || f.Machine != pe.IMAGE_FILE_MACHINE_AMD64 || h.DataDirectory[0].VirtualAddress != 0x1000 || len(f.Sections) != 1 {
		t.Fatalf("%+v", f)
	}
	data, err := f.Sections[0].Data()
	if err != nil || !bytes.Contains(data, []byte("ProcessPrng\x00advapi32.SystemFunction036\x00")) {
		t.Errorf("%q %v", data, err)
	}
}

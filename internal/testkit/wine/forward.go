package wine

import (
	"bytes"
	"encoding/binary"
)

// forwarder gives a library for 64-bit Windows that has one function, which another library does (PE Format, "The .edata
// Section", export forwarding): Go programs ask for one that Wine 8 has under another name.
func forwarder(name, function, to string) []byte {
	const (
		onDisk, inMemory    = 0x200, 0x1000 // alignments, and where the one section begins
		headerAt            = 0x40
		amd64, library      = 0x8664, 0x2022 // executable, large addresses, DLL
		plus, readable      = 0x20b, 0x40000040
		console             = 3
		directories, header = 16, 240
	)
	var exports, out bytes.Buffer
	put := func(b *bytes.Buffer, values ...any) {
		for _, v := range values {
			_ = binary.Write(b, binary.LittleEndian, v) // a buffer takes everything
		}
	}
	const table = inMemory + 40 // after the directory: addresses, names, ordinals, one each
	text := uint32(table + 4 + 4 + 2)
	functionAt := text + uint32(len(name)) + 1
	toAt := functionAt + uint32(len(function)) + 1
	put(&exports, uint32(0), uint32(0), uint32(0), text, uint32(1), uint32(1), uint32(1), uint32(table), uint32(table+4),
		uint32(table+8), toAt, functionAt, uint16(0))
	exports.WriteString(name + "\x00" + function + "\x00" + to + "\x00")
	size := uint32(exports.Len())

	out.WriteString("MZ")
	out.Write(make([]byte, headerAt-6))
	put(&out, uint32(headerAt))
	out.WriteString("PE\x00\x00")
	put(&out, uint16(amd64), uint16(1), uint32(0), uint32(0), uint32(0), uint16(header), uint16(library))
	put(&out, uint16(plus), uint16(0), uint32(0), uint32(onDisk), uint32(0), uint32(0), uint32(0), uint64(0x180000000),
		uint32(inMemory), uint32(onDisk), uint16(6), uint16(0), uint32(0), uint16(6), uint16(0), uint32(0),
		uint32(2*inMemory), uint32(onDisk), uint32(0), uint16(console), uint16(0))
	for range 4 { // stack and heap
		put(&out, uint64(0x100000))
	}
	put(&out, uint32(0), uint32(directories), uint32(inMemory), size, make([]byte, 8*(directories-1)))
	out.WriteString(".edata\x00\x00")
	put(&out, size, uint32(inMemory), uint32(onDisk), uint32(onDisk), make([]byte, 12), uint32(readable))
	out.Write(make([]byte, onDisk-out.Len()))
	out.Write(exports.Bytes())
	out.Write(make([]byte, 2*onDisk-out.Len()))
	return out.Bytes()
}

package winspool

import (
	"errors"
	"fmt"
	"runtime"
	"unsafe"

	"golang.org/x/sys/windows"
)

// jobInfo1 is JOB_INFO_1W.
type jobInfo1 struct {
	id                                                   uint32
	printer, machine, user, document, datatype, text     *uint16
	status, priority, position, totalPages, pagesPrinted uint32
	submitted                                            windows.Systemtime
}

func (j *jobInfo1) job() Job {
	s := j.submitted
	return Job{ID: j.id, Document: windows.UTF16PtrToString(j.document), User: windows.UTF16PtrToString(j.user),
		Status: j.status, Text: windows.UTF16PtrToString(j.text), Pages: j.totalPages,
		Submitted: fmt.Sprintf("%04d-%02d-%02dT%02d:%02d:%02dZ", s.Year, s.Month, s.Day, s.Hour, s.Minute, s.Second)}
}

// Jobs lists what waits in a queue, in the order in which it is printed.
func Jobs(name string) (out []Job, err error) {
	err = read(name, func(h windows.Handle) error {
		var count uint32
		buf, err := grown(func(b *byte, size uint32, needed *uint32) error {
			return call(enumJobs, name, uintptr(h), 0, 0xffffffff, 1, uintptr(ptr(b)), uintptr(size),
				uintptr(ptr(needed)), uintptr(ptr(&count)))
		})
		if err != nil {
			return err
		}
		for _, j := range unsafe.Slice((*jobInfo1)(unsafe.Pointer(&buf[0])), count) {
			out = append(out, j.job())
		}
		runtime.KeepAlive(buf)
		return nil
	})
	return out, err
}

// GetJob reads a job; ok is false where it is gone.
func GetJob(name string, id uint32) (j Job, ok bool, err error) {
	err = read(name, func(h windows.Handle) error {
		buf, err := grown(func(b *byte, size uint32, needed *uint32) error {
			return call(getJob, name, uintptr(h), uintptr(id), 1, uintptr(ptr(b)), uintptr(size), uintptr(ptr(needed)))
		})
		if err != nil {
			return err
		}
		j = (*jobInfo1)(unsafe.Pointer(&buf[0])).job()
		runtime.KeepAlive(buf)
		return nil
	})
	if errors.Is(err, windows.ERROR_INVALID_PARAMETER) {
		return j, false, nil
	}
	return j, err == nil, err
}

// Print hands a document to a queue as it is, and gives the job's number.
func Print(name, title string, document []byte) (id uint32, err error) {
	err = opened(name, use, func(h windows.Handle) error {
		info := struct{ title, file, datatype *uint16 }{wide(title), nil, wide("RAW")}
		r, _, no := startDoc.Call(uintptr(h), 1, uintptr(ptr(&info)))
		if r == 0 {
			return failed(startDoc, name, no)
		}
		id = uint32(r)
		if err := call(startPage, name, uintptr(h)); err != nil {
			return err
		}
		for len(document) > 0 {
			var written uint32
			if err := call(writePrinter, name, uintptr(h), uintptr(ptr(&document[0])), uintptr(len(document)),
				uintptr(ptr(&written))); err != nil {
				return err
			}
			if written == 0 {
				return &Error{writePrinter.Name, name, windows.ERROR_WRITE_FAULT}
			}
			document = document[written:]
		}
		if err := call(endPage, name, uintptr(h)); err != nil {
			return err
		}
		return call(endDoc, name, uintptr(h))
	})
	return id, err
}

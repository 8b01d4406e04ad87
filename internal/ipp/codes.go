package ipp

import "fmt"

// An Op is an operation of a request (RFC 8011, section 5.4.15).
type Op uint16

// The operations that Cirque speaks.
const (
	PrintJob             Op = 0x0002
	ValidateJob          Op = 0x0004
	CreateJob            Op = 0x0005
	SendDocument         Op = 0x0006
	CancelJob            Op = 0x0008
	GetJobAttributes     Op = 0x0009
	GetJobs              Op = 0x000a
	GetPrinterAttributes Op = 0x000b
	HoldJob              Op = 0x000c
	ReleaseJob           Op = 0x000d
	SetJobAttributes     Op = 0x0014 // RFC 3380, section 4.2
	CancelMyJobs         Op = 0x0039 // PWG 5100.11, section 4.2; now PWG 5100.7
	CloseJob             Op = 0x003b // PWG 5100.7, section 5.1
	IdentifyPrinter      Op = 0x003c // PWG 5100.13, section 5.1
	GetPrinters          Op = 0x004f // of a system service (PWG 5100.22, section 7.2.7)
	// Of the common Unix spooler, by the numbers that it documents.
	GetDefaultQueue Op = 0x4001
	ListQueues      Op = 0x4002
	SetQueue        Op = 0x4003 // makes a queue, or changes it
	DeleteQueue     Op = 0x4004
	SetClass        Op = 0x4006 // makes a class of queues, or changes it
	DeleteClass     Op = 0x4007
	SetDefaultQueue Op = 0x400a
	ListAttached    Op = 0x400b // what its backends find; here only what is plugged in
	ListDrivers     Op = 0x400c // the descriptions of printers (PPD) that it brings along
	MoveJobs        Op = 0x400d // to another queue of the same spooler
	GetDriver       Op = 0x400f // one of them
)

// A Status is a response's outcome (RFC 8011, appendix B).
type Status uint16

// The status codes that Cirque speaks.
const (
	OK                     Status = 0x0000
	OKIgnored              Status = 0x0001
	OKConflicting          Status = 0x0002
	BadRequest             Status = 0x0400
	Forbidden              Status = 0x0401
	NotAuthenticated       Status = 0x0402
	NotAuthorized          Status = 0x0403
	NotPossible            Status = 0x0404
	NotFound               Status = 0x0406
	Gone                   Status = 0x0407
	EntityTooLarge         Status = 0x0408
	ValueTooLong           Status = 0x0409
	FormatNotSupported     Status = 0x040a
	AttributesNotSupported Status = 0x040b
	SchemeNotSupported     Status = 0x040c
	CharsetNotSupported    Status = 0x040d
	CompressionNotKnown    Status = 0x040f
	CompressionError       Status = 0x0410
	FormatError            Status = 0x0411
	AccountInfoNeeded      Status = 0x041c // PWG 5100.16, section 9.1, as are the three that follow
	AccountClosed          Status = 0x041d
	AccountLimitReached    Status = 0x041e
	AccountRefused         Status = 0x041f
	InternalError          Status = 0x0500
	OperationNotSupported  Status = 0x0501
	ServiceUnavailable     Status = 0x0502
	VersionNotSupported    Status = 0x0503
	DeviceError            Status = 0x0504
	TemporaryError         Status = 0x0505
	NotAcceptingJobs       Status = 0x0506
	Busy                   Status = 0x0507
	JobCanceled            Status = 0x0508
	SeveralDocuments       Status = 0x0509
)

var statusWords = map[Status]string{OK: "successful-ok", OKIgnored: "successful-ok-ignored-or-substituted-attributes",
	BadRequest: "client-error-bad-request",
	Forbidden:  "client-error-forbidden", NotAuthenticated: "client-error-not-authenticated",
	NotAuthorized:       "client-error-not-authorized",
	OKConflicting:       "successful-ok-conflicting-attributes",
	NotPossible:         "client-error-not-possible",
	Gone:                "client-error-gone",
	EntityTooLarge:      "client-error-request-entity-too-large",
	ValueTooLong:        "client-error-request-value-too-long",
	SchemeNotSupported:  "client-error-uri-scheme-not-supported",
	CompressionNotKnown: "client-error-compression-not-supported",
	CompressionError:    "client-error-compression-error",
	FormatError:         "client-error-document-format-error",
	AccountInfoNeeded:   "client-error-account-info-needed",
	AccountClosed:       "client-error-account-closed",
	AccountLimitReached: "client-error-account-limit-reached",
	AccountRefused:      "client-error-account-authorization-failed",
	TemporaryError:      "server-error-temporary-error",
	JobCanceled:         "server-error-job-canceled",
	SeveralDocuments:    "server-error-multiple-document-jobs-not-supported",
	NotFound:            "client-error-not-found", FormatNotSupported: "client-error-document-format-not-supported",
	AttributesNotSupported: "client-error-attributes-or-values-not-supported",
	CharsetNotSupported:    "client-error-charset-not-supported",
	InternalError:          "server-error-internal-error", OperationNotSupported: "server-error-operation-not-supported",
	ServiceUnavailable: "server-error-service-unavailable", VersionNotSupported: "server-error-version-not-supported",
	DeviceError: "server-error-device-error", NotAcceptingJobs: "server-error-not-accepting-jobs",
	Busy: "server-error-busy"}

// String gives the keyword of RFC 8011, or the number.
func (s Status) String() string {
	if w, ok := statusWords[s]; ok {
		return w
	}
	return fmt.Sprintf("status-0x%04x", uint16(s))
}

// Successful says whether the operation was done (RFC 8011, section 4.1.6.2).
func (s Status) Successful() bool { return s < 0x0100 }

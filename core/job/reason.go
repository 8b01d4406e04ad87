package job

// Reasons for a job's state, by IPP's keywords (RFC 8011, section 5.3.8; PWG 5100.11, 5100.16).
const (
	Incoming           = "job-incoming"
	ReleaseWait        = "job-release-wait"             // for its owner's release
	HoldUntil          = "job-hold-until-specified"     // for hours, or because somebody holds it
	AwaitsOwner        = "job-held-for-review"          // nobody knows whose it is
	PrinterStopped     = "printer-stopped"              // the device has
	StoppingPoint      = "processing-to-stop-point"     // it is being cancelled at the device
	LimitReached       = "account-limit-reached"        // an allowance is spent
	AccountNeeded      = "account-info-needed"          // a charge is wanted
	AccountRefused     = "account-authorization-failed" // its owner may not charge to that
	Successful         = "job-completed-successfully"
	WithWarnings       = "job-completed-with-warnings"
	CanceledByUser     = "job-canceled-by-user"
	CanceledByOperator = "job-canceled-by-operator"
	CanceledAtDevice   = "job-canceled-at-device"
	AbortedBySystem    = "aborted-by-system"
	WithErrors         = "job-completed-with-errors"
	Printing           = "job-printing"
	Transforming       = "job-transforming"
	Queued             = "job-queued"
	Suspended          = "resources-are-not-ready" // its queue takes it nowhere just now
	Unsupported        = "unsupported-document-format"
	DeviceBusy         = "job-outgoing"
)

var sentences = map[string]string{
	Incoming:           "its document is still arriving",
	ReleaseWait:        "it waits for its owner, who has it printed at a device",
	HoldUntil:          "it waits",
	AwaitsOwner:        "nobody knows whose it is: an administrator says so",
	PrinterStopped:     "the device has stopped",
	StoppingPoint:      "it is being cancelled at the device",
	LimitReached:       "its owner's allowance is spent",
	AccountNeeded:      "it is to be said what it is charged to",
	AccountRefused:     "its owner may not charge to that",
	Successful:         "all of it is printed",
	WithWarnings:       "it is printed, and the device says that not all was as asked for",
	WithErrors:         "the device printed it with errors",
	CanceledByUser:     "its owner cancelled it",
	CanceledByOperator: "somebody who looks after the queue cancelled it",
	CanceledAtDevice:   "it was cancelled at the device",
	AbortedBySystem:    "it could not be printed",
	Printing:           "it is being printed",
	Transforming:       "it is being made ready for the device",
	Queued:             "it waits for a device",
	Suspended:          "its queue leads nowhere just now",
	Unsupported:        "no device behind its queue takes such a document",
	DeviceBusy:         "it is on its way to the device",
}

// Sentence says a reason to people; "" for one that Cirque does not know.
func Sentence(reason string) string { return sentences[reason] }

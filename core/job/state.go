package job

import "fmt"

// A State is where a job stands (RFC 8011, section 5.3.7).
type State string

// The states, by IPP's keywords. A job that is not there yet has none.
const (
	None              State = ""
	Pending           State = "pending"
	PendingHeld       State = "pending-held"
	Processing        State = "processing"
	ProcessingStopped State = "processing-stopped"
	Completed         State = "completed"
	Canceled          State = "canceled"
	Aborted           State = "aborted"
)

// States are all of them, in the order of a job's life.
func States() []State {
	return []State{Pending, PendingHeld, Processing, ProcessingStopped, Completed, Canceled, Aborted}
}

// Done says whether nothing happens to the job any more.
func (s State) Done() bool { return s == Completed || s == Canceled || s == Aborted }

// An Event is what happens to a job.
type Event string

// The events.
const (
	Create  Event = "create"  // it is announced, and its document is to come
	Arrive  Event = "arrive"  // its document is there, whole
	Hold    Event = "hold"    // it is to wait: for its owner, for hours, for pages, or for somebody's decision
	Release Event = "release" // it waits for nobody any more
	Send    Event = "send"    // a sender takes it to a device
	Begin   Event = "begin"   // its first byte is about to go there
	Stream  Event = "stream"  // it goes straight through to a device
	Return  Event = "return"  // nothing of it has come out, and it is to be sent again
	Stop    Event = "stop"    // the device stopped in the middle, or it is not known what became of it
	Resume  Event = "resume"  // the device goes on with it
	Note    Event = "note"    // the device, or somebody, says more of it
	Finish  Event = "finish"  // the device has printed all of it
	Cancel  Event = "cancel"  // somebody ends it
	Abort   Event = "abort"   // it cannot be printed
	Expire  Event = "expire"  // it has waited too long
)

// Events are all of them.
func Events() []Event {
	return []Event{Create, Arrive, Hold, Release, Send, Begin, Stream, Return, Stop, Resume, Note, Finish, Cancel, Abort,
		Expire}
}

// next is the whole life of a job:
//
//	        create/arrive          send            finish
//	(none) ───────────▶ pending ────────▶ processing ─────▶ completed
//	                    ▲    │ ▲             │ ▲    ▲
//	                    │hold│ │return       │ │    │ stream
//	             release│    ▼ └─────────────┤ │    └── (none)
//	                  pending-held       stop▼ │resume
//	                                  processing-stopped
//
// and from each of these cancel leads to canceled, abort and expire lead to aborted.
var next = map[State]map[Event]State{
	None: {Create: Pending, Arrive: Pending, Hold: PendingHeld, Stream: Processing},
	Pending: {Arrive: Pending, Hold: PendingHeld, Send: Processing, Note: Pending, Cancel: Canceled, Abort: Aborted,
		Expire: Aborted},
	PendingHeld: {Hold: PendingHeld, Release: Pending, Note: PendingHeld, Cancel: Canceled, Abort: Aborted,
		Expire: Aborted},
	Processing: {Begin: Processing, Return: Pending, Hold: PendingHeld, Stop: ProcessingStopped, Resume: Processing,
		Note: Processing, Finish: Completed, Cancel: Canceled, Abort: Aborted},
	ProcessingStopped: {Return: Pending, Hold: PendingHeld, Stop: ProcessingStopped, Resume: Processing,
		Note: ProcessingStopped, Finish: Completed, Cancel: Canceled, Abort: Aborted, Expire: Aborted},
	Completed: {}, Canceled: {}, Aborted: {},
}

// A TransitionError is an event that cannot happen to a job in a state.
type TransitionError struct {
	From  State
	Event Event
}

func (e *TransitionError) Error() string {
	return fmt.Sprintf("a job that is %s cannot %s", e.From, e.Event)
}

// On gives the state after an event. On error, always a *TransitionError, the state is unchanged.
func (s State) On(e Event) (State, error) {
	to, ok := next[s][e]
	if !ok {
		return s, &TransitionError{s, e}
	}
	return to, nil
}

package windows

import (
	"errors"
	"fmt"
)

// ErrNoRights is the error of a system that keeps no rights of queues.
var ErrNoRights = errors.New("this system's spooler keeps no rights of queues")

// rightsOf are a queue's rights as a security descriptor in SDDL: those that the system gives a new queue, with one
// person for everybody where it is that person's, and nobody printing where it is closed. Who administers the machine
// may administer it all the same. SW is to use a printer, LC to administer it (winspool.h).
func rightsOf(sid string, closed bool) string {
	who := "(A;;SWRC;;;WD)(A;;SWRC;;;AC)"
	if sid != "" {
		who = fmt.Sprintf("(A;;SWRC;;;%s)", sid)
	}
	deny := ""
	if closed {
		deny = "(D;;SW;;;WD)(D;;SW;;;AC)"
	}
	return "O:SYG:SYD:P" + deny + "(A;;LCSWSDRCWDWO;;;SY)(A;;LCSWSDRCWDWO;;;BA)(A;OIIO;RPWPSDRCWDWO;;;BA)" + who +
		"(A;OIIO;RPWPSDRCWDWO;;;CO)"
}

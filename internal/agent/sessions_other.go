//go:build !linux && !windows && !darwin

package agent

import "os"

// signedIn gives nobody: here the system does not tell a service who is signed in.
func signedIn() (list []Session, ok bool) { return nil, os.Geteuid() == 0 }

package app

import (
	"errors"
	"testing"
)

// TestTogether: each of two that wait for the other ends, and what both say is told.
func TestTogether(t *testing.T) {
	t.Parallel()
	a, b := make(chan bool), make(chan bool)
	one, two := errors.New("one"), errors.New("two")
	c := closers{func() error { close(a); <-b; return one }, func() error { close(b); <-a; return two }}
	if err := c.together(); !errors.Is(err, one) || !errors.Is(err, two) || len(c) != 0 {
		t.Errorf("%v, %d left", err, len(c))
	}
}

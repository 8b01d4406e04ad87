package test

import (
	"strings"
	"testing"

	"cirque/core/access"
	"cirque/core/endpoint"
)

// TestAttachedPrinter: a printer that is plugged into a machine is told by its agent, adopted without typing its
// address, reaches the people of that machine alone, and is followed to another machine by its serial number.
func TestAttachedPrinter(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(twoPeople)
	s.publish("estate: 1\nqueues: [{name: lobby, paths: [{gateway: true}]}]\n" +
		"grants: [{name: all, effect: place, queues: [lobby], to: [everyone]}]\n")
	const plugged = "attached: [{uri: \"usb://Skerrymark/Slip%203?serial=SK-3\", model: Skerrymark Slip 3, serial: " +
		"SK-3, languages: [TEXT], printer: true}, {uri: \"serial:/dev/ttyS0?baud=9600\"}]\n"
	one, two := newDesk(t, deskOne+plugged), newDesk(t, strings.Replace(deskOne, "desk-1", "desk-2", 1)+plugged)
	one.run(s.URL, s.tokenFor("one", access.Agent, "desk-1"))
	s.reaches("desk-1", endpoint.Converged)
	contains(t, "what is plugged in", s.must("endpoint", "attached", "desk-1"), "usb://Skerrymark/Slip%203?serial=SK-3",
		"Skerrymark Slip 3  SK-3", "TEXT", "none", "serial:/dev/ttyS0?baud=9600", "unknown",
		"cirque adopt --attached desk-1")
	s.must("adopt", "--attached", "desk-1")
	out := s.must("draft")
	contains(t, "adopted", out, "skerrymark-slip-3-desk-1")
	s.must("grant", "set", "all", "queues+=skerrymark-slip-3-desk-1")
	s.must("publish", "-m", "the slip printer", "--yes")
	e := s.reaches("desk-1", endpoint.Converged)
	within(t, "it is installed where it is plugged in", func() bool {
		return strings.Contains(s.must("endpoint", "show", "desk-1"), "usb://Skerrymark/Slip%203?serial=SK-3")
	})
	if e.Report.Attached == nil {
		t.Error("the report does not tell")
	}
	contains(t, "the device", s.must("endpoint", "attached", "desk-1"), "skerrymark-slip-3-desk-1")
	contains(t, "what is left", s.must("checklist", "skerrymark-slip-3-desk-1"),
		"done      Does its device skerrymark-slip-3-desk-1 answer? it is plugged into desk-1, as that looked",
		"done      Does somebody receive it? given by all",
		"done      Has everybody it who is to have it? on 1 of 1 endpoint",
		"unproven  Was a test page sent")
	contains(t, "of the set-up", s.must("checklist"), "done      Do machines follow? 1 endpoint",
		"to do     Is somebody told of faults?")
	if code, _, errs := s.run("checklist", "nope"); code == 0 || !strings.Contains(errs, "nope") {
		t.Error(code, errs)
	}
	if code, out, _ := s.run("why", "skerrymark-slip-3-desk-1", "--user", "mira", "--machine", "desk-2"); code != 8 {
		t.Error(code, out)
	} else {
		contains(t, "elsewhere", out, "is plugged into desk-1, and serves nobody elsewhere", "sit at desk-1")
	}
	for _, args := range [][]string{{"device", "read", "skerrymark-slip-3-desk-1"}, {"device", "line",
		"skerrymark-slip-3-desk-1"}, {"device", "test", "skerrymark-slip-3-desk-1"}} {
		if code, _, errs := s.run(args...); code == 0 || !strings.Contains(errs, "plugged into desk-1") {
			t.Errorf("%v: %d %s", args, code, errs)
		}
	}
	// It was carried to the next desk.
	two.run(s.URL, s.tokenFor("two", access.Agent, "desk-2"))
	s.reaches("desk-2", endpoint.Converged)
	contains(t, "moved", s.must("endpoint", "attached", "desk-2"), "the estate has it plugged into desk-1",
		"cirque draft set device skerrymark-slip-3-desk-1 machine=desk-2")
	if out := s.must("adopt", "--attached", "desk-2", "--all", "--dry-run"); strings.Contains(out, "slip-3-desk-2 (") {
		t.Error("it is proposed as another device:", out)
	}
	code, _, errs := s.run("adopt", "--attached", "desk-9")
	if code == 0 {
		t.Error(errs)
	}
}

package agent_test

import (
	"os"
	"slices"
	"testing"

	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/internal/agent"
	"cirque/internal/testkit"
)

// TestAttached: what is plugged into a machine is told with its serial number, as the spooler's backend has it, and a
// queue by that address prints there.
func TestAttached(t *testing.T) {
	t.Parallel()
	server := testkit.NewUnixSpooler(t, false)
	u, _ := unix(t, server)
	const uri = "usb://Skerrymark/Slip%203?serial=SK-3"
	printed := server.Plug(uri, "Skerrymark Slip 3", "MFG:Skerrymark;MDL:Slip 3;CMD:TEXT,PWGRaster;CLS:PRINTER;SN:SK-3;")
	got, err := u.Attached(t.Context())
	if err != nil || len(got) != 1 || got[0].URI != uri || got[0].Model != "Skerrymark Slip 3" ||
		got[0].Serial != "SK-3" ||
		!slices.Equal(got[0].Languages, []string{"TEXT", "PWGRaster"}) || got[0].Printer == nil || !*got[0].Printer {
		t.Fatalf("%+v %v", got, err)
	}
	if err := u.Add(t.Context(), endpoint.Want{Queue: "slips", Title: "Slips", URI: uri,
		Driver: estate.Driverless}); err != nil {
		t.Fatal(err)
	}
	says, done, err := u.TestPage(t.Context(), "slips", "", agent.Page{Lines: []string{"A slip."}})
	if err != nil || !done {
		t.Fatalf("%s %v %v", says, done, err)
	}
	if b, err := os.ReadFile(printed); err != nil || len(b) == 0 { // the job is done, and so is its backend
		t.Errorf("nothing came out of the port: %q %v", b, err)
	}
}

package agent

import (
	"errors"
	"fmt"
	"testing"
	"time"

	"cirque/core/endpoint"
)

// TestFailureCause: it is for want of a driver where the error says so by its kind, whatever its words.
func TestFailureCause(t *testing.T) {
	t.Parallel()
	step := endpoint.Step{Do: "add", Want: endpoint.Want{Queue: "hall"}}
	for want, err := range map[string]error{endpoint.CauseDriver: fmt.Errorf("add: %w", endpoint.NoDriver{Err: errors.New("none fits")}),
		"": errors.New("the driver of the bus is asleep")} {
		if f := failureAfter(failure{}, step, err, time.Now()); f.Cause != want || f.Says != err.Error() {
			t.Errorf("%v: %+v", err, f)
		}
	}
}

package directory

import (
	"fmt"
	"testing"

	"cirque/core/fault"
)

func TestCheckNesting(t *testing.T) {
	t.Parallel()
	chain := func(n int) Records {
		var r Records
		for i := range n {
			r.Groups = append(r.Groups, Group{Name: fmt.Sprint("g", i), Members: []string{fmt.Sprint("group:g", (i+1)%n)}})
		}
		return r
	}
	if err := chain(3000).CheckNesting(); err != nil {
		t.Error(err)
	}
	if err := chain(20000).CheckNesting(); err == nil || fault.As(err).Code != "nesting-too-large" {
		t.Errorf("a circle of 20,000 groups: %v", err)
	}
	if err := (Records{}).CheckNesting(); err != nil {
		t.Error(err)
	}
}

package cli

import (
	"github.com/spf13/cobra"

	"cirque/internal/cmdline"
)

// allowanceCommand are the commands for how many pages people may print.
func allowanceCommand(r *root) *cobra.Command {
	o := objectsOf{r, "allowances", []string{"to", "queues", "pages", "every", "over"}}
	return cmdline.Group("allowance", "How many pages people may print, on which queues and in which time", o.all()...)
}

// chargeCommand are the commands for what jobs can be charged to.
func chargeCommand(r *root) *cobra.Command {
	o := objectsOf{r, "charges", []string{"title", "to"}}
	return cmdline.Group("charge", "What jobs can be charged to, and who may charge to it", o.all()...)
}

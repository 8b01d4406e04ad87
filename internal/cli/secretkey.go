package cli

import (
	"fmt"
	"io"

	"github.com/spf13/cobra"

	"cirque/core/fault"
	"cirque/internal/cmdline"
)

// secretKeyCommand is about the keys that seal what is secret.
func secretKeyCommand(r *root) *cobra.Command {
	var o ServeOptions
	one := func(use, short, long string, takes cobra.PositionalArgs, change func(a []string) SecretKeyChange,
		says string) *cobra.Command {
		c := &cobra.Command{Use: use, Short: short, Long: long, Args: takes,
			RunE: func(c *cobra.Command, a []string) error {
				if o.Data == "" {
					return usagef("say where the data is, with --data")
				}
				what := change(a)
				keys, err := r.local.SecretKeys(c.Context(), o, what)
				if f := fault.As(err); f != nil && (f.Code != "not-heard" || len(keys.Keys) == 0) {
					return err
				}
				return r.print(c, keys, func(w io.Writer) { secretKeysSay(w, r, keys, says) })
			}}
		besideFlags(c, &o)
		return c
	}
	force := false
	forget := one("forget ID --data DIR", "Forget a former key, once nothing is sealed with it",
		`Forget a key that is not the current one, once nothing is sealed with it any more. Agents that have not
asked since it was current know the service's answers by it, and are enrolled again then: wait for
as long as machines are away.`, cmdline.Args(1, 1), func(a []string) SecretKeyChange {
			return SecretKeyChange{Do: "forget", ID: a[0], Force: force}
		}, "It is forgotten.")
	forget.Flags().BoolVar(&force, "force", false, "also where something is sealed with it, which is lost then")
	list := one("list --data DIR", "The keys that lie beside the data, and what is sealed with each",
		`List the keys that lie beside the data, without what they are, and how much of what is kept (stored
sign-ins, passwords of directories, second factors) is sealed with each.`, cmdline.Args(0, 0),
		func([]string) SecretKeyChange { return SecretKeyChange{} }, "")
	prepare := one("prepare --data DIR", "Make the next key, which opens only", `Make the next key, which opens and does `+
		`not seal yet. Where several services run on one database, copy
the file secret-key to all of them then, and rotate on each.`, cmdline.Args(0, 0),
		func([]string) SecretKeyChange { return SecretKeyChange{Do: "prepare"} },
		"The next key is there. Copy the file secret-key to every service, then rotate on each.")
	rotate := one("rotate --data DIR", "Go on with the next key, or a new one, while the service runs",
		`Go on with the next key, or with a new one where none was prepared. A running service takes it within
seconds, seals anew what the former one has sealed, and hands its agents over to the key of answers
that follows from it: nothing is entered again, and no machine is enrolled again. The former key
goes on opening until it is forgotten.`, cmdline.Args(0, 0),
		func([]string) SecretKeyChange { return SecretKeyChange{Do: "rotate"} },
		"The current key is another one. Forget the former once nothing is sealed with it and all agents have asked since.")
	return cmdline.Group("secret-key", "The keys that seal what is secret, beside the data", list, prepare, rotate, forget)
}

func secretKeysSay(w io.Writer, r *root, keys SecretKeys, says string) {
	t := r.table("KEY", "STATE", "SINCE", "SEALS")
	for _, k := range keys.Keys {
		since := "the beginning"
		if k.Since != nil {
			since = r.zone().At(*k.Since)
		}
		t.add(k.ID, k.State, since, fmt.Sprint(k.Seals))
	}
	t.write(w)
	if keys.Lost > 0 {
		fmt.Fprintf(w, "%d of what is kept can be opened with none of them: put the key back, or enter it anew.\n", keys.Lost)
	}
	if says != "" {
		fmt.Fprintln(w, says)
	}
}

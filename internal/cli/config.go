package cli

import (
	"fmt"
	"maps"
	"net/url"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"go.yaml.in/yaml/v3"

	"cirque/core/fault"
	"cirque/core/name"
)

// configFlag has a command take flags out of a settings file, too: only those named, all where none is. A flag that was
// typed counts before the file.
func configFlag(c *cobra.Command, only ...string) {
	var file string
	c.Flags().StringVar(&file, "config", "", "a settings file: the names of serve's flags, and their values, in YAML; "+
		"what is typed counts before it")
	before := c.PreRunE
	c.PreRunE = func(c *cobra.Command, args []string) error {
		if file != "" {
			if err := readConfig(c.Flags(), file, only); err != nil {
				return err
			}
		}
		if before != nil {
			return before(c, args)
		}
		return nil
	}
}

func readConfig(flags *pflag.FlagSet, file string, only []string) error {
	b, err := readFile("the settings", file)
	if err != nil {
		return err
	}
	settings := map[string]yaml.Node{}
	if err := yaml.Unmarshal(b, &settings); err != nil {
		return fault.New(fault.Invalid, "settings-broken", "write KEY: VALUE, a line each", "%s cannot be read: %v", file,
			err)
	}
	var wrong []error
	for _, key := range slices.Sorted(maps.Keys(settings)) {
		if len(only) > 0 && !slices.Contains(only, key) {
			continue
		}
		if err := setFrom(flags, file, key, settings[key]); err != nil {
			wrong = append(wrong, err)
		}
	}
	if len(wrong) == 1 {
		return wrong[0]
	}
	if len(wrong) > 0 {
		e := fault.New(fault.Invalid, "settings-broken", "mend them, and start again", "%s has %d mistakes", file, len(wrong))
		for _, w := range wrong {
			f := fault.As(w)
			e.Details = append(e.Details, fault.Detail{What: f.What, Fix: f.Fix})
		}
		return e
	}
	return open(flags, file)
}

// setFrom sets one flag that was not typed.
func setFrom(flags *pflag.FlagSet, file, key string, value yaml.Node) error {
	at := fmt.Sprintf("%s, line %d", file, value.Line)
	f := flags.Lookup(key)
	if f == nil || key == "config" || key == "help" {
		var names []string
		flags.VisitAll(func(f *pflag.Flag) { names = append(names, f.Name) })
		return fault.New(fault.Invalid, "settings-key", name.DidYouMean(name.Near(key, slices.Values(names), 3),
			"the help of cirque serve lists what there is, without the dashes"), "%s: there is no setting %s", at, key)
	}
	if f.Changed {
		return nil
	}
	text := value.Value
	switch value.Kind {
	case yaml.ScalarNode:
	case yaml.SequenceNode:
		var list []string
		if err := value.Decode(&list); err != nil {
			return fault.New(fault.Invalid, "settings-value", "write a list of texts", "%s: %s is no list", at, key)
		}
		text = strings.Join(list, ",")
	default:
		return fault.New(fault.Invalid, "settings-value", "write one value, or a list", "%s: %s has no value", at, key)
	}
	if err := flags.Set(key, text); err != nil {
		return fault.New(fault.Invalid, "settings-value", "see the help of cirque serve", "%s: %q is no %s: %v", at, text,
			key, err)
	}
	return nil
}

// open refuses a file that everybody may read though a password stands in it.
func open(flags *pflag.FlagSet, file string) error {
	f := flags.Lookup("database")
	if f == nil {
		return nil
	}
	u, err := url.Parse(f.Value.String())
	if err != nil || u.User == nil {
		return nil
	}
	_, password := u.User.Password()
	if info, err := os.Stat(file); err == nil && password && info.Mode().Perm()&0o004 != 0 {
		return fault.New(fault.Invalid, "secret-open", "chmod 640 "+file, "%s may be read by everybody (%04o), and holds "+
			"the database's password", file, info.Mode().Perm())
	}
	return nil
}

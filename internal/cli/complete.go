package cli

import (
	"encoding/json"
	"fmt"
	"net/url"
	"regexp"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"cirque/core/access"
	"cirque/core/bulk"
	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

// What can be completed: a word of a command's use, such as QUEUE, or a flag, by its name. Names come from the service,
// within a moment or not at all.

// completeWithin is how long a shell waits for the service.
const completeWithin = 2 * time.Second

// mostCompleted is how many names a shell is given.
const mostCompleted = 200

type completion = func(r *root, c *cobra.Command, word string) ([]cobra.Completion, cobra.ShellCompDirective)

// searched completes names of these kinds, as the search for names finds them.
func searched(kinds ...string) completion {
	return func(r *root, c *cobra.Command, word string) ([]cobra.Completion, cobra.ShellCompDirective) {
		return r.complete(c, word, "/api/v1/search", url.Values{"kind": kinds, "word": {word}}, "name", "says")
	}
}

// listed completes what a field of a list's objects holds.
func listed(path, field, says string) completion {
	return func(r *root, c *cobra.Command, word string) ([]cobra.Completion, cobra.ShellCompDirective) {
		return r.complete(c, word, path, url.Values{}, field, says)
	}
}

// oneOf completes fixed values.
func oneOf(values ...string) completion {
	return func(_ *root, _ *cobra.Command, _ string) ([]cobra.Completion, cobra.ShellCompDirective) {
		return values, cobra.ShellCompDirectiveNoFileComp
	}
}

// keptServers completes the servers that are kept.
var keptServers = listed(keptPath, "server", "says")

func files(*root, *cobra.Command, string) ([]cobra.Completion, cobra.ShellCompDirective) {
	return nil, cobra.ShellCompDirectiveDefault
}

func folders(*root, *cobra.Command, string) ([]cobra.Completion, cobra.ShellCompDirective) {
	return nil, cobra.ShellCompDirectiveFilterDirs
}

// anything is said to be so: a reason, a pattern, a new name.
func anything(*root, *cobra.Command, string) ([]cobra.Completion, cobra.ShellCompDirective) {
	return nil, cobra.ShellCompDirectiveNoFileComp
}

func (r *root) complete(c *cobra.Command, word, path string, q url.Values, field, says string) ([]cobra.Completion,
	cobra.ShellCompDirective) {
	client, err := r.client()
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	client.AnswerWithin(completeWithin)
	q.Set("limit", fmt.Sprint(mostCompleted))
	list, err := apiclient.Page[map[string]json.RawMessage](c.Context(), client, path, q)
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	var out []cobra.Completion
	for _, row := range list.Items {
		var text, tells string
		if json.Unmarshal(row[field], &text) != nil {
			text = string(row[field]) // a number
		}
		_ = json.Unmarshal(row[says], &tells) // nothing is told of it
		if text != "" && strings.HasPrefix(strings.ToLower(text), strings.ToLower(word)) {
			out = append(out, cobra.CompletionWithDesc(text, strings.ReplaceAll(tells, "\n", " ")))
		}
	}
	return out, cobra.ShellCompDirectiveNoFileComp
}

// listWords are the lists of the estate, as one word for one object.
func listWords() []string {
	var out []string
	for _, l := range estate.Lists() {
		out = append(out, estate.Word(l))
	}
	return out
}

func platforms() []string {
	return []string{"windows/x64", "windows/x86", "windows/arm64", "macos/arm64", "macos/x64", "linux/x64", "linux/arm64",
		"chromeos/x64", "ios/arm64", "android/arm64"}
}

// inDraft completes the names of a list's objects, as one's draft has them.
func inDraft(list string) completion {
	return func(r *root, c *cobra.Command, word string) ([]cobra.Completion, cobra.ShellCompDirective) {
		return r.complete(c, word, objectsPath, url.Values{"list": {list}}, "name", "change")
	}
}

// keysIn completes the keys that objects of a list have, up to the sign after which the value stands.
func keysIn(list string) completion {
	return func(_ *root, _ *cobra.Command, _ string) ([]cobra.Completion, cobra.ShellCompDirective) {
		var out []cobra.Completion
		for _, of := range bulk.KeysIn(list) {
			for _, k := range of.Keys {
				out = append(out, cobra.CompletionWithDesc(k.Name+"=", k.Doc))
			}
		}
		return out, cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveNoSpace
	}
}

// words are the words of uses; a command's path and a word go before the word alone.
func wordCompletions() map[string]completion {
	return map[string]completion{
		"QUEUE": searched("queue"), "GRANT": searched("grant"), "SERVER": searched("server"), "DEVICE": searched("device"),
		"MACHINE": searched("machine", "station"), "PERSON": searched("user"), "FILE": files, "FOLDER": folders,
		"ARCHIVE|FOLDER": files, "DIR": folders, "SOURCE": listed("/api/v1/directory/sources", "name", "url"),
		"JOB": anything, "SET": searched("server set"),
		"VERSION":                        listed(agentPackagesPath, "version", "file"),
		"endpoint package remove DIGEST": listed(agentPackagesPath, "file", "digest"),
		"PACKAGE":                        listed("/api/v1/drivers/packages", "name", ""),
		"person NAME":                    searched("user"),
		"personal-data export NAME":      searched("user"), "personal-data erase NAME": searched("user"),
		"machine NAME": searched("machine", "station"), "server set NAME": searched("server set"),
		"account NAME": listed("/api/v1/accounts", "name", "role"), "token NAME": listed("/api/v1/tokens", "name", "role"),
		"token create NAME": anything, "account add NAME": anything, "credential add NAME": anything,
		"credential NAME": listed("/api/v1/credentials", "name", "kind"),
		"snapshot NAME":   listed("/api/v1/snapshots", "name", "note"), "snapshot take NAME": anything,
		"directory source NAME":     listed("/api/v1/directory/sources", "name", "url"),
		"directory source add NAME": anything, "notice NAME": listed("/api/v1/notices", "name", "title"),
		"enrol token NAME": anything, "enrol end-token NAME": listed("/api/v1/enrolment-tokens", "name", "site"),
		"enrol revoke MACHINE": listed("/api/v1/enrolments", "machine", "site"),
		"endpoint MACHINE":     listed("/api/v1/endpoints", "machine", "location"),
		"request ID":           listed("/api/v1/requests", "id", "person"), "draft take NAME": anything,
		"account sessions ID":  anything,
		"failover-test NUMBER": listed("/api/v1/failover-tests", "id", "server"),
		"note NAME":            searched("user", "machine", "station"), "TEXT": anything,
		"undo REVISION": listed("/api/v1/revisions", "number", "reason"), "undo NAME": anything,
		"history NAME":  anything,
		"revert NUMBER": listed("/api/v1/revisions", "number", "reason"),
		"diff FROM":     listed("/api/v1/revisions", "number", "reason"), "diff TO": listed("/api/v1/revisions",
			"number", "reason"),
		"device remove NAME": listed("/api/v1/stock/devices", "name", "title"),
		"server remove NAME": listed("/api/v1/stock/servers", "name", "title"),
		"server SERVER":      listed("/api/v1/stock/servers", "name", "title"), "server kept SERVER": keptServers,
		"server why SERVER": keptServers, "server take SERVER": keptServers,
		"server forget-keeper MACHINE": listed(keptPath, "machine", "says"),
		"device DEVICE":                listed("/api/v1/stock/devices", "name", "title"), "MODEL": anything,
		"directory link NAME": searched("user"), "directory link OTHER": searched("user"),
		"directory unlink NAME":  searched("user"),
		"directory unlink OTHER": searched("user"), "driver place add NAME": anything,
		"driver place NAME": listed(placesPath, "name", "url"), "driver place PLACE": listed(placesPath, "name", "url"),
		"driver compare NAME": listed("/api/v1/drivers/names", "exact", "platform"),
		"LOCATION":            inDraft("locations"), "SUBNET": inDraft("subnets"), "STATION": inDraft("stations"),
		"PROMISE": inDraft("promises"), "promise KEY": keysIn("promises"), "NOTICE": inDraft("notices"),
		"CHARGE": inDraft("charges"), "charge KEY": keysIn("charges"), "ALLOWANCE": inDraft("allowances"),
		"allowance KEY": keysIn("allowances"),
		"SETTING":       oneOf(estate.SettingNames()...), "NEW": anything, "draft KEY": anything,
		"grant KEY": keysIn("grants"), "location KEY": keysIn("locations"), "subnet KEY": keysIn("subnets"),
		"station KEY": keysIn("stations"), "notice KEY": keysIn("notices"), "queue KEY": keysIn("queues"),
		"setting KEY": keysIn("settings"),
		"health NAME": searched("server", "device"), "health server|device": oneOf("server", "device"),
		"LIST": oneOf(listWords()...), "draft NAME": searched("queue", "grant", "location", "station", "server",
			"server set", "device", "driver", "subnet"),
	}
}

// flagCompletions are those of flags; a command's path and a flag go before the flag alone.
func flagCompletions() map[string]completion {
	sites := searched("location")
	roles := []string{}
	for _, r := range access.Roles() {
		roles = append(roles, string(r))
	}
	return map[string]completion{
		"output": oneOf(cmdline.Table, cmdline.JSON, cmdline.YAML), "user": searched("user"), "queue": searched("queue"),
		"machine": searched("machine", "station"), "host": searched("machine"), "location": sites, "site": sites,
		"session": oneOf("desktop", "remote", "virtual", "mobile", "browser"), "platform": oneOf(platforms()...),
		"server": searched("server"), "from-server": searched("server"), "device": searched("device"),
		"role": oneOf(roles...), "revision": listed("/api/v1/revisions", "number", "reason"),
		"draft": listed("/api/v1/drafts", "name", "author"), "credential": listed("/api/v1/credentials", "name", "kind"),
		"notice": listed("/api/v1/notices", "name", "title"), "log": oneOf("text", "json"), "data": folders,
		"endpoint list state": oneOf("converged", "behind", "failing", "silent"),
		"endpoint list sort": oneOf("machine", "state", "last_seen", "queues", "users", "revision", "platform",
			"location"),
		"note list kind": oneOf(directory.NoteKinds()...), "faults about": oneOf(estate.Abouts()...),
		"directory find kind":     oneOf(directory.MatchKinds()...),
		"directory import format": oneOf("file", "ldif", "csv"), "queue move to": oneOf("device", "gateway"),
		"device reservations export format": oneOf("csv", "json"), "preset": oneOf("standard", "posix", "domain"),
		"device add kept-by":  oneOf("reservation", "static", "unknown"),
		"credential add kind": oneOf("sign-in", "snmp", "snmp-usm"), "source": listed("/api/v1/directory/sources", "name",
			"url"),
		"url": anything, "snapshot compare with": listed("/api/v1/snapshots", "name", "note"),
		"without": searched("server", "device"), "label": anything,
	}
}

var useWord = regexp.MustCompile(`[A-Z][A-Z|]*`)

// completeNames has shells complete what a command's use names, and what its flags take.
func completeNames(r *root, top *cobra.Command) {
	words, flags := wordCompletions(), flagCompletions()
	var walk func(c *cobra.Command)
	walk = func(c *cobra.Command) {
		_, path, _ := strings.Cut(c.CommandPath(), " ")
		c.Flags().VisitAll(func(f *pflag.Flag) { r.completeFlag(c, path, f, flags) })
		c.PersistentFlags().VisitAll(func(f *pflag.Flag) { r.completeFlag(c, path, f, flags) })
		if c.Runnable() && !c.HasSubCommands() && c.ValidArgsFunction == nil && c.Name() != "help" {
			r.completeWords(c, path, words)
		}
		for _, sub := range c.Commands() {
			walk(sub)
		}
	}
	walk(top)
}

func (r *root) completeFlag(c *cobra.Command, path string, f *pflag.Flag, flags map[string]completion) {
	how := flags[path+" "+f.Name]
	if how == nil {
		how = flags[f.Name]
	}
	if how == nil && cmdline.TakesFile(f) {
		how = files
	}
	if how == nil || f.Hidden {
		return
	}
	_ = c.RegisterFlagCompletionFunc(f.Name, func(c *cobra.Command, _ []string, word string) ([]cobra.Completion,
		cobra.ShellCompDirective) {
		return how(r, c, word)
	}) // once each: the flag is this command's own
}

// placeholders are the words of a command's use, in order; the last may be repeated.
func placeholders(c *cobra.Command) (list []string, more bool) {
	_, rest, _ := strings.Cut(c.Use, " ")
	fields := strings.Fields(rest)
	for i, f := range fields {
		if strings.HasPrefix(strings.TrimLeft(f, "["), "-") {
			break
		}
		if i > 0 && strings.HasPrefix(strings.TrimLeft(fields[i-1], "["), "-") {
			continue
		}
		if word := useWord.FindString(f); word != "" {
			list, more = append(list, word), strings.Contains(f, "...")
		} else if strings.Contains(f, "|") {
			list, more = append(list, strings.Trim(f, "[]")), false
		}
	}
	return list, more
}

func (r *root) completeWords(c *cobra.Command, path string, words map[string]completion) {
	list, more := placeholders(c)
	c.ValidArgsFunction = func(c *cobra.Command, a []string, word string) ([]cobra.Completion, cobra.ShellCompDirective) {
		at := len(a)
		if at >= len(list) && more {
			at = len(list) - 1
		}
		if at >= len(list) {
			return nil, cobra.ShellCompDirectiveNoFileComp
		}
		how := completionOf(words, path, list[at])
		if how == nil {
			return nil, cobra.ShellCompDirectiveNoFileComp
		}
		return how(r, c, word)
	}
}

// completionOf finds how a word is completed: by the command's whole path, by less and less of it, or by itself.
func completionOf(words map[string]completion, path, word string) completion {
	if strings.Contains(word, "|") && strings.ToLower(word) == word {
		return oneOf(strings.Split(word, "|")...)
	}
	for at := path; ; {
		if how := words[strings.TrimSpace(at+" "+word)]; how != nil || at == "" {
			return how
		}
		cut := strings.LastIndexByte(at, ' ')
		at = at[:max(cut, 0)]
	}
}

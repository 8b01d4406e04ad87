package cli

import (
	"encoding/json"
	"fmt"
	"io"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/access"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

const requestsPath = "/api/v1/requests"

func requestCommand(r *root) *cobra.Command {
	list := ask(r, "list", "What people have asked for, open requests first", cmdline.Args(0, 0),
		items[access.Request](fixed(requestsPath)), func(w io.Writer, list []access.Request) {
			if len(list) == 0 {
				fmt.Fprintln(w, "Nobody has asked for a queue.")
				return
			}
			t := r.table("ID", "PERSON", "QUEUE", "REASON", "ASKED", "STATE")
			for _, v := range list {
				state := v.State
				switch {
				case v.AnsweredBy != "":
					state += " by " + v.AnsweredBy
				case v.DraftedBy != "":
					state += ": granted in the draft of " + v.DraftedBy + " " + ago(*v.DraftedAt, time.Now()) + ", not published"
				}
				if v.Answer != "" {
					state += ": " + v.Answer
				}
				t.add(fmt.Sprint(v.ID), v.Person, v.Queue, v.Reason, ago(v.At, time.Now()), state)
			}
			t.write(w)
		})
	var reason string
	make := ask(r, "make QUEUE -m REASON", "Ask for a queue, for oneself", cmdline.Args(1, 1), func(c *cobra.Command,
		client *apiclient.Client, a []string) (access.Request, error) {
		return apiclient.Post[access.Request](c.Context(), client, requestsPath, api.NewRequest{Queue: a[0], Reason: reason})
	}, func(w io.Writer, v access.Request) {
		fmt.Fprintf(w, "%s is asked for (%d). Whoever looks after it answers: cirque request list\n", v.Queue, v.ID)
	})
	make.Flags().StringVarP(&reason, "reason", "m", "", "what it is for")
	_ = make.MarkFlagRequired("reason")
	answer := func(use, short string, grant bool) *cobra.Command {
		var says string
		c := ask(r, use, short, cmdline.Args(1, 1), func(c *cobra.Command, client *apiclient.Client,
			a []string) (v api.AnsweredRequest, err error) {
			if _, err := strconv.ParseInt(a[0], 10, 64); err != nil {
				return v, usagef("%q is no number of a request; see cirque request list", a[0])
			}
			return apiclient.Post[api.AnsweredRequest](c.Context(), client, apiclient.Path(requestsPath, a[0])+"/answer",
				api.AnswerRequest{Grant: grant, Says: says})
		}, func(w io.Writer, v api.AnsweredRequest) {
			if grant {
				if v.Request.State == access.RequestGranted {
					fmt.Fprintf(w, "%s is given %s already; the request is granted.\n", v.Request.Person, v.Request.Queue)
				} else {
					fmt.Fprintf(w, "%s is to be offered %s: that is in your draft. The request stays open until it is published "+
						"(cirque rehearse, cirque publish).\n", v.Request.Person, v.Request.Queue)
				}
				for _, says := range v.Remarks {
					fmt.Fprintf(w, "Yet it will not reach them: %s.\n", says)
				}
				return
			}
			fmt.Fprintf(w, "%s is declined to %s, who reads: %s\n", v.Request.Queue, v.Request.Person, v.Request.Answer)
		})
		c.Flags().StringVarP(&says, "reason", "m", "", "what the person reads")
		formerFlag(c, "says", "reason")
		return c
	}
	withdraw := done(r, "withdraw ID", "Take one's own request back", cmdline.Args(1, 1), func(c *cobra.Command,
		client *apiclient.Client, a []string) error {
		if _, err := strconv.ParseInt(a[0], 10, 64); err != nil {
			return usagef("%q is no number of a request; see cirque request list", a[0])
		}
		return client.Do(c.Context(), "DELETE", apiclient.Path(requestsPath, a[0]), nil, nil, nil)
	}, func(a []string) string { return "The request " + a[0] + " is taken back." })
	return cmdline.Group("request", "People's requests for queues, and the answers", list, make, answer("grant ID",
		"Grant a request: the person is offered the queue, in your draft", true), answer("decline ID -m WORDS",
		"Decline a request, and say why", false), withdraw)
}

// personDataCommand are the commands for what is kept of a person.
func personDataCommand(r *root) *cobra.Command {
	export := &cobra.Command{Use: "export NAME", Short: "Write all that is kept of a person, as JSON",
		Args: cmdline.Args(1, 1), RunE: func(c *cobra.Command, a []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			data, err := apiclient.Get[json.RawMessage](c.Context(), client, apiclient.Path("/api/v1/people", a[0])+"/data", nil)
			if err != nil {
				return err
			}
			return r.print(c, data, func(w io.Writer) { _ = cmdline.Encode(w, cmdline.JSON, data) })
		}}
	var reason string
	type erased struct {
		Stands  string   `json:"stands_for"`
		Remarks []string `json:"remarks"`
	}
	erase := ask(r, "erase NAME -m REASON", "Erase what is kept of a person", cmdline.Args(1, 1), func(c *cobra.Command,
		client *apiclient.Client, a []string) (v erased, err error) {
		return v, client.Do(c.Context(), "DELETE", apiclient.Path("/api/v1/people", a[0])+"/data",
			url.Values{"reason": {reason}}, nil, &v)
	}, func(w io.Writer, v erased) {
		fmt.Fprintf(w, "What was kept of them is erased; in the audit %s stands for them.\n", v.Stands)
		for _, n := range v.Remarks {
			fmt.Fprintln(w, "Note: "+strings.TrimSuffix(n, ".")+".")
		}
	})
	erase.Long = `Erase what is kept of a person: what directories said of them before, their picks, links, requests,
sessions and tokens, and what endpoints told of them. In the audit a number stands for them from
then on. It cannot be undone. What a directory says of them now stays until they are gone from
there, and so do published revisions that name them; the answer says which. How long a person's
history is kept otherwise is a setting: settings.history.person_days in the estate.`
	erase.Flags().StringVarP(&reason, "reason", "m", "", "why; it is kept, and does not name the person")
	_ = erase.MarkFlagRequired("reason")
	return cmdline.Group("personal-data", "What is kept of a person: export it, erase it", export, erase)
}

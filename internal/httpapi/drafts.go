package httpapi

import (
	"context"
	"fmt"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/promise"
	"cirque/internal/api"
	"cirque/internal/service/present"
)

// diffsShown bounds what is said of a change that touches very many objects.
const diffsShown = 1000

func draftOf(d estate.DraftSheet) api.Draft {
	o := api.Draft{Draft: d.Draft, Current: d.Current, Total: len(d.Changes),
		Changes: estate.Diffs(d.Changes[:min(len(d.Changes), diffsShown)]), Conflicts: d.Conflicts,
		Objects: d.Document.Counts()}
	if o.Conflicts == nil {
		o.Conflicts = []estate.Conflict{}
	}
	return o
}

func draftsRoutes(s *server, a huma.API) {
	type Named struct { // exported: huma reads no embedded type that is not
		Name string `query:"name" maxLength:"63" doc:"Which of one's own drafts; main when absent."`
	}
	answer := func(d estate.DraftSheet, err error) (*versionedOut[api.Draft], error) {
		if err != nil {
			return nil, err
		}
		return &versionedOut[api.Draft]{draftTag(d), draftOf(d)}, nil
	}
	route(s, a, "GET", "/api/v1/drafts", "drafts", "Everybody's drafts, the latest first", small, func(ctx context.Context,
		in *Paging) (paged[estate.Draft], error) {
		list, err := s.svc.Drafts.Drafts(ctx, principalOf(ctx))
		return items(*in, list, err, func(v *estate.Draft) string { return number(v.ID) })
	})
	route(s, a, "GET", "/api/v1/draft", "draft", "One's own draft", small, func(ctx context.Context,
		in *Named) (*versionedOut[api.Draft], error) {
		return answer(s.svc.Drafts.Draft(ctx, principalOf(ctx), in.Name))
	})
	route(s, a, "GET", "/api/v1/draft/document", "draft-document", "The estate as one's own draft has it", small,
		func(ctx context.Context, in *Named) (*out[api.Estate], error) {
			d, err := s.svc.Drafts.Draft(ctx, principalOf(ctx), in.Name)
			if err != nil {
				return nil, err
			}
			return &out[api.Estate]{api.Estate{Document: d.Document}}, nil
		})
	type propose struct {
		Named
		Body api.Reason
	}
	route(s, a, "POST", "/api/v1/draft/propose", "propose-draft", "Propose one's own draft, as it is, to whoever may "+
		"publish it", small, func(ctx context.Context, in *propose) (*versionedOut[api.Draft], error) {
		return answer(s.svc.Drafts.Propose(ctx, principalOf(ctx), in.Name, in.Body.Reason))
	})
	route(s, a, "GET", "/api/v1/proposals", "proposals", "Drafts that are proposed, the latest first", small,
		func(ctx context.Context, in *Paging) (paged[estate.ProposedDraft], error) {
			list, err := s.svc.Drafts.Proposals(ctx, principalOf(ctx))
			return items(*in, list, err, func(v *estate.ProposedDraft) string { return number(v.ID) })
		})
	type proposal struct {
		ID   int64  `path:"id" minimum:"1"`
		Into string `query:"into" maxLength:"63" doc:"Which of one's own drafts, which must be empty; proposal-ID when absent."`
	}
	route(s, a, "POST", "/api/v1/proposals/{id}/take", "take-proposal", "Make a proposed draft a draft of one's own",
		small, func(ctx context.Context, in *proposal) (*versionedOut[api.Draft], error) {
			return answer(s.svc.Drafts.TakeProposal(ctx, principalOf(ctx), in.ID, in.Into))
		})
	type other struct {
		ID int64 `path:"id" minimum:"1"`
	}
	route(s, a, "GET", "/api/v1/drafts/{id}", "draft-of", "Anybody's draft, to be looked at", small,
		func(ctx context.Context, in *other) (*out[api.Draft], error) {
			d, err := s.svc.Drafts.Other(ctx, principalOf(ctx), in.ID)
			if err != nil {
				return nil, err
			}
			return &out[api.Draft]{draftOf(d)}, nil
		})
	type take struct {
		ID   int64  `path:"id" minimum:"1"`
		Into string `query:"into" maxLength:"63" doc:"Which of one's own drafts, which must be empty; taken-ID when absent, proposal-ID where it is proposed."`
	}
	route(s, a, "POST", "/api/v1/drafts/{id}/take", "take-draft", "Make somebody's draft a draft of one's own", small,
		func(ctx context.Context, in *take) (*versionedOut[api.Draft], error) {
			return answer(s.svc.Drafts.Take(ctx, principalOf(ctx), in.ID, in.Into))
		})
	type decline struct {
		ID   int64 `path:"id" minimum:"1"`
		Body api.Reason
	}
	route(s, a, "POST", "/api/v1/proposals/{id}/decline", "decline-proposal", "Say no to a proposed draft", small,
		func(ctx context.Context, in *decline) (*struct{}, error) {
			return nil, s.svc.Drafts.DeclineProposal(ctx, principalOf(ctx), in.ID, in.Body.Reason)
		})
	type apply struct {
		Named
		Body api.Apply
	}
	route(s, a, "PUT", "/api/v1/draft", "apply", "Put files into one's own draft", large.by(access.EditDraft),
		func(ctx context.Context, in *apply) (*versionedOut[api.Draft], error) {
			return answer(s.svc.Drafts.Apply(ctx, principalOf(ctx), in.Name, in.Body.Merge, in.Body.Files))
		})
	type edits struct {
		Named
		DryRun
		Body api.Edits
	}
	route(s, a, "POST", "/api/v1/draft/edits", "edit", "Change objects of one's own draft, all or none",
		large.by(access.EditDraft),
		func(ctx context.Context, in *edits) (*versionedOut[api.Draft], error) {
			return answer(s.svc.Drafts.EditOr(ctx, principalOf(ctx), in.Name, in.Body.Version, in.Body.Edits, in.Dry))
		})
	route(s, a, "DELETE", "/api/v1/draft", "discard", "Throw one's own draft away", small, func(ctx context.Context,
		in *Named) (*struct{}, error) {
		return nil, s.svc.Drafts.Discard(ctx, principalOf(ctx), in.Name)
	})
	type publish struct {
		Named
		Body api.PublishDraft
	}
	route(s, a, "POST", "/api/v1/draft/publish", "publish-draft", "Make one's own draft the current revision", small,
		func(ctx context.Context, in *publish) (*out[api.Published], error) {
			rev, err := s.svc.Drafts.PublishDraft(mayBreak(ctx, in.Body.BreakPromises), principalOf(ctx), in.Name,
				in.Body.Reason, in.Body.Version)
			return &out[api.Published]{api.Published{Revision: rev}}, err
		})
	type of struct {
		Named
		Paging
		List   string `query:"list" enum:"locations,subnets,stations,drivers,servers,server_sets,devices,queues,grants,notices,promises,charges,allowances"`
		Object string `query:"object" maxLength:"256"`
	}
	route(s, a, "GET", "/api/v1/draft/dependents", "dependents", "What names an object, in one's own draft", small,
		func(ctx context.Context, in *of) (paged[estate.Ref], error) {
			list, err := s.svc.Drafts.Dependents(ctx, principalOf(ctx), in.Name, estate.Ref{List: in.List, Name: in.Object})
			return items(in.Paging, list, err, func(v *estate.Ref) string { return v.List + " " + v.Name })
		})
	type reach struct {
		Named
		Body estate.Edit
	}
	route(s, a, "POST", "/api/v1/draft/reach", "reach-of", "How far a grant would go that is not kept yet", small,
		func(ctx context.Context, in *reach) (*out[lineup.Reach], error) {
			r, err := s.svc.Lineups.ReachOf(ctx, principalOf(ctx), in.Name, in.Body)
			return &out[lineup.Reach]{r}, err
		})
	type grant struct {
		Name string `path:"name" maxLength:"256"`
		When
	}
	route(s, a, "GET", "/api/v1/grants/{name}/reach", "reach", "How far a grant goes", small, func(ctx context.Context,
		in *grant) (*out[lineup.Reach], error) {
		when, err := in.When.parse()
		if err != nil {
			return nil, err
		}
		r, err := s.svc.Lineups.Reach(ctx, principalOf(ctx), in.Name, when)
		return &out[lineup.Reach]{r}, err
	})
	route(s, a, "GET", "/api/v1/estate/schema", "estate-schema", "A JSON Schema of the estate's file, for editors", small,
		func(ctx context.Context, _ *struct{}) (*out[map[string]any], error) {
			return &out[map[string]any]{estate.Schema()}, access.Check(principalOf(ctx), access.ReadEstate)
		})
	type promises struct {
		Paging
		When
	}
	route(s, a, "GET", "/api/v1/promises", "promises", "Whether an estate keeps its promises", small,
		func(ctx context.Context, in *promises) (paged[promise.Verdict], error) {
			when, err := in.When.parse()
			if err != nil {
				return nil, err
			}
			list, err := s.svc.Lineups.Promises(ctx, principalOf(ctx), when)
			return items(in.Paging, list, err, func(v *promise.Verdict) string { return v.Name })
		})
	type findings struct {
		Paging
		Revision string `query:"revision" maxLength:"80" doc:"A revision's number, draft or draft:NAME; the current one when absent."`
	}
	route(s, a, "GET", "/api/v1/findings", "findings", "What a careful colleague would remark on", small,
		func(ctx context.Context, in *findings) (paged[lineup.Finding], error) {
			when, err := present.ParseWhen(in.Revision, nil)
			if err != nil {
				return nil, err
			}
			list, err := s.svc.Lineups.Findings(ctx, principalOf(ctx), when)
			return items(in.Paging, list, err, func(v *lineup.Finding) string { return v.Object + " " + v.Says })
		})
	type revert struct {
		Number int `path:"number" minimum:"1"`
		Body   api.Revert
	}
	route(s, a, "POST", "/api/v1/revisions/{number}/revert", "revert", "Make a former revision current again, "+
		"as a new one", small, func(ctx context.Context, in *revert) (*out[api.Published], error) {
		rev, same, err := s.svc.Drafts.Revert(mayBreak(ctx, in.Body.BreakPromises), principalOf(ctx), in.Number,
			in.Body.Reason)
		return &out[api.Published]{api.Published{Revision: rev, Unchanged: same}}, err
	})
	type diff struct {
		From int `query:"from" minimum:"0" doc:"0 for the current revision."`
		To   int `query:"to" minimum:"0" doc:"0 for the current revision."`
	}
	type undo struct {
		Named
		DryRun
		Number int    `path:"number" minimum:"1"`
		List   string `query:"list" enum:"locations,subnets,stations,drivers,servers,server_sets,devices,queues,grants,notices,promises,charges,allowances,settings"`
		Object string `query:"object" maxLength:"256"`
	}
	route(s, a, "POST", "/api/v1/revisions/{number}/undo", "undo-change", "Take back, in one's own draft, what a "+
		"revision did to one object", small, func(ctx context.Context, in *undo) (*versionedOut[api.Draft], error) {
		return answer(s.svc.Drafts.UndoChange(ctx, principalOf(ctx), in.Name, in.Number, estate.Ref{List: in.List,
			Name: in.Object}, in.Dry))
	})
	route(s, a, "GET", "/api/v1/diff", "diff", "What differs between two revisions", small, func(ctx context.Context,
		in *diff) (*out[api.Diffs], error) {
		c, err := s.svc.Drafts.Diff(ctx, principalOf(ctx), in.From, in.To)
		return &out[api.Diffs]{api.Diffs{From: in.From, To: in.To, Total: len(c),
			Diffs: estate.Diffs(c[:min(len(c), diffsShown)])}}, err
	})
}

func liveRoutes(s *server, a huma.API) {
	type drain struct {
		Name string `path:"name" maxLength:"256"`
		Body api.DrainServer
	}
	route(s, a, "POST", "/api/v1/servers/{name}/drain", "drain", "Take a server out of duty; its people move to other "+
		"members of its sets first", small, func(ctx context.Context, in *drain) (*out[api.Changed], error) {
		changed, err := s.svc.Continuity.Drain(ctx, principalOf(ctx), in.Name, in.Body.Reason, in.Body.Until)
		return &out[api.Changed]{said(changed, in.Name+" is drained", in.Name+" was drained already")}, err
	})
	type back struct {
		Name   string `path:"name" maxLength:"256"`
		AtOnce bool   `query:"at_once" doc:"It takes all its people back at once, rather than over the time that the estate says."`
	}
	route(s, a, "POST", "/api/v1/servers/{name}/return", "return", "Put a server back on duty", small,
		func(ctx context.Context, in *back) (*out[api.Changed], error) {
			changed, err := s.svc.Continuity.Return(ctx, principalOf(ctx), in.Name, in.AtOnce)
			return &out[api.Changed]{said(changed, in.Name+" is back on duty", in.Name+" was on duty already")}, err
		})
	type pick struct {
		Name  string `path:"name" maxLength:"256"`
		Queue string `path:"queue" maxLength:"256"`
	}
	for method, picked := range map[string]bool{"PUT": true, "DELETE": false} {
		id, says, already, summary := "pick", "%s has picked %s", "%s had picked %s already",
			"Pick an offered queue for a person"
		if !picked {
			id, says, already, summary = "unpick", "%s no longer picks %s", "%s did not pick %s anyway",
				"Take a person's pick back"
		}
		route(s, a, method, "/api/v1/people/{name}/picks/{queue}", id, summary, small, func(ctx context.Context,
			in *pick) (*out[api.Changed], error) {
			changed, err := s.svc.People.Pick(ctx, principalOf(ctx), in.Name, in.Queue, picked)
			return &out[api.Changed]{said(changed, fmt.Sprintf(says, in.Name, in.Queue), fmt.Sprintf(already, in.Name,
				in.Queue))}, err
		})
	}
	type picked struct {
		Paging
		Name string `path:"name" maxLength:"256"`
	}
	route(s, a, "GET", "/api/v1/people/{name}/picks", "picks", "The queues that a person has picked", small,
		func(ctx context.Context, in *picked) (paged[string], error) {
			list, err := s.svc.People.Picks(ctx, principalOf(ctx), in.Name)
			return items(in.Paging, list, err, func(v *string) string { return *v })
		})
}

func said(changed bool, yes, no string) api.Changed {
	if changed {
		return api.Changed{Changed: true, Says: yes}
	}
	return api.Changed{Says: no}
}

// draftUnlessDry gives a draft as it is after a change; nothing where none was made.
func draftUnlessDry(d estate.DraftSheet, dry bool) *api.Draft {
	if dry {
		return nil
	}
	o := draftOf(d)
	return &o
}

// mayBreak has what is published in a context go on though it breaks promises, where that was said.
func mayBreak(ctx context.Context, yes bool) context.Context {
	if yes {
		return present.BreakingPromises(ctx)
	}
	return ctx
}

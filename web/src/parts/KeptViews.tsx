import { queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useLocation } from "react-router";
import { api, ask, askAll } from "../api/client";
import { former, forgetFormer } from "../lib/formerViews";
import { Button } from "../ui/Button";
import { inputLook } from "../ui/Field";
import { ProblemNotice } from "./ProblemNotice";

const longest = 100; // letters of a name

const viewsQuery = (page: string) =>
  queryOptions({
    queryKey: ["views", page],
    queryFn: ({ signal }) =>
      askAll((query) =>
        api.GET("/api/v1/views", { params: { query: { ...query, page } }, signal }),
      ),
  });

const put = (page: string, name: string, search: string, shared = false) =>
  ask(
    api.PUT("/api/v1/views/{page}/{name}", {
      params: { path: { page, name } },
      body: { search, shared },
    }),
  );

/** Views of a list that somebody keeps by name, for their account. A view is its address: it can be sent to a colleague. */
export function KeptViews({ page }: { page: string }) {
  const { search } = useLocation();
  const client = useQueryClient();
  const views = useQuery(viewsQuery(page));
  const [name, setName] = useState("");
  const [shared, setShared] = useState(false);
  const fresh = () => client.invalidateQueries({ queryKey: ["views", page] });
  const keep = useMutation({
    mutationFn: () => put(page, name.trim(), search, shared),
    onSuccess: () => {
      setName("");
      setShared(false);
      return fresh();
    },
  });
  const forget = useMutation({
    mutationFn: (name: string) =>
      ask(api.DELETE("/api/v1/views/{page}/{name}", { params: { path: { page, name } } })),
    onSuccess: fresh,
  });
  // What the version before kept in this browser moves to the account.
  const take = useMutation({
    mutationFn: async () => {
      for (const v of former(page)) await put(page, v.name.slice(0, longest), v.search);
      forgetFormer(page);
    },
    retry: 3, // a service that is busy at that moment loses nobody's views
    onSuccess: fresh,
  });
  const { mutate } = take;
  useEffect(() => {
    if (former(page).length > 0) mutate();
  }, [page, mutate]);
  const list = views.data ?? [];
  const error = keep.error ?? forget.error ?? take.error ?? views.error;
  return (
    <details className="relative">
      <summary className="flex min-h-8 cursor-pointer items-center">
        Kept views{list.length > 0 && ` (${list.length})`}
      </summary>
      <div className="absolute right-0 z-20 w-80 border border-rule-strong bg-sheet p-3">
        {error && <ProblemNotice title="Views cannot be kept just now" error={error} />}
        {list.length === 0 && !error && (
          <p className="text-ink-2">
            None yet. Narrow the list, then keep what you see under a name; it is there wherever you
            sign in.
          </p>
        )}
        <ul>
          {list.map((v) => (
            <li
              key={`${v.owner ?? ""}/${v.name}`}
              className="flex items-center justify-between gap-2 border-b border-rule py-1"
            >
              <span>
                <Link to={{ search: v.search }}>{v.name}</Link>
                {v.owner ? (
                  <span className="text-ink-2"> of {v.owner}</span>
                ) : (
                  v.shared && <span className="text-ink-2"> shared</span>
                )}
              </span>
              {!v.owner && (
                <button
                  type="button"
                  className="min-h-[24px] text-ink-2 underline"
                  aria-label={`Forget the view ${v.name}`}
                  onClick={() => forget.mutate(v.name)}
                >
                  forget
                </button>
              )}
            </li>
          ))}
        </ul>
        <form
          className="mt-2 flex flex-wrap gap-2"
          onSubmit={(e) => {
            e.preventDefault();
            keep.mutate();
          }}
        >
          <input
            aria-label="Name of this view"
            className={`${inputLook} min-w-0 flex-1`}
            placeholder="such as Not ready at Ardholm"
            value={name}
            maxLength={longest}
            onChange={(e) => setName(e.target.value)}
          />
          <Button type="submit" disabled={!name.trim() || keep.isPending}>
            Keep
          </Button>
          <label className="flex min-h-[24px] w-full items-center gap-2">
            <input type="checkbox" checked={shared} onChange={(e) => setShared(e.target.checked)} />
            for everybody who signs in here
          </label>
        </form>
      </div>
    </details>
  );
}

import { useQuery } from "@tanstack/react-query";
import { useState, type ReactNode } from "react";
import { Link, NavLink, useLocation } from "react-router";
import type { Me } from "../api/client";
import { revisionQuery } from "../api/queries";
import { among } from "../lib/among";
import { lazily } from "../lib/lazily";
import { stamp } from "../lib/time";
import { DraftStrip } from "./DraftStrip";
import { Standing, standingQuery, Strip } from "../parts/Standing";
import { useLeave } from "../parts/useLeave";
import { Logo } from "../ui/Logo";
import { useLive } from "./live";
import { groupOf, offered } from "./pages";
import { applyTheme, theme, themes, type Theme } from "./theme";

// It brings lists that narrow as one types; the first page need not wait for them.
const FindAnything = lazily(
  () => import("./FindAnything"),
  (m) => m.FindAnything,
);

// Guides are read now and then, and what draws them waits until then.
const HowTo = lazily(
  () => import("./HowTo"),
  (m) => m.HowTo,
);

/** The frame of every page: where one may go above, what is current below. */
export function Shell({ me, children }: { me: Me; children: ReactNode }) {
  const { live } = useLive();
  const deaf = (useQuery(standingQuery()).data?.age_seconds ?? 0) > 5;
  const [look, setLook] = useState<Theme>(theme());
  const revision = useQuery(revisionQuery());
  const groups = offered(me.may ?? []);
  const here = groupOf(useLocation().pathname, groups);
  const leave = useLeave();
  return (
    <div className="flex min-h-screen flex-col">
      <a
        href="#content"
        className="sr-only focus:not-sr-only focus:absolute focus:z-20 focus:bg-sheet focus:p-2"
      >
        To the content
      </a>
      <header className="border-b border-rule-strong bg-sheet">
        <nav
          aria-label="Groups of pages"
          className="flex min-h-11 flex-wrap items-stretch gap-x-2 px-4"
        >
          <span className="mr-2 flex items-center gap-2 font-semibold">
            <Logo /> Cirque
          </span>
          {groups.map((g) => (
            <Link
              key={g.word}
              to={g.pages[0]?.to ?? "/"}
              aria-current={g === here ? "true" : undefined}
              className={`flex items-center border-b-2 px-1.5 no-underline ${g === here ? "border-accent font-medium text-ink" : "border-transparent text-ink-2 hover:text-ink"}`}
            >
              {g.word}
            </Link>
          ))}
          <span className="ml-auto flex items-center gap-3 text-ink-2">
            <FindAnything />
            <HowTo />
            <span>{me.name}</span>
            <button
              type="button"
              className="min-h-[24px] underline underline-offset-2"
              onClick={() => leave()}
            >
              Sign out
            </button>
          </span>
        </nav>
        {here && here.pages.length > 1 && (
          <nav
            aria-label={here.word}
            className="flex min-h-9 flex-wrap items-stretch gap-x-2 border-t border-rule bg-wash px-4"
          >
            {here.pages.map((p) => (
              <NavLink
                key={p.to}
                to={p.to}
                className={({ isActive }) =>
                  `flex items-center border-b-2 px-1.5 no-underline ${isActive ? "border-ink font-medium text-ink" : "border-transparent text-ink-2 hover:text-ink"}`
                }
              >
                {p.word}
              </NavLink>
            ))}
          </nav>
        )}
      </header>
      <Standing />
      {me.emergency && (
        <Strip>
          <p className="font-medium">
            The account for emergencies is in use since {stamp(me.emergency.since)}
          </p>
          <p>See under History who it was; an owner seals it anew under Access.</p>
        </Strip>
      )}
      <main id="content" className="flex-1 px-4 pt-4 pb-16">
        {children}
      </main>
      <footer className="fixed inset-x-0 bottom-0 flex min-h-9 flex-wrap items-center gap-x-6 border-t border-rule-strong bg-wash px-4 py-1 text-ink-2">
        <DraftStrip />
        {revision.data && (
          <span>
            <strong className="text-ink">Revision {revision.data.number}</strong> by{" "}
            {revision.data.author}, {stamp(revision.data.at)}: {revision.data.reason}
          </span>
        )}
        {revision.data === null && <span>Nothing is published yet.</span>}
        <label className="ml-auto flex items-center gap-1">
          Light
          <select
            className="rounded-[3px] border border-rule bg-sheet px-1"
            value={look}
            onChange={(e) => {
              const t = among(themes, e.target.value) ?? "system";
              applyTheme(t);
              setLook(t);
            }}
          >
            <option value="system">as the system</option>
            <option value="light">day</option>
            <option value="dark">night</option>
          </select>
        </label>
        <span role="status">
          {!live
            ? "Not live: reconnecting"
            : deaf
              ? "Not live: the service hears of no changes"
              : "Live: changes show at once"}
        </span>
      </footer>
    </div>
  );
}

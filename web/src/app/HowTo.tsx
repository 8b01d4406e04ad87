import { useQuery } from "@tanstack/react-query";
import { marked } from "marked";
import { useEffect, useRef, useState } from "react";
import { useLocation } from "react-router";
import { api, ask, askAll } from "../api/client";
import { Button } from "../ui/Button";
import { Drawer } from "../ui/Drawer";
import { Failure, Waiting } from "../ui/Notice";

/** Which guide is about a page. */
const about: Record<string, string> = {
  "": "care",
  lineup: "trouble",
  queues: "estate",
  grants: "estate",
  estate: "estate",
  draft: "drafts",
  history: "drafts",
  servers: "stock",
  devices: "stock",
  drivers: "stock",
  adopt: "stock",
  keys: "stock",
  directory: "directory",
  people: "directory",
  endpoints: "enrolment",
  continuity: "continuity",
  access: "access",
};

/** Instructions beside the task: the guide about the page that is open, and from there all others. */
export function HowTo() {
  const top = useLocation().pathname.split("/")[1] ?? "";
  const [open, setOpen] = useState(false);
  const [trail, setTrail] = useState<string[]>([]);
  const name = trail.at(-1) ?? about[top] ?? "first-steps";
  const all = useQuery({
    queryKey: ["guides"],
    queryFn: ({ signal }) =>
      askAll((query) => api.GET("/api/v1/guides", { params: { query }, signal })),
    staleTime: Infinity,
    enabled: open,
  });
  const guide = useQuery({
    queryKey: ["guides", name],
    queryFn: ({ signal }) =>
      ask(api.GET("/api/v1/guides/{name}", { params: { path: { name } }, signal })),
    staleTime: Infinity,
    enabled: open,
  });
  const text = useRef<HTMLDivElement>(null);
  const list = all.data;
  useEffect(() => {
    // What a link leads to is told before it is followed; what is no guide leads nowhere here.
    for (const a of text.current?.querySelectorAll("a") ?? []) {
      const to = named(a.getAttribute("href"));
      const found = list?.find((g) => g.name === to);
      if (found) a.title = `${found.title}: ${found.begins.slice(0, 300)}`;
      else if (!/^https?:/.test(a.getAttribute("href") ?? "")) a.replaceWith(...a.childNodes);
    }
  }, [guide.data, list]);
  return (
    <>
      <button
        type="button"
        className="min-h-[24px] underline underline-offset-2"
        onClick={() => {
          setTrail([]);
          setOpen(true);
        }}
      >
        How to
      </button>
      <Drawer
        title={guide.data?.title ?? "How to"}
        description="Commands stand for what the console does, too."
        open={open}
        onOpenChange={setOpen}
      >
        {trail.length > 0 && <Button onClick={() => setTrail(trail.slice(0, -1))}>Back</Button>}
        {guide.isPending && <Waiting what="the guide" />}
        {guide.error && <Failure title="The guide cannot be shown" problem={guide.error} />}
        {guide.data?.text && (
          // The guides come with the service, and nothing that anybody has written here is in them.
          <div
            ref={text}
            className="guide mt-2"
            onClickCapture={(e) => {
              const to = named(
                (e.target as HTMLElement).closest("a")?.getAttribute("href") ?? null,
              );
              if (!to) return;
              e.preventDefault();
              setTrail([...trail, to]);
            }}
            dangerouslySetInnerHTML={{ __html: marked.parse(guide.data.text, { async: false }) }}
          />
        )}
        {list && (
          <nav aria-label="All guides" className="mt-6 border-t border-rule pt-2">
            <h3 className="font-medium">All guides</h3>
            <ul>
              {list.map((g) => (
                <li key={g.name} className="py-1">
                  <button
                    type="button"
                    className="min-h-[24px] text-left text-accent underline underline-offset-2"
                    onClick={() => setTrail([...trail, g.name])}
                  >
                    {g.title}
                  </button>
                  <span className="block text-ink-2">{g.begins.slice(0, 160)}</span>
                </li>
              ))}
            </ul>
          </nav>
        )}
      </Drawer>
    </>
  );
}

/** The guide to which a link of a guide leads. */
function named(href: string | null): string | null {
  return /^([a-z-]+)\.md(#.*)?$/.exec(href ?? "")?.[1] ?? null;
}

import { useState } from "react";
import { Link, useLocation } from "react-router";
import { Button } from "./Button";
import { inputLook } from "./Field";

type View = { name: string; search: string };

function read(page: string): View[] {
  try {
    const list: unknown = JSON.parse(localStorage.getItem(`views ${page}`) ?? "[]");
    return Array.isArray(list)
      ? list.filter((v): v is View => typeof v?.name === "string" && typeof v?.search === "string")
      : [];
  } catch {
    return []; // nothing was kept, or nothing can be
  }
}

/** Views of a page that somebody keeps by name, in this browser. A view is its address: it can be sent to a colleague. */
export function KeptViews({ page }: { page: string }) {
  const { search } = useLocation();
  const [views, setViews] = useState(() => read(page));
  const [name, setName] = useState("");
  const keep = (list: View[]) => {
    setViews(list);
    try {
      localStorage.setItem(`views ${page}`, JSON.stringify(list));
    } catch {
      /* a browser that keeps nothing shows the view until it is left */
    }
  };
  return (
    <details className="relative">
      <summary className="flex min-h-8 cursor-pointer items-center">
        Kept views{views.length > 0 && ` (${views.length})`}
      </summary>
      <div className="absolute right-0 z-20 w-80 border border-rule-strong bg-sheet p-3">
        {views.length === 0 && (
          <p className="text-ink-2">
            None yet. Narrow the list, then keep what you see under a name; it is kept in this
            browser.
          </p>
        )}
        <ul>
          {views.map((v) => (
            <li
              key={v.name}
              className="flex items-center justify-between gap-2 border-b border-rule py-1"
            >
              <Link to={{ search: v.search }}>{v.name}</Link>
              <button
                type="button"
                className="min-h-[24px] text-ink-2 underline"
                aria-label={`Forget the view ${v.name}`}
                onClick={() => keep(views.filter((o) => o.name !== v.name))}
              >
                forget
              </button>
            </li>
          ))}
        </ul>
        <form
          className="mt-2 flex gap-2"
          onSubmit={(e) => {
            e.preventDefault();
            keep([...views.filter((v) => v.name !== name.trim()), { name: name.trim(), search }]);
            setName("");
          }}
        >
          <input
            aria-label="Name of this view"
            className={`${inputLook} min-w-0 flex-1`}
            placeholder="such as Not ready at Ardholm"
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
          <Button type="submit" disabled={!name.trim()}>
            Keep
          </Button>
        </form>
      </div>
    </details>
  );
}

import type { ColumnDef } from "@tanstack/react-table";
import { useState, type ReactNode } from "react";
import { useUrl } from "../lib/useUrl";
import { useUrlText } from "../lib/useUrlText";
import { DataTable, type features, type Sort } from "../ui/DataTable";
import { inputLook } from "../ui/Field";
import { Select } from "../ui/Select";
import { KeptViews } from "./KeptViews";

export type ListFilter = {
  /** The key in the address. */
  key: string;
  label: string;
  options: readonly (string | { value: string; label: string })[];
};

type ListUrl = {
  get: (key: string) => string;
  set: (key: string, value: string) => void;
  /** Several keys in one step. */
  put: (values: Record<string, string>) => void;
  word: string;
  setWord: (word: string) => void;
  sort: Sort;
};

/** What narrows and orders a list, as it stands in the address; by the first column where nothing is said. */
export function useListUrl(first = "name"): ListUrl {
  const { get, set, put } = useUrl();
  const [word, setWord] = useUrlText(get("find"), (w) => set("find", w));
  const sort = { id: get("sort").replace(/^-/, "") || first, desc: get("sort").startsWith("-") };
  return { get, set, put, word, setWord, sort };
}

type ListPageProps<T extends object> = {
  /** What the list is of, such as "Queues". */
  caption: string;
  /** Under which its views are kept; every list has its own. */
  page: string;
  url: ListUrl;
  // The value of a column is of its own type; only the column itself knows which.
  // eslint-disable-next-line @typescript-eslint/no-explicit-any
  columns: ColumnDef<typeof features, T, any>[];
  /** Widths of the columns, as a CSS grid. */
  grid: string;
  /** What is left of all after the filters. */
  rows: T[];
  total: number;
  rowName: (row: T) => string;
  /** In what the search looks, as a hint. */
  finds: string;
  filters?: ListFilter[];
  /** What else the count says. */
  says?: ReactNode;
  onOpen: (row: T) => void;
  /** Where rows can be chosen: what can be done to all of them. */
  together?: ((names: Set<string>, done: () => void) => ReactNode) | undefined;
  /** Where the service pages, finds and sorts: how to have the rest. */
  rest?: { total: number; more: () => void; all: () => Promise<T[]> } | undefined;
};

/**
 * A list as all pages have it: found by typing, narrowed by filters and ordered, all of it in the address; kept as a
 * view; counted; chosen and changed together; saved as CSV.
 */
export function ListPage<T extends object>({
  caption,
  page,
  url,
  columns,
  grid,
  rows,
  total,
  rowName,
  finds,
  filters = [],
  says,
  onOpen,
  together,
  rest,
}: ListPageProps<T>) {
  const { get, set, word, setWord, sort } = url;
  const [chosen, setChosen] = useState<Set<string>>(new Set());
  const narrowed = word !== "" || filters.some((f) => get(f.key) !== "");
  return (
    <>
      <div className="my-3 flex flex-wrap items-end gap-4">
        <label className="no-print flex flex-col gap-1">
          Find
          <input
            type="search"
            className={`${inputLook} w-64`}
            placeholder={finds}
            value={word}
            onChange={(e) => setWord(e.target.value)}
          />
        </label>
        {filters.map((f) => (
          <Select
            key={f.key}
            label={f.label}
            value={get(f.key)}
            options={[...f.options]}
            onChange={(v) => set(f.key, v)}
          />
        ))}
        <p role="status" className="pb-1 text-ink-2">
          {rest ? rest.total : rows.length} of {Math.max(total, rest?.total ?? 0)}
          {chosen.size > 0 && `, ${chosen.size} chosen`}
          {says}
        </p>
        <span className="no-print ml-auto">
          <KeptViews page={page} />
        </span>
      </div>
      {together && chosen.size > 0 && together(chosen, () => setChosen(new Set()))}
      <DataTable
        caption={caption}
        columns={columns}
        grid={grid}
        rows={rows}
        rowName={rowName}
        sort={sort}
        onSort={(s) => set("sort", `${s.desc ? "-" : ""}${s.id}`)}
        onOpen={onOpen}
        {...(together && { chosen, onChoose: setChosen })}
        rest={rest}
      />
      {rows.length === 0 && narrowed && (
        <p className="mt-2 text-ink-2">Nothing fits. Take a filter away.</p>
      )}
    </>
  );
}

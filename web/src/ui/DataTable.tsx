import { csvLine } from "../lib/csv";
import {
  createSortedRowModel,
  rowSortingFeature,
  sortFns,
  tableFeatures,
  useTable,
  type ColumnDef,
} from "@tanstack/react-table";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef } from "react";
import { download } from "../lib/download";
import { Printed, usePrinting } from "./Printed";

export const features = tableFeatures({
  rowSortingFeature,
  sortedRowModel: createSortedRowModel(),
  sortFns,
});

export type Sort = { id: string; desc: boolean };

type DataTableProps<T extends object> = {
  caption: string;
  // The value of a column is of its own type; only the column itself knows which.
  // eslint-disable-next-line @typescript-eslint/no-explicit-any
  columns: ColumnDef<typeof features, T, any>[];
  /** Widths of the columns, as a CSS grid; columns never jump. */
  grid: string;
  rows: T[];
  rowName: (row: T) => string;
  sort: Sort;
  onSort: (sort: Sort) => void;
  onOpen: (row: T) => void;
  /** Names of the rows that are chosen; given where rows can be. */
  chosen?: Set<string> | undefined;
  onChoose?: ((names: Set<string>) => void) | undefined;
  /** Where the rows are the first of more, in the order asked for: how many there are, and how to have them. */
  rest?: { total: number; more: () => void; all: () => Promise<T[]> } | undefined;
};

const rowHeight = 34;

/** A table that draws only the rows in view: sorted by its heads, opened by its first cell, chosen by a box before it. */
export function DataTable<T extends object>({
  caption,
  columns,
  grid,
  rows,
  rowName,
  sort,
  onSort,
  onOpen,
  chosen,
  onChoose,
  rest,
}: DataTableProps<T>) {
  const scroller = useRef<HTMLDivElement>(null);
  const table = useTable({
    features,
    columns,
    data: rows,
    state: { sorting: [sort] },
    enableSortingRemoval: false,
    manualSorting: rest !== undefined, // who has all of them sorts them
    onSortingChange: (next) => {
      const list = typeof next === "function" ? next([sort]) : next;
      if (list[0]) onSort({ id: list[0].id, desc: list[0].desc });
    },
  });
  const all = table.getRowModel().rows;
  const virtual = useVirtualizer({
    count: all.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => rowHeight,
    overscan: 12,
  });
  const last = virtual.getVirtualItems().at(-1)?.index ?? 0;
  const near = rest !== undefined && last >= all.length - 24 && all.length < rest.total;
  const more = rest?.more;
  useEffect(() => {
    if (near) more?.();
  }, [near, more, all.length]);
  const style = { gridTemplateColumns: chosen ? `2.4rem ${grid}` : grid };
  const every =
    chosen !== undefined && rows.length > 0 && rows.every((r) => chosen.has(rowName(r)));
  const toggle = (name: string) => {
    const next = new Set(chosen);
    if (!next.delete(name)) next.add(name);
    onChoose?.(next);
  };
  const printing = usePrinting<T>();
  const lineHeads = table.getAllLeafColumns();
  const lineOf = (r: T, i: number) => lineHeads.map((h) => h.accessorFn?.(r, i));
  const titles = lineHeads.map((h) =>
    typeof h.columnDef.header === "string" ? h.columnDef.header : h.id,
  );
  const whole = async () =>
    rest && rest.total > rows.length ? await rest.all() : all.map((row) => row.original);
  const save = async () => {
    const lines = [titles, ...(await whole()).map(lineOf)];
    download(
      `${caption.toLowerCase().replace(/[^a-z0-9]+/g, "-")}.csv`,
      "text/csv",
      lines.map((cells) => `${csvLine(cells)}\r\n`).join(""),
    );
  };
  return (
    <>
      <div
        ref={scroller}
        className="no-print max-h-[calc(100vh-17.5rem)] min-h-40 overflow-auto border border-rule bg-sheet"
        tabIndex={0}
        role="region"
        aria-label={caption}
      >
        <div
          role="table"
          aria-label={caption}
          aria-rowcount={(rest?.total ?? all.length) + 1}
          className="min-w-[60rem]"
        >
          <div role="rowgroup" className="sticky top-0 z-10 bg-wash">
            {table.getHeaderGroups().map((g) => (
              <div
                role="row"
                key={g.id}
                aria-rowindex={1}
                className="grid border-b border-rule-strong"
                style={style}
              >
                {chosen && (
                  <div role="columnheader" className="flex items-center justify-center">
                    <input
                      type="checkbox"
                      className="size-[24px] accent-accent"
                      aria-label="Choose all that are shown"
                      checked={every}
                      onChange={() => onChoose?.(every ? new Set() : new Set(rows.map(rowName)))}
                    />
                  </div>
                )}
                {g.headers.map((h) => {
                  const sorted = sort.id === h.column.id;
                  return (
                    <div
                      role="columnheader"
                      key={h.id}
                      aria-sort={sorted ? (sort.desc ? "descending" : "ascending") : "none"}
                    >
                      <button
                        type="button"
                        disabled={h.column.columnDef.enableSorting === false}
                        className="flex h-8 w-full items-center gap-1 px-2 text-left font-medium text-ink-2 hover:text-ink"
                        onClick={() =>
                          onSort({ id: h.column.id, desc: sorted ? !sort.desc : false })
                        }
                      >
                        <table.FlexRender header={h} />
                        <span aria-hidden="true" className="text-ink-3">
                          {sorted ? (sort.desc ? "↓" : "↑") : ""}
                        </span>
                      </button>
                    </div>
                  );
                })}
              </div>
            ))}
          </div>
          <div role="rowgroup" className="relative" style={{ height: virtual.getTotalSize() }}>
            {virtual.getVirtualItems().map((v) => {
              const row = all[v.index];
              if (!row) return null;
              const name = rowName(row.original);
              return (
                <div
                  role="row"
                  key={row.id}
                  aria-rowindex={v.index + 2}
                  aria-selected={chosen?.has(name)}
                  className={`absolute grid w-full border-b border-rule hover:bg-wash ${chosen?.has(name) ? "bg-accent-wash" : ""}`}
                  style={{ ...style, height: rowHeight, transform: `translateY(${v.start}px)` }}
                >
                  {chosen && (
                    <div role="cell" className="flex items-center justify-center">
                      <input
                        type="checkbox"
                        className="size-[24px] accent-accent"
                        aria-label={`Choose ${name}`}
                        checked={chosen.has(name)}
                        onChange={() => toggle(name)}
                      />
                    </div>
                  )}
                  {row.getAllCells().map((c, i) => (
                    <div role="cell" key={c.id} className="flex min-w-0 items-center px-2">
                      {i === 0 ? (
                        <button
                          type="button"
                          className="truncate py-1 text-left font-medium text-accent hover:underline"
                          onClick={() => onOpen(row.original)}
                          aria-label={`Open ${name}`}
                        >
                          <table.FlexRender cell={c} />
                        </button>
                      ) : (
                        <span
                          className="truncate"
                          title={
                            typeof c.getValue() === "string" ? (c.getValue() as string) : undefined
                          }
                        >
                          <table.FlexRender cell={c} />
                        </span>
                      )}
                    </div>
                  ))}
                </div>
              );
            })}
          </div>
        </div>
      </div>
      {printing.on && (
        <Printed
          caption={caption}
          heads={titles}
          lines={(printing.rows ?? all.map((row) => row.original)).map(lineOf)}
          total={rest?.total ?? all.length}
        />
      )}
      {all.length > 0 && (
        <p className="no-print mt-1 flex justify-end gap-4">
          <button
            type="button"
            className="min-h-[24px] text-ink-2 underline decoration-dotted underline-offset-2"
            onClick={() => void whole().then(printing.print)}
          >
            print this list
          </button>
          <button
            type="button"
            className="min-h-[24px] text-ink-2 underline decoration-dotted underline-offset-2"
            onClick={() => void save()}
          >
            save this list as CSV
          </button>
        </p>
      )}
    </>
  );
}

import { createSortedRowModel, rowSortingFeature, sortFns, tableFeatures, useTable, type ColumnDef } from "@tanstack/react-table";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useRef } from "react";

export const features = tableFeatures({ rowSortingFeature, sortedRowModel: createSortedRowModel(), sortFns });

export type Sort = { id: string; desc: boolean };

type DataTableProps<T extends object> = {
  caption: string;
  columns: ColumnDef<typeof features, T, any>[];
  /** Widths of the columns, as a CSS grid; columns never jump. */
  grid: string;
  rows: T[];
  rowName: (row: T) => string;
  sort: Sort;
  onSort: (sort: Sort) => void;
  onOpen: (row: T) => void;
};

const rowHeight = 34;

/** A table that draws only the rows in view: sorted by its heads, opened by its first cell. */
export function DataTable<T extends object>({ caption, columns, grid, rows, rowName, sort, onSort, onOpen }: DataTableProps<T>) {
  const scroller = useRef<HTMLDivElement>(null);
  const table = useTable({ features, columns, data: rows, state: { sorting: [sort] }, enableSortingRemoval: false, onSortingChange: (next) => {
    const list = typeof next === "function" ? next([sort]) : next;
    if (list[0]) onSort({ id: list[0].id, desc: list[0].desc });
  } });
  const all = table.getRowModel().rows;
  const virtual = useVirtualizer({ count: all.length, getScrollElement: () => scroller.current, estimateSize: () => rowHeight, overscan: 12 });
  const style = { gridTemplateColumns: grid };
  return (
    <div ref={scroller} className="max-h-[calc(100vh-15rem)] min-h-40 overflow-auto border border-rule bg-sheet" tabIndex={0} role="region" aria-label={caption}>
      <div role="table" aria-label={caption} aria-rowcount={all.length + 1} className="min-w-[60rem]">
        <div role="rowgroup" className="sticky top-0 z-10 bg-wash">
          {table.getHeaderGroups().map((g) => (
            <div role="row" key={g.id} aria-rowindex={1} className="grid border-b border-rule-strong" style={style}>
              {g.headers.map((h) => {
                const sorted = sort.id === h.column.id;
                return (
                  <div role="columnheader" key={h.id} aria-sort={sorted ? (sort.desc ? "descending" : "ascending") : "none"}>
                    <button type="button" className="flex h-8 w-full items-center gap-1 px-2 text-left font-medium text-ink-2 hover:text-ink" onClick={() => onSort({ id: h.column.id, desc: sorted ? !sort.desc : false })}>
                      <table.FlexRender header={h} />
                      <span aria-hidden="true" className="text-ink-3">{sorted ? (sort.desc ? "↓" : "↑") : ""}</span>
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
            return (
              <div role="row" key={row.id} aria-rowindex={v.index + 2} className="absolute grid w-full border-b border-rule hover:bg-wash" style={{ ...style, height: rowHeight, transform: `translateY(${v.start}px)` }}>
                {row.getAllCells().map((c, i) => (
                  <div role="cell" key={c.id} className="flex min-w-0 items-center px-2">
                    {i === 0 ? (
                      <button type="button" className="truncate py-1 text-left font-medium text-accent hover:underline" onClick={() => onOpen(row.original)} aria-label={`Open ${rowName(row.original)}`}>
                        <table.FlexRender cell={c} />
                      </button>
                    ) : (
                      <span className="truncate"><table.FlexRender cell={c} /></span>
                    )}
                  </div>
                ))}
              </div>
            );
          })}
        </div>
      </div>
    </div>
  );
}

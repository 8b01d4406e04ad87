import { useCallback, useEffect, useState } from "react";
import { flushSync } from "react-dom";

type PrintedProps = {
  caption: string;
  heads: string[];
  lines: unknown[][];
  /** How many rows there are, of which the lines are all or the first. */
  total: number;
};

/** A list on paper: every line, with what it is of and when it was so. The screen draws only what is in view. */
export function Printed({ caption, heads, lines, total }: PrintedProps) {
  const left = total - lines.length;
  return (
    <table className="print-only w-full">
      <caption className="pb-2 text-left">
        {caption}, {new Date().toLocaleString()}: {lines.length} of {total}
        {left > 0 && "; the list was not read to its end"}
      </caption>
      <thead>
        <tr className="border-b border-rule-strong text-left">
          {heads.map((h) => (
            <th key={h} scope="col" className="pr-3 font-medium">
              {h}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {lines.map((cells, i) => (
          <tr key={i} className="break-inside-avoid border-b border-rule align-top">
            {cells.map((c, j) => (
              <td key={j} className="pr-3 break-words">
                {String(c ?? "")}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Whether the page is being printed, by its own button with all rows, or by the browser with those that are there. */
export function usePrinting<T>() {
  const [on, setOn] = useState(false);
  const [rows, setRows] = useState<T[] | null>(null);
  useEffect(() => {
    const before = () => flushSync(() => setOn(true));
    const after = () => {
      setOn(false);
      setRows(null);
    };
    window.addEventListener("beforeprint", before);
    window.addEventListener("afterprint", after);
    return () => {
      window.removeEventListener("beforeprint", before);
      window.removeEventListener("afterprint", after);
    };
  }, []);
  const print = useCallback((list: T[]) => {
    flushSync(() => setRows(list));
    window.print();
  }, []);
  return { on, rows, print };
}

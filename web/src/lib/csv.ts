/** A cell that a spreadsheet would compute is a text to it by the apostrophe in front; importing
 * takes it off again. */
const harmless = (s: string) => (/^'*[=+\-@\t\r\n＝＋－＠]/.test(s) ? `'${s}` : s);

/** One line of CSV (RFC 4180), without its end. */
export const csvLine = (cells: unknown[]) =>
  cells
    .map((v) => {
      const s = harmless(String(v ?? ""));
      return /[",\r\n;]/.test(s) ? `"${s.replaceAll('"', '""')}"` : s;
    })
    .join(",");

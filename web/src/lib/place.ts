const address = /^[0-9a-f.:]+(\/\d+|-[0-9a-f.:]+)?$/i;

/** An address entry as it must be written: a subnet, a range, or one address as a range of one. */
export function place(text: string): string | null {
  if (!address.test(text) || !/[.:]/.test(text)) return null;
  if (text.includes("/")) return `subnet:${text}`;
  return text.includes("-") ? `range:${text}` : `range:${text}-${text}`;
}

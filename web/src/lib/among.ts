/** What was chosen, as one of what could be: the value of a control is any text. */
export function among<V extends string>(list: readonly V[], text: string): V | undefined {
  return list.find((v) => v === text);
}

/** The keys of an object that is written out, as what they are. */
export function keysOf<T extends Record<string, unknown>>(words: T): (keyof T & string)[] {
  return Object.keys(words).filter((k): k is keyof T & string => k in words);
}

import { useEffect, useRef, useState } from "react";

const settle = 200; // ms after the last letter

/** A text that is typed freely and follows into the address bar once the typing rests. */
export function useUrlText(
  inUrl: string,
  write: (text: string) => void,
): [string, (text: string) => void] {
  const [text, setText] = useState(inUrl);
  const written = useRef(inUrl);
  const latest = useRef(write);
  useEffect(() => {
    latest.current = write;
  });
  useEffect(() => {
    if (inUrl !== written.current) {
      written.current = inUrl; // somebody went back, or followed a link
      setText(inUrl);
    }
  }, [inUrl]);
  useEffect(() => {
    if (text === written.current) return undefined;
    const timer = setTimeout(() => {
      written.current = text;
      latest.current(text);
    }, settle);
    return () => clearTimeout(timer);
  }, [text]);
  return [text, setText];
}

import { useMutation } from "@tanstack/react-query";
import { useEffect, useRef, useState, type ReactNode } from "react";
import { bytes } from "../lib/bytes";
import { Button } from "../ui/Button";

type Send<T> = (
  file: File,
  tell: (done: number, total: number) => void,
  signal: AbortSignal,
) => Promise<T>;

/** One upload at a time, which ends when the page is left; progress says how far it is, and can stop it. */
export function useUpload<T>(send: Send<T>, onSuccess: () => unknown, then: string) {
  const [part, setPart] = useState<[number, number] | null>(null);
  const stop = useRef<AbortController | null>(null);
  useEffect(() => () => stop.current?.abort(), []);
  const sending = useMutation({
    mutationFn: (f: File) =>
      send(
        f,
        (done, total) => setPart([done, total]),
        (stop.current = new AbortController()).signal,
      ),
    onSuccess,
    onSettled: () => setPart(null),
  });
  const progress: ReactNode = part && (
    <>
      <progress max={part[1] || 1} value={part[0]} aria-label="Upload" />
      {part[0] < part[1] ? `${bytes(part[0])} of ${bytes(part[1])}` : then}
      <Button onClick={() => stop.current?.abort()}>Stop</Button>
    </>
  );
  return { sending, progress };
}

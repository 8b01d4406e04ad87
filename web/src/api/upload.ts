import { ProblemError } from "./client";

/** Sends a file, and tells how much of it has gone up; what the service answers comes back. */
export function upload<T>(
  path: string,
  file: File,
  type: string,
  tell: (done: number, total: number) => void,
  signal: AbortSignal,
): Promise<T> {
  return new Promise((resolve, reject) => {
    const r = new XMLHttpRequest(); // fetch does not tell how far an upload is
    r.open("POST", path);
    r.setRequestHeader("Content-Type", type);
    r.responseType = "json";
    r.upload.onprogress = (e) => tell(e.loaded, e.total);
    r.onload = () =>
      r.status < 300
        ? resolve(r.response as T)
        : reject(
            new ProblemError({
              code: "answer-unreadable",
              status: r.status,
              detail: `The service answers ${r.status}`,
              ...(r.response as object | null),
            }),
          );
    r.onerror = () =>
      reject(
        new ProblemError({
          code: "service-unreachable",
          status: 0,
          detail: "The file did not arrive",
          fix: "check that the service runs, and the network",
        }),
      );
    signal.addEventListener("abort", () => r.abort());
    r.onabort = () =>
      reject(new ProblemError({ code: "stopped", status: 0, detail: "The upload was stopped" }));
    r.send(file);
  });
}

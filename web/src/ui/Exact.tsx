/** A name that must be exact: in mono, its spaces made visible. Copying it gives plain spaces. */
export function Exact({ text }: { text: string }) {
  return (
    <span className="font-mono text-[0.93em] whitespace-pre">
      {text.split(" ").map((part, i) => (
        <span key={i}>
          {i > 0 && (
            <span className="relative">
              {" "}
              <span
                aria-hidden="true"
                className="absolute inset-0 text-center text-ink-3 select-none"
              >
                ·
              </span>
            </span>
          )}
          {part}
        </span>
      ))}
    </span>
  );
}

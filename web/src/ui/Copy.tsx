import { useEffect, useState } from "react";

/** Puts a value on the clipboard with one click, and says that it did. */
export function Copy({ text, what }: { text: string; what: string }) {
  const [said, setSaid] = useState("");
  useEffect(() => {
    if (!said) return undefined;
    const t = setTimeout(() => setSaid(""), 2000);
    return () => clearTimeout(t);
  }, [said]);
  return (
    <button
      type="button"
      className="min-h-[24px] shrink-0 px-1 text-accent underline decoration-dotted underline-offset-2"
      aria-label={`Copy ${what}`}
      onClick={() =>
        void navigator.clipboard.writeText(text).then(
          () => setSaid("copied"),
          () => setSaid("not allowed here"),
        )
      }
    >
      {said || "copy"}
    </button>
  );
}

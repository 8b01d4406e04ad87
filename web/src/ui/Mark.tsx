import type { ReactNode } from "react";

/** Cirque's own marks. Each has a shape of its own and stands beside a word; colour only repeats what the shape says. */
const shapes: Record<string, { tone: string; draw: ReactNode }> = {
  yes: {
    tone: "text-good",
    draw: <path d="M2 7.2 4.8 10 10 2.5" fill="none" stroke="currentColor" strokeWidth="2" />,
  },
  no: {
    tone: "text-bad",
    draw: (
      <path
        d="M2.2 2.2l7.6 7.6M9.8 2.2 2.2 9.8"
        fill="none"
        stroke="currentColor"
        strokeWidth="1.9"
      />
    ),
  },
  idle: {
    tone: "text-ink-3",
    draw: (
      <path
        d="M2 6h8"
        fill="none"
        stroke="currentColor"
        strokeWidth="1.5"
        strokeDasharray="2 1.5"
      />
    ),
  },
  converged: { tone: "text-good", draw: <circle cx="6" cy="6" r="4.5" fill="currentColor" /> },
  behind: {
    tone: "text-warn",
    draw: (
      <>
        <circle cx="6" cy="6" r="4" fill="none" stroke="currentColor" strokeWidth="1.6" />
        <path d="M6 2a4 4 0 0 0 0 8z" fill="currentColor" />
      </>
    ),
  },
  failing: { tone: "text-bad", draw: <path d="M6 .8 11.2 6 6 11.2.8 6z" fill="currentColor" /> },
  silent: {
    tone: "text-ink-3",
    draw: (
      <circle
        cx="6"
        cy="6"
        r="4"
        fill="none"
        stroke="currentColor"
        strokeWidth="1.6"
        strokeDasharray="2 2.2"
      />
    ),
  },
  placed: {
    tone: "text-accent",
    draw: <rect x="1.5" y="1.5" width="9" height="9" fill="currentColor" />,
  },
  picked: {
    tone: "text-accent",
    draw: (
      <>
        <rect
          x="2"
          y="2"
          width="8"
          height="8"
          fill="none"
          stroke="currentColor"
          strokeWidth="1.6"
        />
        <rect x="4" y="4" width="4" height="4" fill="currentColor" />
      </>
    ),
  },
  offered: {
    tone: "text-ink-3",
    draw: (
      <rect x="2" y="2" width="8" height="8" fill="none" stroke="currentColor" strokeWidth="1.6" />
    ),
  },
  open: { tone: "text-good", draw: <path d="M1 6h10" stroke="currentColor" strokeWidth="2.4" /> },
  paused: {
    tone: "text-warn",
    draw: <path d="M4 2v8M8 2v8" stroke="currentColor" strokeWidth="2.2" />,
  },
  retired: {
    tone: "text-ink-3",
    draw: <path d="M1.5 10.5 10.5 1.5" stroke="currentColor" strokeWidth="1.8" />,
  },
  warning: {
    tone: "text-warn",
    draw: <path d="M6 1 11 10.5H1z" fill="none" stroke="currentColor" strokeWidth="1.6" />,
  },
  plus: {
    tone: "text-good",
    draw: <path d="M6 1.5v9M1.5 6h9" stroke="currentColor" strokeWidth="2" />,
  },
  minus: { tone: "text-bad", draw: <path d="M1.5 6h9" stroke="currentColor" strokeWidth="2" /> },
  note: {
    tone: "text-ink-3",
    draw: <path d="M2 3h8M2 6h8M2 9h5" stroke="currentColor" strokeWidth="1.5" />,
  },
};

export function Mark({ of, children }: { of: string; children?: ReactNode | undefined }) {
  const s = shapes[of];
  return (
    <span className="inline-flex items-baseline gap-1.5">
      {s && (
        <svg
          viewBox="0 0 12 12"
          className={`size-3 shrink-0 translate-y-px ${s.tone}`}
          aria-hidden="true"
        >
          {s.draw}
        </svg>
      )}
      <span>{children ?? of}</span>
    </span>
  );
}

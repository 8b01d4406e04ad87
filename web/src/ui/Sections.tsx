import { Link } from "react-router";

type SectionsProps = {
  label: string;
  current: string;
  of: readonly (readonly [value: string, word: string, href: string])[];
};

/** The parts of a page, one of which is shown; each has an address. */
export function Sections({ label, current, of }: SectionsProps) {
  return (
    <nav aria-label={label} className="flex flex-wrap gap-x-5">
      {of.map(([value, word, href]) => (
        <Link
          key={value}
          to={href}
          aria-current={value === current ? "page" : undefined}
          className={`flex min-h-8 items-center border-b-2 no-underline ${value === current ? "border-ink font-medium text-ink" : "border-transparent text-ink-2 hover:text-ink"}`}
        >
          {word}
        </Link>
      ))}
    </nav>
  );
}

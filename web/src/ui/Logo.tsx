/** Cirque's mark: two open rings. */
export function Logo() {
  return (
    <svg viewBox="0 0 24 24" className="size-5 text-accent" aria-hidden="true">
      <path
        d="M12 2.5a9.5 9.5 0 1 0 9.3 11.4M12 8a4 4 0 1 0 3.9 4.9"
        fill="none"
        stroke="currentColor"
        strokeWidth="3"
      />
    </svg>
  );
}

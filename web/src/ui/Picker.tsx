import { Popover } from "radix-ui";
import { useId, useState, type KeyboardEvent } from "react";
import { inputLook } from "./Field";

export type Option = { value: string; label: string; detail?: string | undefined };

type PickerProps = {
  /** What is being picked, such as "person". */
  label: string;
  /** The word as it stands in the sentence. */
  word: string;
  options: Option[];
  /** Given where the options come from a search; else they are narrowed here. */
  onSearch?: ((text: string) => void) | undefined;
  /** Takes what was typed as it is, where nothing fits. */
  free?: ((text: string) => string | null) | undefined;
  hint?: string | undefined;
  more?: number | undefined;
  onPick: (value: string) => void;
};

/** A word of a sentence that can be changed in place: it opens a short list that narrows as one types. */
export function Picker({
  label,
  word,
  options,
  onSearch,
  free,
  hint,
  more = 0,
  onPick,
}: PickerProps) {
  const id = useId();
  const [open, setOpen] = useState(false);
  const [text, setText] = useState("");
  const [at, setAt] = useState(0);
  // Also what a search found: its answer may still be for the letters before.
  const fitting = options.filter((o) =>
    `${o.label} ${o.value} ${o.detail ?? ""}`.toLowerCase().includes(text.trim().toLowerCase()),
  );
  const typed = text.trim();
  const own = free && typed && !fitting.some((o) => o.value === typed) ? free(typed) : null;
  const shown: Option[] = own ? [...fitting, { value: typed, label: own }] : fitting;
  const current = Math.min(at, Math.max(0, shown.length - 1));
  const search = (t: string) => {
    setText(t);
    setAt(0);
    onSearch?.(t);
  };
  const pick = (o: Option | undefined) => {
    if (!o) return;
    onPick(o.value);
    setOpen(false);
  };
  const onKeyDown = (e: KeyboardEvent) => {
    if (e.key === "ArrowDown") setAt(Math.min(current + 1, shown.length - 1));
    else if (e.key === "ArrowUp") setAt(Math.max(current - 1, 0));
    else if (e.key === "Enter") pick(shown[current]);
    else return;
    e.preventDefault();
  };
  return (
    <Popover.Root
      open={open}
      onOpenChange={(o) => {
        setOpen(o);
        if (o) search("");
      }}
    >
      <Popover.Trigger asChild>
        <button
          type="button"
          aria-label={`${word}, change the ${label}`}
          className="border-b-2 border-dotted border-accent px-0.5 font-medium text-accent hover:bg-accent-wash data-[state=open]:bg-accent-wash"
        >
          {word}
        </button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={4}
          aria-label={label}
          className="z-30 w-80 border border-rule-strong bg-sheet p-2 text-[1rem]"
        >
          <input
            role="combobox"
            aria-label={`Find a ${label}`}
            aria-expanded="true"
            aria-controls={`${id}-list`}
            aria-activedescendant={shown[current] ? `${id}-${current}` : undefined}
            autoFocus
            className={`${inputLook} w-full`}
            value={text}
            placeholder={hint ?? "Type to narrow"}
            onChange={(e) => search(e.target.value)}
            onKeyDown={onKeyDown}
          />
          <ul
            id={`${id}-list`}
            role="listbox"
            aria-label={label}
            className="mt-2 max-h-64 overflow-y-auto"
          >
            {shown.map((o, i) => (
              // Its keys are those of the text above, as a combobox has it (ARIA 1.2).
              // eslint-disable-next-line jsx-a11y/click-events-have-key-events
              <li
                key={o.value}
                id={`${id}-${i}`}
                role="option"
                aria-selected={i === current}
                ref={i === current ? (el) => el?.scrollIntoView({ block: "nearest" }) : undefined}
                className={`px-2 py-1 ${i === current ? "bg-accent-wash" : ""}`}
                onMouseMove={() => setAt(i)}
                onClick={() => pick(o)}
              >
                <span className="block">{o.label}</span>
                {o.detail && <span className="block text-ink-3">{o.detail}</span>}
              </li>
            ))}
          </ul>
          {shown.length === 0 && <p className="px-2 py-1 text-ink-3">Nothing is called that.</p>}
          {more > 0 && <p className="px-2 pt-1 text-ink-3">{more} more; type to narrow.</p>}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

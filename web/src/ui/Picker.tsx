import { Combobox, ComboboxItem, ComboboxList, ComboboxProvider } from "@ariakit/react";
import { Popover } from "radix-ui";
import { useState } from "react";
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
  const [open, setOpen] = useState(false);
  const [text, setText] = useState("");
  // Also what a search found: its answer may still be for the letters before.
  const fitting = options.filter((o) =>
    `${o.label} ${o.value} ${o.detail ?? ""}`.toLowerCase().includes(text.trim().toLowerCase()),
  );
  const typed = text.trim();
  const own = free && typed && !fitting.some((o) => o.value === typed) ? free(typed) : null;
  const shown: Option[] = own ? [...fitting, { value: typed, label: own }] : fitting;
  const search = (t: string) => {
    setText(t);
    onSearch?.(t);
  };
  const pick = (o: Option) => {
    onPick(o.value);
    setOpen(false);
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
          <ComboboxProvider open value={text} setValue={search}>
            <Combobox
              aria-label={`Find a ${label}`}
              autoFocus
              autoSelect="always"
              className={`${inputLook} w-full`}
              placeholder={hint ?? "Type to narrow"}
            />
            <ComboboxList
              alwaysVisible
              aria-label={label}
              className="mt-2 max-h-64 overflow-y-auto"
            >
              {shown.map((o) => (
                <ComboboxItem
                  key={o.value}
                  value={o.value}
                  setValueOnClick={false}
                  focusOnHover
                  blurOnHoverEnd={false}
                  className="px-2 py-1 data-[active-item]:bg-accent-wash"
                  onClick={() => pick(o)}
                >
                  <span className="block">{o.label}</span>
                  {o.detail && <span className="block text-ink-3">{o.detail}</span>}
                </ComboboxItem>
              ))}
            </ComboboxList>
          </ComboboxProvider>
          {shown.length === 0 && <p className="px-2 py-1 text-ink-3">Nothing is called that.</p>}
          {more > 0 && <p className="px-2 pt-1 text-ink-3">{more} more; type to narrow.</p>}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

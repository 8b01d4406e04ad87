import { useRef, useState } from "react";
import { days, drawable, hours, readHours, weekOf, windowsOf, type Window } from "../../lib/hours";
import { inputLook } from "../../ui/Field";

type WeekFieldProps = { value: Window[]; onChange: (v: Window[]) => void };

/** Half hours of a day that are being opened or closed. */
type Stroke = { day: number; from: number; to: number; on: boolean };

/** What a stroke makes of a half hour; undefined where it does not go over it. */
const paints = (p: Stroke | null, d: number, i: number): boolean | undefined =>
  p?.day === d && i >= Math.min(p.from, p.to) && i <= Math.max(p.from, p.to) ? p.on : undefined;

/** A week's hours, drawn by day: press and drag opens or closes half hours; or written out below. */
export function WeekField({ value, onChange }: WeekFieldProps) {
  const week = weekOf(value);
  const [painting, setPainting] = useState<Stroke | null>(null);
  const stroke = useRef<Stroke | null>(null);
  const [text, setText] = useState<string | null>(null);
  const exact = drawable(value);
  const shown = (d: number, i: number) => paints(painting, d, i) ?? week[d]?.[i];
  const draw = (to: Stroke | null) => {
    stroke.current = to;
    setPainting(to);
  };
  const begin = (day: number, i: number) => {
    draw({ day, from: i, to: i, on: !week[day]?.[i] });
    // Wherever it is let go of, it ends.
    window.addEventListener(
      "pointerup",
      () => {
        const done = stroke.current;
        draw(null);
        onChange(windowsOf(week.map((row, d) => row.map((was, k) => paints(done, d, k) ?? was))));
      },
      { once: true },
    );
  };
  const over = (day: number, i: number) => {
    if (stroke.current?.day === day) draw({ ...stroke.current, to: i });
  };
  const written = text ?? value.map(hours).join("; ");
  const read = (t: string) =>
    t
      .split(";")
      .map((p) => p.trim())
      .filter(Boolean)
      .map(readHours);
  const wrong = read(written).some((w) => w === null);
  return (
    <div className="flex flex-col gap-2">
      <div aria-hidden="true" className="select-none">
        <div className="ml-10 flex text-[0.8rem] text-ink-3" style={{ width: "36rem" }}>
          {[0, 3, 6, 9, 12, 15, 18, 21].map((h) => (
            <span key={h} className="w-1/8">
              {String(h).padStart(2, "0")}
            </span>
          ))}
        </div>
        {days.map((d, at) => (
          <div key={d} className="flex items-center">
            <span className="w-10 text-ink-2">{d}</span>
            <div
              className="flex border-b border-rule"
              style={{ width: "36rem", touchAction: "none" }}
            >
              {Array.from({ length: 48 }, (_, i) => (
                <span
                  key={i}
                  data-slot={`${d} ${i}`}
                  className={`h-5 flex-1 border-l ${i % 6 === 0 ? "border-rule-strong" : "border-rule"} ${shown(at, i) ? "bg-accent" : "bg-sheet"}`}
                  onPointerDown={() => begin(at, i)}
                  onPointerOver={(e) => e.buttons === 1 && over(at, i)}
                />
              ))}
            </div>
          </div>
        ))}
      </div>
      <label className="flex flex-col gap-1">
        <span className="text-ink-2">Written out</span>
        <input
          className={inputLook}
          placeholder="at any hour; such as mon-fri 08:00-17:00; sat 09:00-12:00"
          value={written}
          aria-invalid={wrong || undefined}
          onChange={(e) => {
            setText(e.target.value);
            const all = read(e.target.value);
            if (all.every((w) => w !== null)) onChange(all);
          }}
          onBlur={() => !wrong && setText(null)}
        />
      </label>
      {wrong && (
        <p role="alert" className="text-bad">
          Write days and hours, such as mon-fri 08:00-17:00, divided by semicolons.
        </p>
      )}
      {value.length === 0 && <p className="text-ink-2">At any hour.</p>}
      {!exact && <p className="text-ink-2">Drawn to the half hour; to the minute as written.</p>}
    </div>
  );
}

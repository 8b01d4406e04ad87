import type { ComponentProps } from "react";

type ButtonProps = ComponentProps<"button"> & { kind?: "main" | "plain" | undefined };

export function Button({ kind = "plain", className = "", ...rest }: ButtonProps) {
  const look =
    kind === "main"
      ? "bg-accent text-paper border-accent hover:opacity-90"
      : "bg-sheet text-ink border-rule-strong hover:bg-wash";
  return (
    <button
      type="button"
      className={`min-h-8 rounded-[3px] border px-3 py-1 font-medium disabled:opacity-50 ${look} ${className}`}
      {...rest}
    />
  );
}

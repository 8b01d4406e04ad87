import { Button } from "../ui/Button";

type BegunNoticeProps = {
  begun: { again: boolean; changed: boolean; forget: () => void };
};

/** Says that a form holds what was begun before, and lets go of it. */
export function BegunNotice({ begun }: BegunNoticeProps) {
  if (!begun.again || !begun.changed) return null;
  return (
    <p role="status" className="border-l-2 border-accent bg-accent-wash px-3 py-2">
      What you had begun here is as you left it. <Button onClick={begun.forget}>Begin anew</Button>
    </p>
  );
}

import { Dialog } from "radix-ui";
import type { ReactNode } from "react";
import { Button } from "./Button";
import { Copy } from "./Copy";

type DrawerProps = {
  title: string;
  description: string;
  /** The name that programs and files call it by, to be copied. */
  name?: string | undefined;
  open: boolean;
  onOpenChange: (open: boolean) => void;
  children: ReactNode;
};

/** A sheet at the right edge; focus stays in it and goes back where it came from. */
export function Drawer({ title, description, name, open, onOpenChange, children }: DrawerProps) {
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-20 bg-ink/20 dark:bg-black/50" />
        <Dialog.Content className="fixed inset-y-0 right-0 z-20 w-[min(46rem,100vw)] overflow-y-auto border-l border-rule-strong bg-sheet p-5">
          <div className="mb-4 flex items-start justify-between gap-4">
            <div>
              <Dialog.Title className="text-[1.2rem] font-semibold">{title}</Dialog.Title>
              <div className="flex items-baseline gap-1">
                <Dialog.Description className="text-ink-2">{description}</Dialog.Description>
                {name && <Copy text={name} what={`the name ${name}`} />}
              </div>
            </div>
            <Dialog.Close asChild>
              <Button>Close</Button>
            </Dialog.Close>
          </div>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

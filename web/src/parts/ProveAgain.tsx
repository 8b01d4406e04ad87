import { useMutation } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import { useEffect, useRef, useState } from "react";
import { api, ask } from "../api/client";
import { provesBy } from "../api/proof";
import { Button } from "../ui/Button";
import { Waiting } from "../ui/Notice";
import { ProblemNotice } from "./ProblemNotice";
import { ShowFactor } from "./ShowFactor";

/** Asks again who sits there, where the service wants to know before it does what was asked. */
export function ProveAgain({ name }: { name: string }) {
  const [open, setOpen] = useState(false);
  const settle = useRef<(proven: boolean) => void>(() => undefined);
  const begin = useMutation({
    mutationFn: () => ask(api.POST("/api/v1/session/proof/begin")),
  });
  const { mutate } = begin;
  useEffect(
    () =>
      provesBy(() => {
        mutate();
        setOpen(true);
        return new Promise((resolve) => (settle.current = resolve));
      }),
    [mutate],
  );
  const close = (proven: boolean) => {
    setOpen(false);
    settle.current(proven);
  };
  return (
    <Dialog.Root open={open} onOpenChange={(to) => !to && close(false)}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-30 bg-ink/20 dark:bg-black/50" />
        <Dialog.Content className="fixed top-[18vh] left-1/2 z-30 w-[min(28rem,94vw)] -translate-x-1/2 border border-rule-strong bg-sheet p-5">
          <Dialog.Title className="text-[1.2rem] font-semibold">Is it {name} still?</Dialog.Title>
          <Dialog.Description className="mt-1 mb-4 text-ink-2">
            This is done by whoever has just shown who they are. Then it goes on by itself.
          </Dialog.Description>
          {begin.isPending && <Waiting what="the service" />}
          {begin.error && <ProblemNotice title="It cannot be asked" error={begin.error} />}
          {begin.data && (
            <ShowFactor
              step={begin.data}
              failed="It was not done"
              does="It is me"
              send={(body) => ask(api.POST("/api/v1/session/proof", { body }))}
              onDone={() => close(true)}
            >
              <Dialog.Close asChild>
                <Button>Leave it</Button>
              </Dialog.Close>
            </ShowFactor>
          )}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
